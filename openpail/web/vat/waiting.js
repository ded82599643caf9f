// The sign of what waits on this device: how many taps, which were not taken, and what may be done with them.
import { hour } from "/static/js/clock.js";
import { free } from "/static/vat/taps.js";

function line(root, words, kind = "p") {
  const made = Object.assign(document.createElement(kind), { textContent: words });
  root.append(made);
  return made;
}

function button(root, words, work) {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "small-tap", textContent: words });
  made.addEventListener("click", work);
  root.append(made);
}

function link(root, words, address) {
  root.append(Object.assign(document.createElement("a"), { className: "small-tap", textContent: words, href: address }));
}

function theyWait(root, all, waiting, zone) {
  const every = line(root, "", "details"), many = waiting.length === 1 ? "1 tap waits" : waiting.length + " taps wait";
  const why = free(all).length ? " for the network, kept on this device" : " behind the one below";
  line(every, many + why, "summary");
  every.append(waiting.map((tap) => (tap.words || "a file") + " " + hour(Date.parse(tap.happened), zone)).join(", "));
}

// One that was not taken: why, a word for it where that would let it in, and the way to let it go.
function mend(root, tap, zone, acts) {
  const at = hour(Date.parse(tap.happened), zone);
  const said = line(root, (tap.words || "A file") + " at " + at + " was not taken: " + tap.refused + " ");
  if (tap.field === "word") {
    const field = Object.assign(document.createElement("input"), { className: "form-control", maxLength: 300 });
    field.setAttribute("aria-label", "If it is so, a word: why");
    said.append(field);
    button(said, "Keep it with this word", () => acts.keep(tap, field.value));
  }
  button(said, "Let it go", () => acts.letGo(tap));
}

// Parameters: root, the sign's own place; all taps; how: isAway, isSignedOut, isLasting, delivered (words),
// strangers (whether somebody else tapped), zone, name; acts: keep, letGo, accept, understood.
export function sign(root, all, how, acts) {
  const waiting = all.filter((tap) => !tap.refused);
  root.hidden = !all.length && !how.isAway && !how.delivered.length;
  root.replaceChildren();
  if (waiting.length) theyWait(root, all, waiting, how.zone);
  else if (how.isAway) line(root, "No network. Go on: what you tap is kept on this device and delivered when it is back.");
  if ((how.isAway || waiting.length) && !("serviceWorker" in navigator)) {
    line(root, "Leave this page open: at this address your device cannot open it again without the network.");
  }
  if (!how.isLasting) line(root, "This browser keeps nothing beyond the page: do not close it.");
  if (how.isSignedOut) {
    link(line(root, ""), "Sign in, and they are delivered", "/sign-in?next=" + encodeURIComponent(location.pathname));
  } else if (how.strangers) {
    button(line(root, waiting[0].name + " tapped this, and " + how.name + " is signed in. "), "Deliver it as " + how.name, acts.accept);
  }
  all.filter((tap) => tap.refused).forEach((tap) => mend(root, tap, how.zone, acts));
  how.delivered.forEach((words) => line(root, words));
  if (how.delivered.length) button(line(root, ""), "Understood", acts.understood);
}
