import { age } from "/static/js/countdowns.js";
import { beingTyped, replaceWith } from "/static/js/fragments.js";

// Every change goes to the server, which answers with the form anew.
export function live() {
  return {
    failed: false,
    last: 0,
    queue: Promise.resolve(),
    send(event) {
      const form = event.target;
      if (form.method !== "post" || form.hasAttribute("data-whole")) return;
      event.preventDefault();
      this.post(form, event.submitter);
    },
    changed(event) {
      const form = event.target.form;
      if (form && form.hasAttribute("data-live")) this.post(form, null);
    },
    // One change after the other, so that the answer to the last one knows them all.
    post(form, button) {
      const body = new FormData(form);
      if (button && button.name) body.append(button.name, button.value);
      form.querySelectorAll("input").forEach((field) => { field.defaultValue = field.value; });
      const address = form.action;
      const mine = ++this.last;
      this.$root.setAttribute("aria-busy", "true");
      this.queue = this.queue
        .then(() => fetch(address, { method: "POST", body: body, headers: { "X-Fragment": "1" } }))
        .then((answer) => {
          if (!answer.ok || answer.redirected) throw new Error("no answer");
          return answer.text();
        })
        .then((html) => { if (mine === this.last && !beingTyped()) this.show(html); })
        .catch(() => { this.failed = true; })
        .finally(() => { if (mine === this.last) this.$root.setAttribute("aria-busy", "false"); });
    },
    show(html) {
      const focus = document.activeElement.id;
      replaceWith(this.$refs.bench, html);
      this.failed = false;
      age();
      const again = focus && document.getElementById(focus);
      if (again) again.focus();
    },
  };
}
