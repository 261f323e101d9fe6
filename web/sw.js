// Keeps the page and all its files, so that a job opens while the server is away. The page is asked for first and taken from
// here when nobody answers; files carry a hash in their names and never change. The API is never answered from here.
// The build puts the list of files in, so that every build is a new worker with a shelf of its own.
const FILES = __FILES__;
const SHELF = `kardo-${FILES.join().length}-${FILES.at(-1)}`;

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches
      .open(SHELF)
      .then((shelf) => shelf.addAll(["/", ...FILES]))
      .then(() => self.skipWaiting()),
  );
});

self.addEventListener("activate", (event) => {
  const outdated = (names) => Promise.all(names.filter((n) => n !== SHELF).map((n) => caches.delete(n)));
  event.waitUntil(
    caches
      .keys()
      .then(outdated)
      .then(() => self.clients.claim()),
  );
});

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== location.origin || url.pathname.startsWith("/api/")) return;
  if (request.mode === "navigate") event.respondWith(pageOf(request));
  else if (url.pathname.startsWith("/assets/"))
    event.respondWith(caches.match(request).then((kept) => kept ?? fetch(request)));
});

async function pageOf(request) {
  try {
    const answer = await fetch(request);
    if (answer.status < 500) return answer;
  } catch {
    /* the server is away */
  }
  return (await caches.match("/")) ?? Response.error();
}
