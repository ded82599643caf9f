// The page's own behaviour. It asks the server and draws; it knows no rule of the craft.
(function () {
  "use strict";

  const places = { t: "/", m: "/milk", s: "/sheet", v: "/vat", c: "/cave", a: "/table" };

  function typing(target) {
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

  function tick() {
    const now = Date.now() + offset;
    document.querySelectorAll("[data-until]").forEach(function (node) {
      const minutes = (Date.parse(node.dataset.until) - now) / 60000;
      const whole = Math.round(Math.abs(minutes));
      if (node.hasAttribute("data-bare")) {
        node.textContent = String(whole);
        const unit = node.parentElement.querySelector("[data-until-unit]");
        if (unit) unit.textContent = minutes < 0 ? "min over" : "min";
        if (minutes <= 0 && !document.title.startsWith("● ")) document.title = "● " + document.title;
      } else {
        const words = whole < 90 ? whole + " min" : Math.floor(whole / 60) + " h " + String(whole % 60).padStart(2, "0");
        node.classList.toggle("is-over", minutes < 0);
        node.textContent = minutes < 0 ? words + " over" : "in " + words;
      }
    });
  }
  document.addEventListener("DOMContentLoaded", tick);
  setInterval(tick, 5000);

  document.addEventListener("alpine:init", function () {
    const Alpine = window.Alpine;

    Alpine.data("keys", function () {
      return {
        going: false,
        press(event) {
          if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
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

    Alpine.data("printer", function () {
      return { go() { window.print(); } };
    });

    Alpine.data("sheet", function () {
      return {
        shown: "",
        open: false,
        waiting: 0,
        init() {
          const rows = this.rows();
          this.shown = rows.includes("rennet") ? "rennet" : rows[0] || "";
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
        },
        close() {
          this.open = false;
        },
        submit() {
          this.$refs.choices.requestSubmit();
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

    Alpine.data("vat", function () {
      return {
        isReading: false,
        init() {
          this.isReading = this.$root.dataset.open === "reading";
        },
        reading() {
          this.isReading = !this.isReading;
          this.$nextTick(() => {
            if (this.isReading) document.getElementById("celsius").focus();
          });
        },
      };
    });
  });

  function replaceWith(node, html) {
    const parsed = new DOMParser().parseFromString(html, "text/html");
    node.replaceChildren(...parsed.body.childNodes);
  }
})();
