// The clock of a page, and how a page tells a length. The server says when; a page only subtracts. A
// stopped server clock (pictures, tests) is carried over as an offset.
const stamp = document.documentElement.dataset.now;
const offset = stamp ? Date.parse(stamp) - Date.now() : 0;

// From here on minutes say nothing, and from three days on hours (as ui/show.py tells lengths).
const LONG_MIN = 90, DAYS_MIN = 4320, MS_A_MIN = 60000;

export const now = () => Date.now() + offset;
export const moment = () => new Date(now()).toISOString();

function long(minutes) {
  if (minutes >= DAYS_MIN) return Math.floor(minutes / 1440 + 0.5) + " days";
  const hours = Math.floor(minutes / 60) + " h", rest = minutes % 60;
  return rest ? hours + " " + String(rest).padStart(2, "0") : hours;
}

// What is left, in whole minutes: its figure, its unit where the figure carries none, whether it is over.
export function left(milliseconds) {
  const whole = Math.round(Math.abs(milliseconds) / MS_A_MIN), isShort = whole < LONG_MIN;
  return { figure: isShort ? String(whole) : long(whole), unit: isShort ? "min" : "", isOver: milliseconds < 0 };
}

// The same in a sentence: in 12 min, 1 h 35 over.
export function leftWords(milliseconds) {
  const { figure, unit, isOver } = left(milliseconds);
  const words = unit ? figure + " " + unit : figure;
  return isOver ? words + " over" : "in " + words;
}

// A clock that runs by the second. Hours are rounded to the minute, as every other clock of a page has them.
export function running(milliseconds) {
  const minutes = Math.abs(milliseconds) / MS_A_MIN, rounded = Math.round(minutes);
  const seconds = String(Math.floor(Math.abs(milliseconds) / 1000) % 60).padStart(2, "0");
  const words = rounded < LONG_MIN ? Math.floor(minutes) + ":" + seconds : long(rounded);
  return milliseconds < 0 ? words + " over" : words;
}

// How old a pail is: hours, and from three days on days.
export function aged(milliseconds) {
  const hours = milliseconds / (60 * MS_A_MIN);
  return hours < 72 ? Math.round(hours) + " h" : Math.round(hours / 24) + " days";
}

// The hour of a moment, in the dairy's own zone.
export function hour(at, zone) {
  return new Date(at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hourCycle: "h23", timeZone: zone });
}
