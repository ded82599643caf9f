import { settle } from "/static/js/roving.js";

// A word hides what does not go by it, and the groups that are left empty.
export const finding = () => ({
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
