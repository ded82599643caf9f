// The vat: a tap is told with the moment of the tap itself, and the page comes anew in its place.
// Where that cannot be, the form is sent as any form, and the moment is when it arrives.
import "/static/vat/bottle.js";
import { moment } from "/static/js/clock.js";
import { replaceWith } from "/static/js/fragments.js";
import { apply, odd } from "/static/vat/ahead.js";
import { deliver, PATIENCE_MS } from "/static/vat/delivery.js";
import { count, newId, outbox } from "/static/vat/outbox.js";
import { smaller } from "/static/vat/photo.js";
import { mayRecord, record } from "/static/vat/recorder.js";
import { fitCard, trueSizes } from "/static/vat/sizes.js";
import { free, tapOf, withWord } from "/static/vat/taps.js";
import { sign } from "/static/vat/waiting.js";

const EVERY_MS = 4000, PAGES = "open-pail-pages";

function typing() {
  const field = document.activeElement;
  return field && field.matches("#live input:not([type=hidden]), #live select") && field.value !== field.defaultValue;
}

// A page that can be opened again without the network: its files, and itself as it was seen last.
async function stayReady() {
  const ready = await navigator.serviceWorker.register("/sw.js").then(() => navigator.serviceWorker.ready);
  const files = [...document.querySelectorAll("script[src], link[rel=stylesheet], link[rel=icon]")].map((each) => each.src || each.href);
  const loaded = performance.getEntriesByType("resource").map((each) => each.name).filter((name) => name.includes("/static/"));
  ready.active.postMessage({ page: location.pathname, files: [...new Set([...files, ...loaded])] });
}

