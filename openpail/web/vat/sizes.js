// What is drawn at true scale: a cube of so many mm, and the card that it was tried with.
const CARD = "openpail.px-per-mm", CARD_MM = 85.6, CSS_PX_PER_MM = 96 / 25.4;

const pxPerMm = () => Number(localStorage.getItem(CARD)) || CSS_PX_PER_MM;

export function trueSizes() {
  document.querySelectorAll("[data-mm]").forEach((node) => {
    const side = Number(node.dataset.mm) * pxPerMm();
    const cubes = node.querySelector("svg"), box = cubes.viewBox.baseVal;
    cubes.setAttribute("height", String(side));
    cubes.setAttribute("width", String(side * box.width / box.height));
  });
  document.querySelectorAll("svg.card").forEach((card) => {
    const wide = CARD_MM * pxPerMm();
    card.setAttribute("width", String(wide));
    card.setAttribute("height", String(wide * card.viewBox.baseVal.height / card.viewBox.baseVal.width));
  });
}

// Somebody held a card to the screen and says: larger, smaller.
export function fitCard(percent) {
  localStorage.setItem(CARD, String(pxPerMm() * (1 + percent / 100)));
  trueSizes();
}
