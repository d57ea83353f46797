// Follows every link and every download of every page, as far as they lead, from the shelf on: each
// answers with what it promises, and no page says anything in the console.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { browse, page, start } from "./dogear.mjs";

let browser, app;
before(async () => {
  browser = await browse();
  app = await start();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

// alike is what an address shows: which print it is of, and what it is asked, matter little.
const alike = (url) => {
  const u = new URL(url);
  return u.pathname.replace(/\d+/g, "#") + "?" + [...u.searchParams.keys()].sort().join("&");
};

test("every link and every download answers with what it promises", async () => {
  const p = await page(browser);
  const seen = new Set(),
    wrong = [];
  const todo = [app.url];
  let pages = 0,
    downloads = 0;
  const ask = async (url, from, want) => {
    if (seen.has(want + alike(url))) return;
    seen.add(want + alike(url));
    const r = await p.request.get(url, { maxRedirects: 5 });
    const kind = r.headers()["content-type"] || "";
    const named = r.headers()["content-disposition"] || "";
    const body = await r.body();
    if (r.status() !== 200) wrong.push(`${from} → ${url}: ${r.status()}`);
    else if (want === "download") {
      downloads++;
      if (!named.startsWith("attachment") || !body.length || kind.startsWith("text/html"))
        wrong.push(`${from} → ${url} is no file: ${kind} ${named} ${body.length}`);
    } else if (want === "page" && kind.startsWith("text/html") && !named) todo.push(url);
  };
  for (let url; (url = todo.shift());) {
    p.problems = [];
    await p.goto(url, { waitUntil: "load" });
    pages++;
    const found = await p.evaluate(() =>
      [
        ...[...document.querySelectorAll("a[href]")].map((a) => [
          a.href,
          a.hasAttribute("download") ? "download" : "page",
        ]),
        ...[...document.querySelectorAll("[hx-get]")].map((e) => [
          new URL(e.getAttribute("hx-get"), location.href).href,
          "part",
        ]),
      ].filter(([at]) => at.startsWith(location.origin) && !at.includes("#")),
    );
    for (const [at, want] of found) await ask(at, new URL(url).pathname, want);
    if (p.problems.length) wrong.push(`${url} says ${p.problems}`);
  }
  assert.deepEqual(wrong, []);
  assert.ok(pages > 10 && downloads > 3, `${pages} pages, ${downloads} downloads`);
  await p.context().close();
});
