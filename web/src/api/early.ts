/** What the first page will ask is asked before the application itself has loaded: the answer waits for it, not the other way round. */
const asked = new Map<string, Promise<Response>>();

/** Ask for what a page of this address shows first. */
export function askEarly(path: string) {
  const [, build, piece] = /^\/build\/(\d+)(?:\/piece\/(\d+))?/.exec(path) ?? [];
  if (!build) return;
  const first = [`/api/builds/${build}/wall/`, "/api/trade/", "/api/shop/", ...(piece ? [`/api/pieces/${piece}/`] : [])];
  for (const url of first) {
    const answer = fetch(url, { headers: { Accept: "application/json" } });
    // One that breaks off is told by who asks for it in earnest.
    answer.catch(() => undefined);
    asked.set(url, answer);
  }
}

/** Fetch, but for what was asked already. */
export function fetchOnce(request: Request): Promise<Response> {
  const { pathname, search } = new URL(request.url);
  const early = request.method === "GET" && !search ? asked.get(pathname) : undefined;
  if (!early) return fetch(request);
  asked.delete(pathname);
  // A connection that broke off is tried once more.
  return early.catch(() => fetch(request));
}
