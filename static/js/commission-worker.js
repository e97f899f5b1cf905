/* Keeps the run sheet, what it is made of, and the materials and the log of its job, for when the server cannot be reached. It changes nothing and sends nothing. */
const CACHE = "cairn-sheet", SOON = 6000;
const PAGE = /^\/jobs\/\d+\/(commission|materials|logbook)\/$/, DRAWING = /^\/jobs\/\d+\/wall\.svg$/, OWN = /^\/static\//;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (e) => {
  const where = new URL(e.request.url);
  if (e.request.method !== "GET" || where.origin !== location.origin) return;
  if (PAGE.test(where.pathname) && e.request.mode === "navigate") e.respondWith(network(e.request, true));
  else if (DRAWING.test(where.pathname) || OWN.test(where.pathname)) e.respondWith(network(e.request, false));
});
async function network(request, page) {
  const held = await caches.open(CACHE);
  try {
    const answer = await soon(fetch(request));
    if (page && (answer.status === 401 || answer.type === "opaqueredirect" || answer.redirected)) await caches.delete(CACHE); /* nobody is logged in any more */
    if (page && answer.ok && !answer.redirected) await held.put(request.url, answer.clone());
    return answer;
  } catch {
    const kept = (await held.match(request)) ?? (await held.match(request, { ignoreSearch: page }));
    return kept ?? Response.error();
  }
}
const soon = (asked) => Promise.race([asked, new Promise((_, reject) => setTimeout(() => reject(new Error("too slow")), SOON))]);
