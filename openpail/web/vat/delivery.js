// Taps that waited, brought to the server once it answers.
import { moment } from "/static/js/clock.js";
import { parsed } from "/static/js/fragments.js";
import { device, outbox } from "/static/vat/outbox.js";
import { answered, asSent } from "/static/vat/taps.js";

export const PATIENCE_MS = 8000;

const seals = () => document.querySelectorAll("[name=csrf_token]");

// The forms of a page that was kept are sealed for whoever was signed in then.
async function seal(nowUrl) {
  const answer = await fetch(nowUrl, { signal: AbortSignal.timeout(PATIENCE_MS) });
  if (!answer.ok || answer.redirected) return;
  const found = parsed(await answer.text()).querySelector("[name=csrf_token]");
  if (found) seals().forEach((field) => { field.value = found.value; });
}

async function post(nowUrl, address, body, headers) {
  const answer = await fetch(address, {
    method: "POST", headers: { "X-CSRFToken": seals()[0].value, ...headers }, body: body, signal: AbortSignal.timeout(3 * PATIENCE_MS),
  });
  if (answer.status === 400) await seal(nowUrl);
  if (answer.redirected || answer.status >= 500 || answer.status === 400) {
    throw Object.assign(new Error("not delivered"), { isSignedOut: answer.redirected });
  }
  return answer;
}

async function refuse(taps, words) {
  for (const tap of taps) await outbox.put({ ...tap, refused: words, field: "" });
}

async function together(nowUrl, make, taps, met) {
  const body = JSON.stringify({ sent: moment(), device: device(), taps: taps.map(asSent) });
  const answer = await post(nowUrl, "/makes/" + make + "/taps", body, { "Content-Type": "application/json" });
  if (!answer.ok) return refuse(taps, "This was not taken: " + (answer.status === 403 ? "your role may not tell it." : "the make is not here."));
  const { answers } = await answer.json();
  for (const [number, stays] of answered(taps, answers).entries()) {
    await (stays ? outbox.put(stays) : outbox.remove(taps[number].event));
  }
  answers.filter((each) => each.words && each.outcome === "met").forEach((each) => met(each.words));
}

async function alone(nowUrl, tap) {
  const body = new FormData();
  tap.fields.forEach(([name, value]) => body.append(name, value, value instanceof Blob ? "file" : undefined));
  body.append("sent", moment());
  const answer = await post(nowUrl, tap.address, body, { "X-Fragment": "1" });
  if (!answer.ok) await refuse([tap], "This file was not taken.");
  else await outbox.remove(tap.event);
}

// All of them, make by make, files last. Parameters: met, called with the words of each that met what
// somebody else told meanwhile. Throws where the server does not answer, with isSignedOut.
export async function deliver(nowUrl, taps, met) {
  for (const make of new Set(taps.map((tap) => tap.make))) {
    const mine = taps.filter((tap) => tap.make === make), plain = mine.filter((tap) => tap.deed);
    if (plain.length) await together(nowUrl, make, plain, met);
    for (const tap of mine.filter((each) => !each.deed)) await alone(nowUrl, tap);
  }
}
