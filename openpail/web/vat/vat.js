// The vat: a tap is told with the moment of the tap itself, and the page comes anew in its place.
// Where that cannot be, the form is sent as any form, and the moment is when it arrives.
(function () {
  "use strict";

  const COUNTED = "open-pail-counter", CARD = "openpail.px-per-mm", EVERY_MS = 5000;
  const CARD_MM = 85.6, LARGE_BYTES = 1500000, WIDEST_PX = 2000;
  const stamp = document.documentElement.dataset.now;
  const offset = stamp ? Date.parse(stamp) - Date.now() : 0;
  const moment = () => new Date(Date.now() + offset).toISOString();
  const pxPerMm = () => Number(localStorage.getItem(CARD)) || 96 / 25.4;

  function count() {
    const next = Number(localStorage.getItem(COUNTED) || 0) + 1;
    localStorage.setItem(COUNTED, String(next));
    return next;
  }

  // What is drawn at true scale: a cube of so many mm, and the card that it was tried with.
  function trueSizes() {
    document.querySelectorAll("[data-mm]").forEach(function (node) {
      const side = Number(node.dataset.mm) * pxPerMm();
      const cubes = node.querySelector("svg"), box = cubes.viewBox.baseVal;
      cubes.setAttribute("height", String(side));
      cubes.setAttribute("width", String(side * box.width / box.height));
    });
    document.querySelectorAll("svg.card").forEach(function (card) {
      const wide = CARD_MM * pxPerMm();
      card.setAttribute("width", String(wide));
      card.setAttribute("height", String(wide * card.viewBox.baseVal.height / card.viewBox.baseVal.width));
    });
  }

  // A phone's photo is drawn smaller before it is sent: a screen shows no more, and a yard's network
  // carries it.
  async function smaller(file) {
    if (!file.type.startsWith("image/") || file.size < LARGE_BYTES) return file;
    try {
      const picture = await createImageBitmap(file);
      const share = Math.min(1, WIDEST_PX / Math.max(picture.width, picture.height));
      const canvas = document.createElement("canvas");
      canvas.width = Math.round(picture.width * share);
      canvas.height = Math.round(picture.height * share);
      canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
      return await new Promise((done) => { canvas.toBlob(done, "image/jpeg", 0.85); });
    } catch { return file; }
  }

  function typing() {
    const field = document.activeElement;
    return field && field.matches("#live input:not([type=hidden]), #live select") && field.value !== field.defaultValue;
  }

  document.addEventListener("alpine:init", function () {
    window.Alpine.data("vat", function () {
      return {
        open: "",
        recorder: null,
        init() {
          this.settle();
          setInterval(() => this.look(), EVERY_MS);
        },
        fragment() { return this.$root.querySelector(".vat-now"); },
        // The next tap is under the fingers, and the instruction stays in sight.
        settle() {
          trueSizes();
          if (this.fragment().dataset.open) this.open = this.fragment().dataset.open;
          const asked = this.$root.querySelector("[data-asked], [aria-invalid=true]");
          const first = asked || this.$root.querySelector("[data-first]");
          if (first) first.focus({ preventScroll: !asked });
          this.$root.querySelectorAll("[data-record]").forEach((button) => {
            button.hidden = !(window.MediaRecorder && navigator.mediaDevices);
          });
        },
        show(html) {
          const opened = [...this.$root.querySelectorAll("details[open]")].map((each) => each.className);
          const focus = document.activeElement.id;
          const scrolled = window.scrollY;
          this.$root.replaceChildren(...new DOMParser().parseFromString(html, "text/html").body.childNodes);
          opened.filter(Boolean).forEach((name) => {
            const again = this.$root.querySelector("details." + name.split(" ")[0]);
            if (again) again.open = true;
          });
          this.settle();
          if (focus && document.getElementById(focus)) document.getElementById(focus).focus({ preventScroll: true });
          window.scrollTo(0, scrolled);
          document.dispatchEvent(new CustomEvent("vat-anew"));
        },
        // What others told meanwhile: asked for by what the page knows, and nothing comes when nothing did.
        async look() {
          if (document.visibilityState !== "visible" || typing() || this.recorder) return;
          const seen = this.fragment().dataset.version;
          try {
            const answer = await fetch(this.$root.dataset.nowUrl + "?v=" + seen);
            if (answer.status === 200 && !answer.redirected && !typing() && seen === this.fragment().dataset.version) this.show(await answer.text());
          } catch { /* the next look tries again; what is shown stays true by its clocks */ }
        },
        async send(event) {
          const form = event.target;
          if (!form.hasAttribute("data-tell")) return;
          event.preventDefault();
          const body = new FormData(form);
          if (form.elements.namedItem("file")) body.set("file", await smaller(body.get("file")));
          if (event.submitter && event.submitter.name) body.append(event.submitter.name, event.submitter.value);
          await this.tell(form.action, body, form);
        },
        async tell(address, body, form) {
          body.append("happened", moment());
          body.append("sent", moment());
          body.append("counter", String(count()));
          try {
            const answer = await fetch(address, { method: "POST", headers: { "X-Fragment": "1" }, body: body });
            if (answer.redirected || (!answer.ok && answer.status !== 422)) throw new Error("no answer");
            if (answer.ok) this.open = "";
            this.show(await answer.text());
            if (answer.status === 422) window.scrollTo(0, 0);
          } catch {
            if (form) HTMLFormElement.prototype.submit.call(form);
          }
        },
        pick(event) {
          const button = event.target.closest("[data-panel], [data-minutes], [data-card], [data-record]");
          if (!button) return;
          const { panel, minutes, card } = button.dataset;
          if (panel) this.turn(panel);
          else if (minutes) {
            const form = button.closest("form");
            form.elements.namedItem("minutes").value = minutes;
            form.requestSubmit();
          } else if (card) this.fit(Number(card));
          else this.speak(button);
        },
        turn(panel) {
          this.open = this.open === panel ? "" : panel;
          this.$nextTick(() => {
            const field = this.open && document.querySelector("#" + panel + " input:not([type=hidden])");
            if (field) field.focus();
          });
        },
        fit(way) {
          if (way === 0) this.open = "";
          localStorage.setItem(CARD, String(pxPerMm() * (1 + way / 100)));
          trueSizes();
        },
        // A spoken note is recorded here, and sent when the button is tapped again.
        async speak(button) {
          if (this.recorder) {
            this.recorder.stop();
            return;
          }
          const form = button.closest("form");
          try {
            const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
            const parts = [];
            this.recorder = new MediaRecorder(stream);
            this.recorder.addEventListener("dataavailable", (event) => parts.push(event.data));
            this.recorder.addEventListener("stop", () => {
              stream.getTracks().forEach((track) => track.stop());
              const body = new FormData(form);
              body.set("file", new Blob(parts), "note");
              this.recorder = null;
              this.tell(form.action, body, null);
            });
            this.recorder.start();
            button.textContent = "Stop, and keep it";
          } catch {
            button.textContent = "This device gives no microphone";
          }
        },
      };
    });
  });

  // Another bottle than the sheet's: what does the same of it is told again, in its own unit.
  document.addEventListener("change", async function (event) {
    const address = event.target.dataset.another;
    if (!address) return;
    const form = event.target.form, said = event.target.closest("label").nextElementSibling;
    const dose = form.elements.namedItem(event.target.name.replace("bottle-", "gave-"));
    const answer = await fetch(address + "?lot=" + encodeURIComponent(event.target.value));
    if (!answer.ok && answer.status !== 422) return;
    const told = await answer.json();
    if (told.amount) dose.value = told.amount;
    said.textContent = told.words;
    said.hidden = false;
  });
})();
