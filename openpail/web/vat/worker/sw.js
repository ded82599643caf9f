// What a vat's page needs to open again while the network is away: the page as it was last seen, and the
// files it is drawn with. Everything else goes by as if this were not here.
"use strict";

const PAGES = "open-pail-pages", FILES = "open-pail-files", PATIENCE_MS = 6000;
const IS_VAT = /^\/vat\/[0-9a-f-]{36}$/;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("message", (event) => {
  event.waitUntil(keep(event.data));
});

async function keep(asked) {
  const files = await caches.open(FILES);
  const known = new Set((await files.keys()).map((each) => each.url));
  const wanted = new Set(asked.files);
  await Promise.all([...known].filter((url) => !wanted.has(url)).map((url) => files.delete(url)));
  await files.addAll(asked.files.filter((url) => !known.has(url)));
  await page(asked.page);
}

async function page(address) {
  const answer = await fetch(address, { credentials: "same-origin", signal: AbortSignal.timeout(PATIENCE_MS) });
  if (answer.ok && !answer.redirected) await (await caches.open(PAGES)).put(address, answer.clone());
  return answer;
}

async function pageOrKept(request) {
  const address = new URL(request.url).pathname;
  try {
    const answer = await page(address);
    if (answer.status < 500) return answer.redirected ? Response.redirect(answer.url) : answer;
  } catch { /* no network: what was seen last */ }
  const kept = await (await caches.open(PAGES)).match(address);
  return kept || Response.error();
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin) return;
  if (event.request.mode === "navigate" && IS_VAT.test(url.pathname)) event.respondWith(pageOrKept(event.request));
  else if (url.pathname.startsWith("/static/")) {
    event.respondWith(caches.match(event.request).then((kept) => kept || fetch(event.request)));
  }
});
