import { finding } from "/static/js/finding.js";

document.addEventListener("alpine:init", () => {
  // Ticking milk sorts the recipes anew.
  window.Alpine.data("choosing", function () {
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
});
