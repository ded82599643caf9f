// What a page counts down to, and how old its milk is.
import { aged, left, leftWords, now } from "/static/js/clock.js";

function bare(node, milliseconds) {
  const { figure, unit, isOver } = left(milliseconds);
  const beside = node.parentElement.querySelector("[data-until-unit]");
  node.textContent = figure;
  if (beside) beside.textContent = [unit, isOver ? "over" : ""].join(" ").trim();
  if (milliseconds <= 0 && !document.title.startsWith("● ")) document.title = "● " + document.title;
}

export function tick() {
  document.querySelectorAll("[data-until]").forEach((node) => {
    const milliseconds = Date.parse(node.dataset.until) - now();
    if (node.hasAttribute("data-bare")) return bare(node, milliseconds);
    node.classList.toggle("is-over", milliseconds < 0);
    node.textContent = leftWords(milliseconds);
  });
}

// The age clock of a pail: hours since milking; when its verdict is due to turn, it says so.
export function age() {
  document.querySelectorAll("[data-since]").forEach((node) => {
    node.textContent = aged(now() - Date.parse(node.dataset.since));
  });
  document.querySelectorAll("[data-turns]").forEach((node) => {
    if (Date.parse(node.dataset.turns) < now()) node.textContent = "its time is up: load the page again";
  });
}

// A ribbon wider than the screen opens at now.
export function toNow() {
  document.querySelectorAll(".ribbon[data-now]").forEach((node) => {
    const wide = node.scrollWidth;
    if (wide > node.clientWidth) node.scrollLeft = (wide * Number(node.dataset.now)) / 1160 - node.clientWidth / 3;
  });
}
