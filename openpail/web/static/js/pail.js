// The page's own behaviour. It asks the server and draws; it knows no rule of the craft.
(function () {
  "use strict";

  const places = { t: "/", m: "/milk", b: "/bench", s: "/sheet", v: "/vat", p: "/press", c: "/cave", a: "/table", o: "/stock", d: "/days", w: "/which" };

  // Whoever signed out leaves no page of the dairy behind; what waits to be delivered stays.
  if (location.pathname === "/sign-in" && window.caches) caches.delete("open-pail-pages");

  function takesTyping(target) {
    return target.closest("input, textarea, select, [contenteditable]") !== null;
  }

  function press(id) {
    const button = document.getElementById(id);
    if (button) button.click();
  }

  // Countdowns: the server says when; the page only subtracts the clock. A stopped server clock
  // (pictures, tests) is carried over as an offset.
  const stamp = document.documentElement.dataset.now;
  const offset = stamp ? Date.parse(stamp) - Date.now() : 0;

  // From here on minutes say nothing, and from three days on hours (as ui/show.py tells lengths).
  const LONG_MIN = 90, DAYS_MIN = 4320;

  function long(minutes) {
    if (minutes >= DAYS_MIN) return Math.floor(minutes / 1440 + 0.5) + " days";
    return Math.floor(minutes / 60) + " h " + String(minutes % 60).padStart(2, "0");
  }

  function tick() {
    const now = Date.now() + offset;
    document.querySelectorAll("[data-until]").forEach(function (node) {
      const minutes = (Date.parse(node.dataset.until) - now) / 60000;
      const whole = Math.round(Math.abs(minutes));
      if (node.hasAttribute("data-bare")) {
        node.textContent = whole < LONG_MIN ? String(whole) : long(whole);
        const unit = node.parentElement.querySelector("[data-until-unit]");
        if (unit) unit.textContent = [whole < LONG_MIN ? "min" : "", minutes < 0 ? "over" : ""].join(" ").trim();
        if (minutes <= 0 && !document.title.startsWith("● ")) document.title = "● " + document.title;
      } else {
        const words = whole < LONG_MIN ? whole + " min" : long(whole);
        node.classList.toggle("is-over", minutes < 0);
        node.textContent = minutes < 0 ? words + " over" : "in " + words;
      }
    });
  }

  // A ribbon wider than the screen opens at now.
  function toNow() {
    document.querySelectorAll(".ribbon[data-now]").forEach(function (node) {
      const wide = node.scrollWidth;
      if (wide > node.clientWidth) node.scrollLeft = (wide * Number(node.dataset.now)) / 1160 - node.clientWidth / 3;
    });
  }

  // A long list is one stop of the Tab key; the arrows go from one to the next in it.
  function settle(list) {
    const items = [...list.querySelectorAll("a[href]")].filter((item) => !item.closest("[hidden]"));
    const first = items.find((item) => item.tabIndex === 0) || items[0];
    items.forEach((item) => { item.tabIndex = item === first ? 0 : -1; });
    return items;
  }

  function rove() {
    document.querySelectorAll("[data-roving]").forEach(function (list) {
      if (!settle(list).length) return;
      list.addEventListener("keydown", function (event) {
        const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
        const items = settle(list), at = items.indexOf(document.activeElement);
        if (!step || at < 0) return;
        event.preventDefault();
        const next = items[(at + step + items.length) % items.length];
        items[at].tabIndex = -1;
        next.tabIndex = 0;
        next.focus();
      });
    });
  }

  // The age clock of a pail: hours since milking; when its verdict is due to turn, it says so.
  function age() {
    const now = Date.now() + offset;
    document.querySelectorAll("[data-since]").forEach(function (node) {
      const hours = (now - Date.parse(node.dataset.since)) / 3600000;
      node.textContent = hours < 72 ? Math.round(hours) + " h" : Math.round(hours / 24) + " days";
    });
    document.querySelectorAll("[data-turns]").forEach(function (node) {
      if (Date.parse(node.dataset.turns) < now) node.textContent = "its time is up: load the page again";
    });
  }
  // What the server could not keep stays on this device until it is sent again or thrown away.
  const UNSENT = "openpail.unsent";

  function formOf(kept) {
    const form = document.createElement("form");
    form.method = "post";
    form.action = kept.action;
    const token = document.querySelector("input[name=csrf_token]");
    [["csrf_token", token ? token.value : ""]].concat(kept.fields).forEach(function (pair) {
      const field = document.createElement("input");
      field.type = "hidden";
      field.name = pair[0];
      field.value = pair[1];
      form.append(field);
    });
    document.body.append(form);
    return form;
  }

  function buttonOf(words, kind, act) {
    const made = document.createElement("button");
    made.type = "button";
    made.className = "btn " + kind;
    made.textContent = words;
    made.addEventListener("click", act);
    return made;
  }

  function unsent() {
    const here = document.querySelector("form[data-unsent]");
    if (here) {
      const fields = Array.from(new FormData(here)).filter(function (pair) { return pair[0] !== "csrf_token"; });
      localStorage.setItem(UNSENT, JSON.stringify({ action: here.getAttribute("action"), fields: fields, at: Date.now() }));
    }
    const kept = JSON.parse(localStorage.getItem(UNSENT) || "null");
    if (!kept || !document.querySelector("input[name=csrf_token]")) return;
    const bar = document.createElement("div");
    const words = document.createElement("p");
    const at = new Date(kept.at).toTimeString().slice(0, 5);
    words.textContent = "What you sent at " + at + " was not kept: the database was away.";
    function done() { localStorage.removeItem(UNSENT); bar.remove(); }
    function thrown() { done(); if (here) window.location.assign("/"); }
    async function again(event) {
      event.preventDefault();
      const form = formOf(kept);
      const answer = await fetch(form.action, { method: "POST", body: new FormData(form) }).catch(function () { return { status: 503 }; });
      if (answer.status === 503) {
        words.textContent = "Still away. It is kept here; try again in a while.";
        form.remove();
        return;
      }
      done();
      // what was refused is shown by its field: sent once more, as a form is
      if (answer.redirected) window.location.assign(answer.url); else form.submit();
    }
    bar.className = "unsent";
    bar.setAttribute("role", "status");
    if (here) { // the page itself says it all, until a second try fails too
      words.textContent = "";
      here.addEventListener("submit", again);
      here.after(bar);
    } else {
      bar.classList.add("say", "is-caution");
      bar.append(buttonOf("Send it again", "btn-primary", again));
      document.getElementById("main").prepend(bar);
    }
    bar.prepend(words);
    bar.append(buttonOf("Throw it away", "btn-link", thrown));
  }

  document.addEventListener("DOMContentLoaded", function () { tick(); age(); toNow(); unsent(); rove(); });
  setInterval(age, 60000);
  setInterval(tick, 5000);

  document.addEventListener("alpine:init", function () {
    const Alpine = window.Alpine;

    Alpine.data("keys", function () {
      return {
        going: false,
        press(event) {
          if (event.ctrlKey || event.metaKey || event.altKey || takesTyping(event.target)) return;
          const key = event.key.toLowerCase();
          if (this.going && places[key]) {
            window.location.assign(places[key]);
          } else if (key === "?") {
            const list = document.getElementById("keys");
            if (list) list.showModal();
          } else if (key === "r") {
            press("reading-button");
          } else if (key === "d") {
            const done = document.getElementById("done-button");
            if (done) done.focus();
          } else if (key === "w") {
            window.dispatchEvent(new CustomEvent("next-why"));
          }
          this.going = key === "g";
        },
      };
    });

    // A stopwatch: the first touch starts it, the second stops it and fills the field.
    Alpine.data("watch", function () {
      return {
        began: 0,
        timer: 0,
        shown: "0",
        words: "Rennet is in",
        toggle() {
          if (this.timer) {
            clearInterval(this.timer);
            this.timer = 0;
            this.words = "Begin again";
            this.$refs.seconds.querySelector("input").value = this.shown;
          } else {
            this.began = Date.now();
            this.words = "First flocks";
            this.timer = setInterval(() => { this.shown = String(Math.round((Date.now() - this.began) / 1000)); }, 200);
          }
        },
      };
    });

    Alpine.data("printer", function () {
      return { go() { window.print(); } };
    });

    // A device is read in the background, so that the page never hangs and may be told to stop.
    Alpine.data("analyser", function () {
      return {
        busy: false,
        stop: null,
        send(event) {
          event.preventDefault();
          const form = event.target;
          this.stop = new AbortController();
          this.busy = true;
          fetch(form.action, { method: "POST", body: new FormData(form), signal: this.stop.signal })
            .then((answer) => answer.text())
            .then((html) => {
              const side = new DOMParser().parseFromString(html, "text/html").getElementById("new");
              document.getElementById("new").replaceWith(side);
              const said = document.getElementById("said");
              if (said) said.focus();
            })
            .catch(() => { this.busy = false; });
        },
        cancel() {
          if (this.stop) this.stop.abort();
          this.busy = false;
        },
      };
    });

    // Every change goes to the server, which answers with the form anew.
    function live() {
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
    Alpine.data("bench", live);

    // The desk: a recipe being written, one part of it shown at a time.
    Alpine.data("desk", function () {
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

    // A text as people write it, read again as it is typed: its marks lie behind the field, the make
    // that it becomes stands beside. Where the caret stands in a number, a card says what it became.
    Alpine.data("written", function () {
      return {
        failed: false,
        card: false,
        none: false,
        word: "",
        became: "",
        offers: [],
        picture: "",
        last: 0,
        timer: 0,
        // Asked from the buttons of the card too, which are gone when the answer comes.
        whole: null,
        init() {
          this.whole = this.$root;
          this.fit();
        },
        fit() {
          const field = this.$refs.text;
          field.style.height = "auto";
          field.style.height = field.scrollHeight + 4 + "px";
        },
        typed() {
          this.fit();
          this.card = false;
          this.$refs.marks.classList.add("is-old");
          clearTimeout(this.timer);
          this.timer = setTimeout(() => this.ask(), 300);
        },
        answered(event) {
          if (event.target.name.startsWith("answer-")) this.ask();
        },
        ask() {
          clearTimeout(this.timer);
          const mine = ++this.last;
          const body = new FormData(this.whole.closest("form"));
          body.delete("upload");
          this.whole.setAttribute("aria-busy", "true");
          fetch(this.whole.dataset.url, { method: "POST", body: body, headers: { "X-Fragment": "1" } })
            .then((answer) => {
              if (!answer.ok || answer.redirected) throw new Error("no answer");
              return answer.text();
            })
            .then((html) => { if (mine === this.last) this.show(html); })
            .catch(() => { this.failed = true; })
            .finally(() => { if (mine === this.last) this.whole.setAttribute("aria-busy", "false"); });
        },
        show(html) {
          const parsed = new DOMParser().parseFromString(html, "text/html");
          const focus = document.activeElement;
          const typing = focus && this.$refs.asked.contains(focus) && focus.matches("input:not([type=radio])");
          const kept = typing && focus.value;
          this.failed = false;
          this.$refs.marks.replaceChildren(...parsed.querySelector("[data-marks]").childNodes);
          this.$refs.asked.replaceChildren(...parsed.querySelector("[data-asked]").childNodes);
          this.$refs.made.replaceChildren(...parsed.querySelector("[data-made]").childNodes);
          this.$refs.marks.classList.remove("is-old");
          const again = focus && focus.id && document.getElementById(focus.id);
          if (again && again !== focus) {
            if (typing) again.value = kept;
            again.focus({ preventScroll: true });
          }
          if (document.activeElement === this.$refs.text) this.touch();
        },
        touch() {
          const field = this.$refs.text;
          const at = field.selectionStart;
          const mark = [...this.$refs.marks.querySelectorAll("[data-from]")].find(
            (each) => Number(each.dataset.from) <= at && at <= Number(each.dataset.to),
          );
          this.$refs.marks.querySelectorAll(".is-here").forEach((each) => each.classList.remove("is-here"));
          this.light(mark ? mark.dataset.step : "");
          this.card = Boolean(mark) && field.selectionEnd === at && !this.$refs.marks.classList.contains("is-old");
          if (!this.card) return;
          mark.classList.add("is-here");
          this.word = mark.textContent.trim();
          this.became = mark.dataset.became ? "became: " + mark.dataset.became : "was not used";
          this.offers = JSON.parse(mark.dataset.offers);
          this.none = this.offers.length === 0;
          const card = this.$refs.card;
          card.style.top = mark.offsetTop + mark.offsetHeight + 6 + "px";
          card.style.left = Math.max(0, Math.min(mark.offsetLeft, this.$refs.sheet.clientWidth - 330)) + "px";
        },
        light(step) {
          this.$refs.made.querySelectorAll("[data-step]").forEach((each) => {
            each.classList.toggle("is-here", Boolean(step) && each.dataset.step === step);
          });
        },
        choose(event) {
          const chosen = document.createElement("input");
          Object.assign(chosen, { type: "hidden", name: "chosen", value: event.target.value });
          this.$refs.made.append(chosen);
          this.$refs.text.focus({ preventScroll: true });
          this.ask();
        },
        // A step that is touched shows where it stands in the text.
        pick(event) {
          const row = event.target.closest("li[data-step]");
          if (!row) return;
          const mark = this.$refs.marks.querySelector('[data-step="' + row.dataset.step + '"]');
          if (!mark) return;
          const from = Number(mark.dataset.from);
          this.$refs.text.focus({ preventScroll: true });
          this.$refs.text.setSelectionRange(from, from);
          mark.scrollIntoView({ block: "nearest" });
          this.touch();
        },
        filed(event) {
          const field = event.target;
          if (field.files.length && this.take(field.files[0])) field.value = "";
        },
        dropped(event) {
          if (event.dataTransfer.files.length) return this.take(event.dataTransfer.files[0]);
          this.put(event.dataTransfer.getData("text/plain"));
        },
        // A picture is looked at, a text is read; what is too large is left to the server's words.
        take(file) {
          const reader = new FileReader();
          if (file.type.startsWith("image/")) {
            reader.addEventListener("load", () => { this.picture = reader.result; });
            reader.readAsDataURL(file);
            return true;
          }
          if (file.size > 2000000) return false;
          reader.addEventListener("load", () => { this.put(reader.result); });
          reader.readAsText(file);
          return true;
        },
        put(text) {
          if (!text) return;
          this.$refs.text.value = text;
          this.typed();
        },
        away() {
          this.picture = "";
        },
      };
    });

    // A new dairy stands where its browser does, unless it says otherwise.
    Alpine.data("zoned", function () {
      return {
        init() {
          const zone = this.$root.querySelector("#zone");
          if (!zone.value) zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone;
        },
      };
    });

    // A word hides what does not go by it, and the groups that are left empty.
    const finding = () => ({
      none: false,
      find() {
        const words = this.$refs.find.value.toLowerCase().split(/\s+/);
        const cards = [...this.$refs.found.querySelectorAll("[data-words]")];
        cards.forEach((card) => {
          card.hidden = !words.every((word) => card.dataset.words.includes(word));
        });
        this.$refs.found.querySelectorAll("[data-group]").forEach((group) => {
          group.hidden = !group.querySelector("[data-words]:not([hidden])");
        });
        this.none = cards.every((card) => card.hidden);
        if (this.$refs.found.hasAttribute("data-roving")) {
          cards.forEach((card) => { card.tabIndex = -1; });
          settle(this.$refs.found);
        }
      },
    });
    Alpine.data("finding", finding);

    // Ticking milk sorts the recipes anew.
    Alpine.data("choosing", function () {
      return Object.assign(finding(), {
        asked: 0,
        changed(event) {
          if (event.target.name !== "lot") return;
          const number = (this.asked += 1);
          const query = new URLSearchParams(new FormData(this.$root));
          fetch(`${this.$root.dataset.url}?${query}`)
            .then((answer) => (answer.ok ? answer.text() : Promise.reject(new Error(answer.status))))
            .then((html) => {
              if (number !== this.asked) return;
              // What was chosen while the answer was on its way stays chosen.
              const chosen = this.$root.querySelector("[name=recipe]:checked");
              this.$refs.found.innerHTML = html;
              const again = [...this.$root.querySelectorAll("[name=recipe]")].find((each) => chosen && each.value === chosen.value);
              if (again) again.checked = true;
              this.find();
            });
        },
      });
    });

    Alpine.data("sheet", function () {
      return {
        shown: "",
        open: false,
        waiting: 0,
        init() {
          const rows = this.rows();
          const asked = this.$refs.show.value;
          this.shown = [asked, "rennet", "acid"].find((key) => rows.includes(key)) || rows[0] || "";
          window.addEventListener("next-why", () => {
            const all = this.rows();
            this.show(all[(all.indexOf(this.shown) + 1) % all.length]);
          });
        },
        rows() {
          return Array.from(this.$root.querySelectorAll("tr[data-why]"), (row) => row.dataset.why);
        },
        pick(event) {
          const row = event.target.closest("[data-why]");
          if (row) this.show(row.dataset.why);
        },
        show(key) {
          this.shown = key;
          this.open = true;
          this.$refs.show.value = key;
        },
        close() {
          this.open = false;
        },
        submit() {
          this.$refs.choices.requestSubmit();
        },
        // Another bottle is measured in its own unit: an own amount was for the one before.
        swap(event) {
          const own = this.$refs.choices.elements.namedItem("own-" + this.shown);
          if (own) own.value = "";
          if (event.target.name === "use-" + this.shown) this.submit();
        },
        slide(event) {
          const field = event.target.closest(".slide").querySelector("input[name]");
          field.value = event.target.value;
          this.ask();
        },
        typed(event) {
          const range = event.target.closest(".slide").querySelector("input[type=range]");
          if (range) range.value = event.target.value || event.target.placeholder;
          this.ask();
        },
        own(event) {
          this.$refs.tray.open = true;
          document.getElementById(event.target.dataset.own).focus();
        },
        ask() {
          clearTimeout(this.waiting);
          this.waiting = setTimeout(() => this.fetchFigures(), 150);
        },
        async fetchFigures() {
          const query = new URLSearchParams(new FormData(this.$refs.choices));
          const answer = await fetch(this.$root.dataset.url + "?" + query, { headers: { Accept: "text/html" } });
          if (!answer.ok || answer.redirected) {
            this.$refs.figures.insertAdjacentText("afterbegin", "The dairy’s computer did not answer; the figures are the ones from before. ");
            return;
          }
          replaceWith(this.$refs.figures, await answer.text());
          window.history.replaceState(null, "", "?" + query);
        },
      };
    });
  });

  // A field that somebody is typing into: its own change will bring the page anew.
  function beingTyped() {
    const field = document.activeElement;
    return field.matches("input, textarea") && field.value !== field.defaultValue;
  }

  function replaceWith(node, html) {
    const parsed = new DOMParser().parseFromString(html, "text/html");
    node.replaceChildren(...parsed.body.childNodes);
  }
})();
