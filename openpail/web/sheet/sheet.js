import { replaceWith } from "/static/js/fragments.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("sheet", function () {
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
