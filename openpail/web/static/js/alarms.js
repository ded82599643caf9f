// The clocks of the makes on every page: whoever stands at the cave hears the vat too. A page that draws
// clocks of its own (the vat, Today) has them already.
import "/static/js/alarm.js";
import { replaceWith } from "/static/js/fragments.js";

const EVERY_MS = 60000;

async function ask() {
  const kept = document.getElementById("alarms");
  if (!kept || document.visibilityState !== "visible") return;
  if (document.querySelector("[data-alarm]:not(#alarms [data-alarm])")) return kept.replaceChildren();
  try {
    const answer = await fetch(kept.dataset.url);
    if (answer.ok && !answer.redirected) replaceWith(kept, await answer.text());
  } catch { /* without the network those that are known ring on */ }
}

document.addEventListener("DOMContentLoaded", ask);
setInterval(ask, EVERY_MS);
