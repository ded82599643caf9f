import { live } from "/static/js/live.js";

document.addEventListener("alpine:init", () => {
  // The desk: a recipe being written, one part of it shown at a time.
  window.Alpine.data("desk", function () {
    const form = live();
    return Object.assign({}, form, {
      shown: "head",
      follow: false,
      init() {
        const wanted = window.location.hash.slice(1);
        this.shown = document.getElementById(wanted) ? wanted : this.asked();
      },
      asked() {
        return this.$refs.bench.querySelector("[data-shown]").dataset.shown;
      },
      pick(event) {
        const part = event.target.closest("[data-part]");
        if (!part) return;
        event.preventDefault();
        this.shown = part.dataset.part;
        const pane = this.pane(".part-shown");
        pane.scrollTop = 0;
        if (pane.getBoundingClientRect().top > 0.6 * window.innerHeight) pane.scrollIntoView();
      },
      changed(event) {
        if (event.target.name !== "kind-new") form.changed.call(this, event);
      },
      send(event) {
        const button = event.submitter;
        if (!button || button.value !== "keep") return form.send.call(this, event);
        event.preventDefault();
        this.queue.finally(() => {
          const last = this.pane("form.desk");
          last.append(Object.assign(document.createElement("input"), { type: "hidden", name: "do", value: "keep" }));
          HTMLFormElement.prototype.submit.call(last);
        });
      },
      // Only a button sends the eyes elsewhere; who typed may be at another part by now. Until it
      // is answered nothing can be typed, as it would be typed into what was before.
      post(sent, button) {
        this.follow = Boolean(button && button.name);
        this.$refs.bench.inert = this.follow;
        form.post.call(this, sent, button);
        this.queue.finally(() => { this.$refs.bench.inert = false; });
      },
      turnTo(part) {
        this.shown = part;
        this.$nextTick(() => {
          const first = document.querySelector("#" + part + " :is(input:not([type=hidden]), select)");
          if (first) first.focus({ preventScroll: true });
        });
      },
      pane(name) {
        return this.$refs.bench.querySelector(name);
      },
      // Anew, and yet where the eyes were.
      show(html) {
        const before = this.shown;
        const scrolled = [".desk-nav", ".part-shown"].map((name) => [name, this.pane(name).scrollTop]);
        const picked = Array.from(this.$refs.bench.querySelectorAll("[name=kind-new]"), (each) => [each.id, each.value]);
        form.show.call(this, html);
        picked.forEach(([id, value]) => {
          const again = document.getElementById(id);
          if (again) again.value = value;
        });
        this.$refs.bench.inert = false;
        if (this.follow) this.turnTo(this.asked());
        this.follow = false;
        this.$nextTick(() => {
          scrolled.forEach(([name, top]) => {
            if (name === ".desk-nav" || before === this.shown) this.pane(name).scrollTop = top;
          });
        });
      },
    });
  });
});
