// The vat while the network is away: what was tapped is done on the page that is there, with the steps and
// the table that the server sent along. Nothing is worked out here.
import { hour } from "/static/js/clock.js";
import { newId } from "/static/vat/outbox.js";
import { cutBy, hasWord } from "/static/vat/taps.js";

const EMPTIED = ".drawn, .extra", GONE = ".then, .set-out";

function rowOf(fragment, flocks) {
  const ahead = fragment.querySelector(".ahead"), set = ahead.querySelector("template[data-cut-by]");
  return set && cutBy(JSON.parse(set.dataset.cutBy), Date.parse(ahead.dataset.rennet), flocks);
}

// Flocks that the server would ask about are asked about here, by the row of its own table.
export function odd(fragment, tap) {
  if (tap.deed !== "flocks" || !fragment.dataset.flocks || hasWord(tap)) return {};
  const row = rowOf(fragment, Date.parse(tap.happened));
  return row && row[2] ? { refused: row[2], field: "word" } : {};
}

// One tap, done on the page. Parameters: fragment, the vat's; tap; dairy, its zone and its sound.
export function apply(fragment, tap, dairy) {
  const at = Date.parse(tap.happened), now = fragment.dataset;
  if (tap.deed === "timer" && Number(tap.minutes) > 0) clock(fragment, tap.event, at + Number(tap.minutes) * 60000, tap.words, dairy);
  const ends = ((tap.deed === "step_done" || tap.deed === "step_skipped") && tap.step === now.step)
    || (tap.deed === "flocks" && now.flocks) || (tap.deed === "set_looked" && tap.look === "clean" && now.sets);
  if (!ends) return;
  const ahead = fragment.querySelector(".ahead");
  if (now.givesRennet) ahead.dataset.rennet = tap.happened;
  const row = tap.deed === "flocks" ? rowOf(fragment, at) : null;
  advance(fragment, at, row && Date.parse(ahead.dataset.rennet) + row[1] * 60000, dairy);
}

// The next step, from what came with the last state; it ends when the server's table says, else after its
// own minutes.
function advance(fragment, at, cut, dairy) {
  const next = fragment.querySelector(".ahead template"), stage = fragment.querySelector(".stage");
  if (!next || !stage) {
    if (stage) stage.querySelectorAll(".hands .buttons form").forEach((each) => each.remove());
    return;
  }
  dress(fragment, stage, next.content.cloneNode(true));
  const { step, minutes, cutBy: rows, runs, givesRennet } = next.dataset;
  const ends = rows && cut ? Math.max(at, cut) : at + Number(minutes) * 60000;
  const ending = fragment.querySelector("[data-till]"), isRunning = runs !== undefined;
  if (ending) till(ending, at, isRunning ? ends : null, dairy.zone);
  Object.assign(fragment.dataset, { step: step, flocks: "", sets: rows ? "y" : "", givesRennet: givesRennet === undefined ? "" : "y" });
  if (fragment.querySelector(".hands [name=deed][value=flocks]")) fragment.dataset.flocks = "y";
  const big = stage.querySelector(".big b[data-length]");
  if (big && isRunning) Object.assign(big.dataset, { until: new Date(ends).toISOString(), bare: "" });
  if (isRunning) clock(fragment, fragment.dataset.make + ":" + step + ":away", ends, next.dataset.voice, dairy);
  next.remove();
  const done = fragment.querySelector("#done-button, .hands .go");
  if (done) done.focus({ preventScroll: true });
}

// Since when, and till when: a moment by its name, as the server's pages have it.
function till(line, at, ends, zone) {
  line.textContent = "since " + hour(at, zone);
  if (ends === null) return;
  const moment = document.createElement("time");
  moment.dataset.of = line.dataset.endsOf;
  Object.assign(moment, { dateTime: new Date(ends).toISOString().slice(0, 16) + "Z", textContent: hour(ends, zone) });
  line.append(", till ", moment);
}

// The words and the buttons of the next step in the place of the last; what was of the last alone goes.
function dress(fragment, stage, parts) {
  const buttons = parts.querySelector(".buttons"), reading = stage.querySelector("#reading-button");
  buttons.querySelectorAll("[name=event]").forEach((field) => { field.value = newId(); });
  if (reading) buttons.prepend(reading);
  stage.querySelector(".lead").replaceWith(parts.querySelector(".lead"));
  stage.querySelector(".hands .buttons").replaceWith(buttons);
  stage.querySelector(".more").replaceWith(parts.querySelector(".more"));
  stage.querySelectorAll(".lesser form").forEach((form) => { if (form.elements.namedItem("deed").value !== "away") form.remove(); });
  stage.querySelectorAll(EMPTIED).forEach((each) => each.replaceChildren());
  fragment.querySelectorAll(GONE).forEach((each) => each.remove());
  fragment.querySelectorAll(".clock-tile.is-here").forEach((tile) => { if (tile.hidden) tile.remove(); });
  const number = fragment.querySelector("[data-number]");
  if (number) number.textContent = String(Number(number.textContent) + 1);
}

// A clock on the wall of the page, which the alarm reads.
function clock(fragment, key, ends, words, dairy) {
  let wall = fragment.querySelector(".clock-wall");
  if (!wall) {
    wall = Object.assign(document.createElement("ul"), { className: "clock-wall" });
    fragment.querySelector(".under-stage").before(wall);
  }
  const tile = document.createElement("li"), left = document.createElement("b"), said = document.createElement("span");
  tile.className = "clock-tile";
  Object.assign(tile.dataset, { alarm: key, ends: new Date(ends).toISOString(), sound: dairy.sound, voice: words });
  left.className = "left";
  left.dataset.left = tile.dataset.ends;
  said.textContent = words + " · " + hour(ends, dairy.zone);
  tile.append(left, said);
  wall.append(tile);
  document.dispatchEvent(new CustomEvent("vat-anew"));
}
