// The vat: a tap is told with the moment of the tap itself, and the page comes anew in its place.
// Where that cannot be, the form is sent as any form, and the moment is when it arrives.
(function () {
  "use strict";

  const COUNTED = "open-pail-counter", CARD = "openpail.px-per-mm", EVERY_MS = 4000;
  const CARD_MM = 85.6, LARGE_BYTES = 1500000, WIDEST_PX = 2000;
  const PATIENCE_MS = 8000, PAGES = "open-pail-pages";
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
        isAway: false,
        signedOut: false,
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
          if ("serviceWorker" in navigator) this.stayReady().catch(() => { /* the next page tries again */ });
          const waiting = await window.Outbox.all();
          if (!waiting.length) return;
          await this.look();
          if (!this.isAway) return;
          const kept = window.caches && (await caches.match(this.kept()));
          if (kept) this.show(await kept.text(), true);
          else this.again();
        },
        async stayReady() {
          const ready = await navigator.serviceWorker.register("/sw.js").then(() => navigator.serviceWorker.ready);
          const files = [...document.querySelectorAll("script[src], link[rel=stylesheet], link[rel=icon]")].map((each) => each.src || each.href);
          const loaded = performance.getEntriesByType("resource").map((each) => each.name).filter((name) => name.includes("/static/"));
          ready.active.postMessage({ page: location.pathname, files: [...new Set([...files, ...loaded])] });
        },
        kept() { return "/kept" + location.pathname; },
        fragment() { return this.$root.querySelector(".vat-now"); },
        // The next tap is under the fingers, and the instruction stays in sight.
        settle() {
          trueSizes();
          // Until here nothing would open: a tap that came earlier would be lost.
          this.$root.querySelectorAll("[data-panel]").forEach((button) => { button.disabled = false; });
          if (this.fragment().dataset.open) this.open = this.fragment().dataset.open;
          const asked = this.$root.querySelector("[data-asked], [aria-invalid=true]");
          const first = asked || this.$root.querySelector("[data-first]");
          if (first) first.focus({ preventScroll: !asked });
          this.$root.querySelectorAll("[data-record]").forEach((button) => {
            button.hidden = !(window.MediaRecorder && navigator.mediaDevices);
          });
        },
        show(html, isKept = false) {
          const opened = [...this.$root.querySelectorAll("details[open]")].map((each) => each.className);
          const focus = document.activeElement.id;
          const scrolled = window.scrollY;
          this.$refs.live.replaceChildren(...new DOMParser().parseFromString(html, "text/html").body.childNodes);
          opened.filter(Boolean).forEach((name) => {
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
          if (document.visibilityState !== "visible" || typing() || this.recorder) return;
          if (await this.deliver()) return;
          const seen = this.fragment().dataset.version;
          try {
            const answer = await fetch(this.$root.dataset.nowUrl + "?v=" + seen, { signal: AbortSignal.timeout(PATIENCE_MS) });
            if (answer.status >= 500) throw new Error("no answer");
            this.signedOut = answer.redirected;
            if (this.signedOut) return this.lost();
            if (this.isAway) this.heard();
            if (answer.status === 200 && !typing() && seen === this.fragment().dataset.version) this.show(await answer.text());
          } catch { this.lost(); }
        },
        lost() {
          this.isAway = true;
          this.sign();
        },
        heard() {
          this.isAway = false;
          this.sign();
        },
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
          const at = moment(), before = await window.Outbox.all();
          body.append("happened", at);
          body.append("counter", String(count()));
          const tap = this.tapOf(address, body, words);
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
            this.signedOut = Boolean(answer && answer.redirected);
            return this.wait(tap, form);
          }
          if (form) HTMLFormElement.prototype.submit.call(form); // the whole page says what is wrong
        },
        // ── while the network is away ──
        tapOf(address, body, words) {
          const fields = [...body.entries()].filter(([name]) => name !== "csrf_token" && name !== "once" && name !== "sent");
          const of = (name) => { const found = fields.find(([each]) => each === name); return found ? found[1] : ""; };
          const said = words || of("words") || (of("deed") === "timer" ? "Timer" : "");
          return {
            event: of("event"), make: this.fragment().dataset.make, address: address, fields: fields, words: said,
            deed: of("deed"), step: of("step"), look: of("look"), minutes: of("minutes"), happened: of("happened"),
            counter: Number(of("counter")), person: this.$root.dataset.person, name: this.$root.dataset.name, refused: "",
          };
        },
        async wait(tap, form) {
          tap = { ...tap, ...this.odd(tap) };
          await window.Outbox.put(tap);
          if (form && form.isConnected) {
            form.elements.namedItem("event").value = window.Outbox.newId();
            form.querySelectorAll("input:not([type=hidden])").forEach((field) => { field.value = ""; });
          }
          this.isAway = true;
          this.open = "";
          if (!tap.refused) this.apply(tap);
          await this.sign();
          this.look();
        },
        // Flocks that the server would ask about are asked about here, by the row of its own table.
        odd(tap) {
          if (tap.deed !== "flocks" || !this.fragment().dataset.flocks || tap.fields.some(([name, value]) => name === "word" && value)) return {};
          const row = this.rowOf(Date.parse(tap.happened));
          return row && row[2] ? { refused: row[2], field: "word" } : {};
        },
        // When the set is cut, by when the flocks are seen: minutes after the rennet, as the server made them.
        rowOf(flocks) {
          const ahead = this.fragment().querySelector(".ahead"), set = ahead.querySelector("template[data-cut-by]");
          const minutes = (flocks - Date.parse(ahead.dataset.rennet)) / 60000;
          if (!set || !(minutes > 0)) return null;
          const rows = JSON.parse(set.dataset.cutBy);
          return rows.reduce((near, row) => (Math.abs(row[0] - minutes) < Math.abs(near[0] - minutes) ? row : near), rows[0]);
        },
        // What waits, done again on a page that comes without it.
        async again() {
          const waiting = await window.Outbox.all();
          waiting.filter((tap) => tap.make === this.fragment().dataset.make && !tap.refused).forEach((tap) => this.apply(tap));
          await this.sign();
        },
        apply(tap) {
          const now = this.fragment(), at = Date.parse(tap.happened);
          if (tap.deed === "timer" && Number(tap.minutes) > 0) this.clock(tap.event, at + Number(tap.minutes) * 60000, tap.words);
          const mine = tap.step === now.dataset.step;
          const ends = ((tap.deed === "step_done" || tap.deed === "step_skipped") && mine)
            || (tap.deed === "flocks" && now.dataset.flocks) || (tap.deed === "set_looked" && tap.look === "clean" && now.dataset.sets);
          if (!ends) return;
          const ahead = now.querySelector(".ahead");
          if (now.dataset.givesRennet) ahead.dataset.rennet = tap.happened;
          const row = tap.deed === "flocks" ? this.rowOf(at) : null;
          this.advance(ahead, at, row && Date.parse(ahead.dataset.rennet) + row[1] * 60000);
        },
        // The next step, from what came with the last state; it ends when the server's table says, else
        // after its own minutes.
        advance(ahead, at, cut = null) {
          const now = this.fragment(), next = ahead.querySelector("template"), stage = now.querySelector(".stage");
          if (!next || !stage) {
            if (stage) stage.querySelectorAll(".hands .buttons form").forEach((each) => each.remove());
            return;
          }
          const parts = next.content.cloneNode(true);
          stage.querySelector(".lead").replaceWith(parts.querySelector(".lead"));
          const buttons = parts.querySelector(".buttons"), reading = stage.querySelector("#reading-button");
          buttons.querySelectorAll("[name=event]").forEach((field) => { field.value = window.Outbox.newId(); });
          if (reading) buttons.prepend(reading);
          stage.querySelector(".hands .buttons").replaceWith(buttons);
          stage.querySelectorAll(".lesser form").forEach((form) => { if (form.elements.namedItem("deed").value !== "away") form.remove(); });
          stage.querySelectorAll(".drawn, .extra").forEach((each) => each.replaceChildren());
          stage.querySelector(".more").replaceWith(parts.querySelector(".more"));
          now.querySelectorAll(".then, .set-out").forEach((each) => each.remove());
          const number = now.querySelector("[data-number]");
          if (number) number.textContent = String(Number(number.textContent) + 1);
          const { step, minutes, cutBy, runs, givesRennet } = next.dataset;
          const ends = cutBy && cut ? Math.max(at, cut) : at + Number(minutes) * 60000;
          const ending = now.querySelector("[data-till]");
          if (ending) ending.textContent = "since " + this.hour(at) + (runs === undefined ? "" : ", till " + this.hour(ends));
          Object.assign(now.dataset, { step: step, flocks: "", sets: cutBy ? "y" : "", givesRennet: givesRennet === undefined ? "" : "y" });
          if (now.querySelector(".hands [name=deed][value=flocks]")) now.dataset.flocks = "y";
          now.querySelectorAll(".clock-tile.is-here").forEach((tile) => { if (tile.hidden) tile.remove(); });
          const big = stage.querySelector(".big b[data-length]");
          if (big && runs !== undefined) Object.assign(big.dataset, { until: new Date(ends).toISOString(), bare: "" });
          if (runs !== undefined) this.clock(now.dataset.make + ":" + step + ":away", ends, next.dataset.voice);
          next.remove();
          const done = now.querySelector("#done-button, .hands .go");
          if (done) done.focus({ preventScroll: true });
        },
        hour(at) {
          return new Date(at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hourCycle: "h23", timeZone: this.$root.dataset.zone });
        },
        clock(key, ends, words) {
          const now = this.fragment();
          let wall = now.querySelector(".clock-wall");
          if (!wall) {
            wall = Object.assign(document.createElement("ul"), { className: "clock-wall" });
            now.querySelector(".under-stage").before(wall);
          }
          const tile = document.createElement("li"), left = document.createElement("b"), said = document.createElement("span");
          tile.className = "clock-tile";
          Object.assign(tile.dataset, { alarm: key, ends: new Date(ends).toISOString(), sound: this.$root.dataset.sound, voice: words });
          left.className = "left";
          left.dataset.left = tile.dataset.ends;
          said.textContent = words + " · " + this.hour(ends);
          tile.append(left, said);
          wall.append(tile);
          document.dispatchEvent(new CustomEvent("vat-anew"));
        },
        // ── delivering ──
        deliver() {
          this.delivering = this.delivering.then(() => this.deliverAll()).catch(() => { this.lost(); return false; });
          return this.delivering;
        },
        // True when something was delivered, and the page came anew.
        async deliverAll() {
          const waiting = this.free(await window.Outbox.all());
          if (!waiting.length || this.strangers(waiting)) return false;
          let told = 0;
          for (const make of new Set(waiting.map((tap) => tap.make))) {
            const mine = waiting.filter((tap) => tap.make === make);
            const plain = mine.filter((tap) => tap.deed);
            if (plain.length) told += await this.batch(make, plain);
            for (const tap of mine.filter((each) => !each.deed)) told += await this.one(tap);
          }
          if (!told) return false;
          this.isAway = false;
          const answer = await fetch(this.$root.dataset.nowUrl, { signal: AbortSignal.timeout(PATIENCE_MS) });
          if (answer.ok && !answer.redirected) this.show(await answer.text());
          return true;
        },
        free(all) {
          const held = new Set(all.filter((tap) => tap.refused).map((tap) => tap.event));
          return all.filter((tap) => !tap.refused && !held.has(tap.behind));
        },
        strangers(waiting) {
          return !this.accepted && waiting.some((tap) => tap.person !== this.$root.dataset.person);
        },
        token() { return document.querySelector("[name=csrf_token]").value; },
        async post(address, body, headers) {
          const answer = await fetch(address, { method: "POST", headers: { "X-CSRFToken": this.token(), ...headers }, body: body, signal: AbortSignal.timeout(3 * PATIENCE_MS) });
          this.signedOut = answer.redirected;
          if (answer.status === 400) await this.seal();
          if (answer.redirected || answer.status >= 500 || answer.status === 400) throw new Error("not delivered");
          return answer;
        },
        // The forms of a page that was kept are sealed for whoever was signed in then.
        async seal() {
          const answer = await fetch(this.$root.dataset.nowUrl, { signal: AbortSignal.timeout(PATIENCE_MS) });
          if (!answer.ok || answer.redirected) return;
          const found = new DOMParser().parseFromString(await answer.text(), "text/html").querySelector("[name=csrf_token]");
          if (found) document.querySelectorAll("[name=csrf_token]").forEach((field) => { field.value = found.value; });
        },
        async batch(make, taps) {
          const sent = taps.map((tap) => Object.fromEntries([...tap.fields].reverse()));
          const body = JSON.stringify({ sent: moment(), device: window.Outbox.device(), taps: sent });
          const answer = await this.post("/makes/" + make + "/taps", body, { "Content-Type": "application/json" });
          if (!answer.ok) return this.refuse(taps, "This was not taken: " + (answer.status === 403 ? "your role may not tell it." : "the make is not here."));
          const { answers } = await answer.json();
          // What comes behind a tap that is asked for a word waits for that word, and is told again then.
          const asked = answers.findIndex((each) => each.outcome === "refused" && each.field === "word");
          for (const [number, each] of answers.entries()) {
            const tap = taps[number], isNot = each.outcome === "refused" || each.outcome === "unknown";
            if (isNot && asked >= 0 && number > asked) await window.Outbox.put({ ...tap, behind: taps[asked].event });
            else if (isNot) await window.Outbox.put({ ...tap, refused: each.words, field: each.field });
            else await window.Outbox.remove(tap.event);
            if (each.words && each.outcome === "met") this.delivered.push(each.words);
          }
          return answers.length;
        },
        async one(tap) {
          const body = new FormData();
          tap.fields.forEach(([name, value]) => body.append(name, value, value instanceof Blob ? "file" : undefined));
          body.append("sent", moment());
          const answer = await this.post(tap.address, body, { "X-Fragment": "1" });
          if (!answer.ok) return this.refuse([tap], "This file was not taken.");
          await window.Outbox.remove(tap.event);
          return 1;
        },
        async refuse(taps, words) {
          for (const tap of taps) await window.Outbox.put({ ...tap, refused: words, field: "" });
          return taps.length;
        },
        // ── the sign of what waits ──
        async sign() {
          const all = await window.Outbox.all(), root = this.$refs.waiting;
          const waiting = all.filter((tap) => !tap.refused), refused = all.filter((tap) => tap.refused);
          // Drawn anew only when it says something else: somebody may be writing a word into it.
          const key = JSON.stringify([all.map((tap) => [tap.event, tap.refused, tap.behind]), this.isAway, this.signedOut, this.accepted, this.delivered]);
          if (key === this.said) return;
          this.said = key;
          root.hidden = !all.length && !this.isAway && !this.delivered.length;
          root.replaceChildren();
          const say = (words, kind) => {
            const line = Object.assign(document.createElement(kind || "p"), { textContent: words });
            root.append(line);
            return line;
          };
          if (waiting.length) {
            const every = say("", "details");
            every.append(Object.assign(document.createElement("summary"), { textContent: waiting.length + (waiting.length === 1 ? " tap waits" : " taps wait") + (this.free(all).length ? " for the network, kept on this device" : " behind the one below") }));
            every.append(waiting.map((tap) => (tap.words || "a file") + " " + this.hour(Date.parse(tap.happened))).join(", "));
          } else if (this.isAway) say("No network. Go on: what you tap is kept on this device and delivered when it is back.");
          if ((this.isAway || waiting.length) && !("serviceWorker" in navigator)) say("Leave this page open: at this address your device cannot open it again without the network.");
          if (!window.Outbox.lasting) say("This browser keeps nothing beyond the page: do not close it.");
          if (this.signedOut) this.link(say(""), "Sign in, and they are delivered", "/sign-in?next=" + encodeURIComponent(location.pathname));
          if (waiting.length && !this.signedOut && this.strangers(waiting)) {
            this.button(say(waiting[0].name + " tapped this, and " + this.$root.dataset.name + " is signed in. "), "Deliver it as " + this.$root.dataset.name, async () => { this.accepted = true; await this.look(); });
          }
          refused.forEach((tap) => this.mend(say(""), tap));
          this.delivered.forEach((words) => say(words));
          if (this.delivered.length) this.button(say(""), "Understood", () => { this.delivered = []; this.sign(); });
        },
        mend(line, tap) {
          line.textContent = (tap.words || "A file") + " at " + this.hour(Date.parse(tap.happened)) + " was not taken: " + tap.refused + " ";
          if (tap.field === "word") {
            const field = Object.assign(document.createElement("input"), { className: "form-control", maxLength: 300 });
            field.setAttribute("aria-label", "If it is so, a word: why");
            line.append(field);
            this.button(line, "Keep it with this word", async () => {
              const kept = { ...tap, refused: "", fields: [["word", field.value], ...tap.fields.filter(([name]) => name !== "word")] };
              await window.Outbox.put(kept);
              if (this.isAway) this.apply(kept); // asked here, and not by a server that shows the page anew
              await this.look();
            });
          }
          this.button(line, "Let it go", async () => {
            await window.Outbox.remove(tap.event);
            await this.sign();
          });
        },
        button(line, words, work) {
          const button = Object.assign(document.createElement("button"), { type: "button", className: "small-tap", textContent: words });
          button.addEventListener("click", work);
          line.append(button);
        },
        link(line, words, address) {
          line.append(Object.assign(document.createElement("a"), { className: "small-tap", textContent: words, href: address }));
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
              this.tell(form.action, body, null, "A spoken note");
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
