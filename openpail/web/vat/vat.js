// The vat: a tap is told to the deeds' door with the moment of the tap itself. Where that cannot be,
// the form is sent as any form, and the moment is when it arrives.
(function () {
  "use strict";

  const counted = "open-pail-counter";
  const stamp = document.documentElement.dataset.now;
  const offset = stamp ? Date.parse(stamp) - Date.now() : 0;

  function moment() {
    return new Date(Date.now() + offset).toISOString();
  }

  function count() {
    const next = Number(window.localStorage.getItem(counted) || 0) + 1;
    window.localStorage.setItem(counted, String(next));
    return next;
  }

  // What a button's form tells: its deed, the id it carries, and its payload by name.
  function told(form) {
    const data = new FormData(form);
    const payload = {};
    if (data.get("step")) payload.step = data.get("step");
    if (data.get("word")) payload.word = data.get("word");
    const deed = { id: data.get("event"), deed: form.dataset.deed, payload: payload, happened: moment(), counter: count() };
    if (data.get("amends")) deed.amends = data.get("amends");
    return { sent: moment(), device: navigator.userAgent.slice(0, 80), deeds: [deed] };
  }

  document.addEventListener("alpine:init", function () {
    window.Alpine.data("vat", function () {
      return {
        isReading: false,
        said: "",
        init() {
          // The next tap is under the fingers, and the instruction stays in sight.
          const first = this.$root.querySelector("[data-first]");
          if (first) first.focus({ preventScroll: true });
          this.isReading = this.$root.dataset.open === "reading";
        },
        reading() {
          this.isReading = !this.isReading;
          this.$nextTick(() => {
            if (this.isReading) document.getElementById("celsius").focus();
          });
        },
        async tell(event) {
          const form = event.target;
          if (!form.dataset.deed) return;
          event.preventDefault();
          const token = form.elements.namedItem("csrf_token").value;
          try {
            const answer = await fetch(this.$root.dataset.door, {
              method: "POST",
              headers: { "Content-Type": "application/json", "X-CSRFToken": token },
              body: JSON.stringify(told(form)),
            });
            if (!answer.ok || answer.redirected) throw new Error("no answer");
            const first = (await answer.json()).answers[0];
            this.$refs.asked.hidden = first.field !== "word";
            if (first.words) this.said = first.words;
            else window.location.reload();
          } catch {
            HTMLFormElement.prototype.submit.call(form);
          }
        },
      };
    });
  });
})();