const vat = () => ({
  open: "",
  stopRecording: null,
  isAway: false,
  isSignedOut: false,
  accepted: false,
  said: "",
  delivered: [],
  delivering: Promise.resolve(),
  init() {
    this.settle();
    this.begin();
    setInterval(() => this.look(), EVERY_MS);
    window.addEventListener("online", () => this.look());
  },
  // A page that was opened without the network shows the last that was seen, and what was tapped since.
  async begin() {
    if ("serviceWorker" in navigator) stayReady().catch(() => { /* the next page tries again */ });
    const waiting = await outbox.all();
    if (!waiting.length) return;
    await this.look();
    if (!this.isAway) return;
    const kept = window.caches && (await caches.match(this.kept()));
    if (kept) this.show(await kept.text(), true);
    else this.again();
  },
  kept() { return "/kept" + location.pathname; },
  fragment() { return this.$root.querySelector(".vat-now"); },

  // ── the page ──

  // The next tap is under the fingers, and the instruction stays in sight.
  settle() {
    trueSizes();
    // Until here nothing would open: a tap that came earlier would be lost.
    this.$root.querySelectorAll("[data-panel]").forEach((button) => { button.disabled = false; });
    if (this.fragment().dataset.open) this.open = this.fragment().dataset.open;
    const asked = this.$root.querySelector("[data-asked], [aria-invalid=true]");
    const first = asked || this.$root.querySelector("[data-first]");
    if (first) first.focus({ preventScroll: !asked });
    this.$root.querySelectorAll("[data-record]").forEach((button) => { button.hidden = !mayRecord(); });
  },
  show(html, isKept = false) {
    const opened = [...this.$root.querySelectorAll("details[open]")].map((each) => each.className).filter(Boolean);
    const focus = document.activeElement.id;
    const scrolled = window.scrollY;
    replaceWith(this.$refs.live, html);
    opened.forEach((name) => {
      const again = this.$root.querySelector("details." + name.split(" ")[0]);
      if (again) again.open = true;
    });
    this.settle();
    if (focus && document.getElementById(focus)) document.getElementById(focus).focus({ preventScroll: true });
    window.scrollTo(0, scrolled);
    document.dispatchEvent(new CustomEvent("vat-anew"));
    if (!isKept && window.caches) caches.open(PAGES).then((pages) => pages.put(this.kept(), new Response(html)));
    this.again();
  },
  // What others told meanwhile: asked for by what the page knows, and nothing comes when nothing did.
  async look() {
    if (document.visibilityState !== "visible" || typing() || this.stopRecording) return;
    if (await this.deliver()) return;
    const seen = this.fragment().dataset.version;
    try {
      const answer = await fetch(this.$root.dataset.nowUrl + "?v=" + seen, { signal: AbortSignal.timeout(PATIENCE_MS) });
      if (answer.status >= 500) throw new Error("no answer");
      this.isSignedOut = answer.redirected;
      if (this.isSignedOut) return this.heard(false);
      if (this.isAway) this.heard(true);
      if (answer.status === 200 && !typing() && seen === this.fragment().dataset.version) this.show(await answer.text());
    } catch { this.heard(false); }
  },
  // Whether the server answered.
  heard(isThere) {
    this.isAway = !isThere;
    this.sign();
  },

  // ── a tap ──

  async send(event) {
    const form = event.target;
    if (!form.hasAttribute("data-tell")) return;
    event.preventDefault();
    const body = new FormData(form);
    if (form.elements.namedItem("file")) body.set("file", await smaller(body.get("file")));
    if (event.submitter && event.submitter.name) body.append(event.submitter.name, event.submitter.value);
    await this.tell(form.action, body, form, event.submitter ? event.submitter.textContent.trim() : "");
  },
  async tell(address, body, form, words) {
    const at = moment(), before = await outbox.all(), { person, name } = this.$root.dataset;
    body.append("happened", at);
    body.append("counter", String(count()));
    const tap = tapOf({ address, fields: [...body.entries()], words, make: this.fragment().dataset.make, person, name });
    // What waits goes first: a tap told now is told behind it.
    if (before.length) return this.wait(tap, form);
    body.append("sent", at); // told at once: what it takes to look into the outbox is no time of the tap
    let answer = null;
    try {
      answer = await fetch(address, { method: "POST", headers: { "X-Fragment": "1" }, body: body, signal: AbortSignal.timeout(PATIENCE_MS) });
      if (answer.redirected || answer.status >= 500) throw new Error("no answer");
      const html = await answer.text();
      if (answer.ok || answer.status === 422) {
        if (answer.ok) this.open = "";
        this.show(html);
        if (answer.status === 422) window.scrollTo(0, 0);
        return;
      }
    } catch {
      this.isSignedOut = Boolean(answer && answer.redirected);
      return this.wait(tap, form);
    }
    if (form) HTMLFormElement.prototype.submit.call(form); // the whole page says what is wrong
  },

  // ── while the network is away ──

  async wait(tap, form) {
    const kept = { ...tap, ...odd(this.fragment(), tap) };
    await outbox.put(kept);
    if (form && form.isConnected) {
      form.elements.namedItem("event").value = newId();
      form.querySelectorAll("input:not([type=hidden])").forEach((field) => { field.value = ""; });
    }
    this.isAway = true;
    this.open = "";
    if (!kept.refused) this.apply(kept);
    await this.sign();
    this.look();
  },
  apply(tap) {
    const { zone, sound } = this.$root.dataset;
    apply(this.fragment(), tap, { zone, sound });
  },
  // What waits, done again on a page that comes without it.
  async again() {
    const waiting = await outbox.all();
    waiting.filter((tap) => tap.make === this.fragment().dataset.make && !tap.refused).forEach((tap) => this.apply(tap));
    await this.sign();
  },

  // ── delivering ──

  deliver() {
    this.delivering = this.delivering.then(() => this.deliverAll()).catch((error) => {
      if (error.isSignedOut) this.isSignedOut = true;
      this.heard(false);
      return false;
    });
    return this.delivering;
  },
  // True when something was delivered, and the page came anew.
  async deliverAll() {
    const going = free(await outbox.all());
    if (!going.length || this.strangers(going)) return false;
    await deliver(this.$root.dataset.nowUrl, going, (words) => this.delivered.push(words));
    this.isAway = this.isSignedOut = false;
    const answer = await fetch(this.$root.dataset.nowUrl, { signal: AbortSignal.timeout(PATIENCE_MS) });
    if (answer.ok && !answer.redirected) this.show(await answer.text());
    return true;
  },
  // Whether somebody else tapped what waits than is signed in.
  strangers(waiting) {
    return !this.accepted && waiting.some((tap) => tap.person !== this.$root.dataset.person);
  },
  async sign() {
    const all = await outbox.all(), { zone, name } = this.$root.dataset, { isAway, isSignedOut, delivered } = this;
    const strangers = this.strangers(all.filter((tap) => !tap.refused));
    const how = { isAway, isSignedOut, delivered, strangers, isLasting: outbox.lasting, zone, name };
    // Drawn anew only when it says something else: somebody may be writing a word into it.
    const key = JSON.stringify([all.map((tap) => [tap.event, tap.refused, tap.behind]), how]);
    if (key === this.said) return;
    this.said = key;
    sign(this.$refs.waiting, all, how, {
      keep: async (tap, word) => {
        const kept = withWord(tap, word);
        await outbox.put(kept);
        if (this.isAway) this.apply(kept); // asked here, and not by a server that shows the page anew
        await this.look();
      },
      letGo: async (tap) => { await outbox.remove(tap.event); await this.sign(); },
      accept: async () => { this.accepted = true; await this.look(); },
      understood: () => { this.delivered = []; this.sign(); },
    });
  },

  // ── panels, the true size, a spoken note ──

  pick(event) {
    const button = event.target.closest("[data-panel], [data-minutes], [data-card], [data-record]");
    if (!button) return;
    const { panel, minutes, card } = button.dataset;
    if (panel) this.turn(panel);
    else if (minutes) {
      const form = button.closest("form");
      form.elements.namedItem("minutes").value = minutes;
      form.requestSubmit();
    } else if (card) {
      if (Number(card) === 0) this.open = "";
      fitCard(Number(card));
    } else this.speak(button);
  },
  turn(panel) {
    this.open = this.open === panel ? "" : panel;
    this.$nextTick(() => {
      const field = this.open && document.querySelector("#" + panel + " input:not([type=hidden])");
      if (field) field.focus();
    });
  },
  async speak(button) {
    if (this.stopRecording) return this.stopRecording();
    const form = button.closest("form");
    try {
      this.stopRecording = await record((note) => {
        const body = new FormData(form);
        body.set("file", note, "note");
        this.stopRecording = null;
        this.tell(form.action, body, null, "A spoken note");
      });
      button.textContent = "Stop, and keep it";
    } catch {
      button.textContent = "This device gives no microphone";
    }
  },
});

document.addEventListener("alpine:init", () => window.Alpine.data("vat", vat));
