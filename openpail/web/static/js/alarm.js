// Clocks that run out: each sounds as its make does, until somebody has heard it. The server says when;
// the page only subtracts the clock.
import { now, running } from "/static/js/clock.js";

const HEARD = "openpail.heard", VOICE = "openpail.voice", MOST_KEPT = 60;
const players = new Map();
let ringing = "", awake = null, plainTitle = "";

const heard = () => JSON.parse(localStorage.getItem(HEARD) || "[]");
const hear = (key) => localStorage.setItem(HEARD, JSON.stringify([...heard().slice(-MOST_KEPT), key]));
const hasVoice = () => "speechSynthesis" in window && localStorage.getItem(VOICE) === "on";

function player(url) {
  if (!players.has(url)) players.set(url, Object.assign(new Audio(url), { loop: true }));
  return players.get(url);
}

function ring(node) {
  ringing = node.dataset.alarm;
  plainTitle = plainTitle || document.title;
  document.body.classList.add("ringing");
  document.title = "● " + node.dataset.voice;
  const bar = document.createElement("div");
  bar.className = "alarm-bar";
  bar.setAttribute("role", "alert");
  const said = document.createElement("b");
  said.textContent = node.dataset.voice;
  const button = document.createElement("button");
  button.type = "button";
  button.textContent = "I hear it";
  button.addEventListener("click", () => { hush(node.dataset.alarm); });
  bar.append(said, button);
  if (node.dataset.go) bar.append(Object.assign(document.createElement("a"), { href: node.dataset.go, textContent: "Go there" }));
  document.body.prepend(bar);
  button.focus({ preventScroll: true });
  player(node.dataset.sound).play().catch(() => {
    said.textContent += " (tap once, so that it may sound)";
  });
  if (hasVoice()) window.speechSynthesis.speak(new SpeechSynthesisUtterance(node.dataset.voice));
  if (navigator.vibrate && navigator.userActivation.hasBeenActive) navigator.vibrate([400, 200, 400]);
}

function hush(key) {
  if (key) hear(key);
  ringing = "";
  document.body.classList.remove("ringing");
  document.querySelectorAll(".alarm-bar").forEach((bar) => bar.remove());
  players.forEach((each) => { each.pause(); each.currentTime = 0; });
  if (plainTitle) document.title = plainTitle;
  plainTitle = "";
}

function tick() {
  document.querySelectorAll("[data-left]").forEach((node) => {
    const left = Date.parse(node.dataset.left) - now();
    node.textContent = running(left);
    node.classList.toggle("is-over", left < 0);
  });
  document.querySelectorAll("[data-since-min]").forEach((node) => {
    node.textContent = String(Math.floor((now() - Date.parse(node.dataset.sinceMin)) / 60000));
  });
  document.querySelectorAll("[data-watch]").forEach((node) => {
    const seconds = Math.max(0, Math.floor((now() - Date.parse(node.dataset.watch)) / 1000));
    node.textContent = Math.floor(seconds / 60) + ":" + String(seconds % 60).padStart(2, "0");
  });
  const known = heard();
  const due = [...document.querySelectorAll("[data-alarm]")].filter(
    (node) => Date.parse(node.dataset.ends) <= now() && !known.includes(node.dataset.alarm)
  );
  if (ringing && !due.some((node) => node.dataset.alarm === ringing)) hush("");
  if (!ringing && due.length) ring(due[0]);
}

// The screen stays lit where the browser allows it.
async function stayAwake() {
  const told = document.querySelector("[data-awake]");
  if (!told) return;
  if (!("wakeLock" in navigator)) {
    told.textContent = "This browser may let the screen go dark: turn that off in its settings.";
    return;
  }
  try {
    if (document.visibilityState === "visible" && !awake) {
      awake = await navigator.wakeLock.request("screen");
      awake.addEventListener("release", () => { awake = null; });
    }
  } catch { awake = null; }
  told.textContent = awake ? "The screen stays lit." : "The screen may go dark here.";
}

function toggles() {
  document.querySelectorAll("[data-voice-toggle]").forEach((button) => {
    button.hidden = !("speechSynthesis" in window);
    button.setAttribute("aria-pressed", String(localStorage.getItem(VOICE) === "on"));
  });
}

document.addEventListener("click", (event) => {
  const voice = event.target.closest("[data-voice-toggle]"), sound = event.target.closest("[data-try-sound]");
  if (voice) {
    localStorage.setItem(VOICE, localStorage.getItem(VOICE) === "on" ? "off" : "on");
    toggles();
  } else if (sound) {
    const heardNow = player(sound.dataset.trySound);
    heardNow.play();
    setTimeout(() => { if (!ringing) { heardNow.pause(); heardNow.currentTime = 0; } }, 2400);
  } else if (ringing) { // a tap anywhere lets a browser that was waiting for one sound
    const node = document.querySelector('[data-alarm="' + CSS.escape(ringing) + '"]');
    if (node && player(node.dataset.sound).paused) player(node.dataset.sound).play().catch(() => { /* said above */ });
  }
});
document.addEventListener("visibilitychange", stayAwake);
document.addEventListener("DOMContentLoaded", () => { tick(); toggles(); stayAwake(); });
document.addEventListener("vat-anew", () => { tick(); toggles(); stayAwake(); });
setInterval(tick, 1000);
