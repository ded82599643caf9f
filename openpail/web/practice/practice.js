// A dry run in fast time: the clock runs here, what it comes to is worked out by the server.
import { parsed } from "/static/js/fragments.js";

const EVERY_MS = 1000;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("practice", function () {
    return {
      minute: 0,
      speed: 0,
      asks: false,
      init() {
        this.settle();
        setInterval(() => this.tick(), EVERY_MS);
      },
      now() { return this.$root.querySelector(".practice-now"); },
      settle() {
        if (!this.now()) return;
        this.minute = Number(this.now().dataset.minute);
        this.$root.querySelectorAll("[data-speed]").forEach((button) => {
          button.disabled = false;
          button.setAttribute("aria-pressed", String(Number(button.dataset.speed) === this.speed));
        });
      },
      // A tap on how fast.
      pick(event) {
        const button = event.target.closest("[data-speed]");
        if (!button) return;
        this.speed = Number(button.dataset.speed);
        this.settle();
      },
      async tick() {
        if (!this.speed || this.asks || document.visibilityState !== "visible" || !this.now() || "away" in this.now().dataset) return;
        this.minute += this.speed * EVERY_MS / 1000;
        await this.ask(this.$root.dataset.nowUrl + "?minute=" + this.minute, {});
      },
      async send(event) {
        const form = event.target;
        if (!form.hasAttribute("data-do")) return;
        event.preventDefault();
        const body = new FormData(form);
        body.set("minute", String(this.minute));
        await this.ask(form.action, { method: "POST", body: body, headers: { "X-Fragment": "1" } }, true);
      },
      // Only figures and drawing are changed while nothing else did, so that no button goes away under a finger.
      async ask(address, how, isDeed = false) {
        if (this.asks && !isDeed) return;
        this.asks = true;
        try {
          const answer = await fetch(address, how);
          if (answer.redirected) return location.assign(answer.url);
          const { body } = parsed(await answer.text()), next = body.querySelector(".practice-now");
          if (!next) return location.assign(location.pathname);
          if (isDeed || next.dataset.key !== this.now().dataset.key) this.whole(body);
          else this.parts(next);
        } catch { this.speed = 0; this.settle(); } finally { this.asks = false; }
      },
      whole(body) {
        const focus = document.activeElement.id;
        this.$refs.all.replaceChildren(...body.childNodes);
        this.settle();
        const again = focus && document.getElementById(focus), first = this.$root.querySelector("[data-first]");
        if (again || first) (again || first).focus({ preventScroll: true });
      },
      parts(next) {
        next.querySelectorAll("[data-live]").forEach((part) => {
          const old = this.now().querySelector("[data-live=" + part.dataset.live + "]");
          if (old) old.replaceWith(part);
        });
        this.now().dataset.minute = next.dataset.minute;
        this.minute = Number(next.dataset.minute);
      },
    };
  });
});
