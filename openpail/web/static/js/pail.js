// What every page does of itself. It asks the server and draws; it knows no rule of the craft.
import "/static/js/alarms.js";
import "/static/js/keys.js";
import "/static/js/small.js";
import { age, tick, toNow } from "/static/js/countdowns.js";
import { finding } from "/static/js/finding.js";
import { live } from "/static/js/live.js";
import { rove } from "/static/js/roving.js";
import { unsent } from "/static/js/unsent.js";

// Whoever signed out leaves no page of the dairy behind; what waits to be delivered stays.
if (location.pathname === "/sign-in" && window.caches) caches.delete("open-pail-pages");

document.addEventListener("alpine:init", () => {
  window.Alpine.data("bench", live);
  window.Alpine.data("finding", finding);
});
document.addEventListener("DOMContentLoaded", () => { tick(); age(); toNow(); unsent(); rove(); });
setInterval(age, 60000);
setInterval(tick, 5000);
