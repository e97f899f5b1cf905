/* Keeps the run sheet and what it is made of, for when the server cannot be reached. It changes nothing and sends nothing. */
const CACHE = "cairn-sheet", SOON = 6000;
const SHEET = /^\/jobs\/\d+\/commission\/$/, DRAWING = /^\/jobs\/\d+\/wall\.svg$/, OWN = /^\/static\//;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (e) => {
  const where = new URL(e.request.url);
  if (e.request.method !== "GET" || where.origin !== location.origin) return;
  if (SHEET.test(where.pathname) && e.request.mode === "navigate") e.respondWith(network(e.request, true));
  else if (DRAWING.test(where.pathname) || OWN.test(where.pathname)) e.respondWith(network(e.request, false));
});
async function network(request, sheet) {
  const held = await caches.open(CACHE);
  try {
    const answer = await soon(fetch(request));
    if (sheet && (answer.status === 401 || answer.type === "opaqueredirect" || answer.redirected)) await caches.delete(CACHE); /* nobody is logged in any more */
    if (sheet && answer.ok && !answer.redirected) await held.put(request.url, answer.clone());
    return answer;
  } catch {
    const kept = (await held.match(request)) ?? (await held.match(request, { ignoreSearch: sheet }));
    return kept ?? Response.error();
  }
}
const soon = (asked) => Promise.race([asked, new Promise((_, reject) => setTimeout(() => reject(new Error("too slow")), SOON))]);
