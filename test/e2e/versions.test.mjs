// Keeping up with the slicer: a newer slicing of a print takes its marks along.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { axe, browse, open, page, start, reads } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

test("the lighthouse is sliced again; its ears go along, and both lie side by side", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/7?before=38`);
  // A newer slicing: here the same file with another comment at its head.
  const text = await (await p.request.get(`${app.url}/prints/7/text?from=1&to=40`)).text();
  assert.ok(text.length > 0);
  const [d] = await Promise.all([p.waitForEvent("download"), p.click('text="Write the file"')]);
  const { readFileSync } = await import("node:fs");
  const was = readFileSync(await d.path(), "utf8").split("\n");
  const out = [];
  let ours = "";
  for (const line of was) {
    // what Dogear put in goes, as if the slicer had written it anew
    const m = /^; dogear ear (\S+): /.exec(line);
    if (m) ours = `; dogear ear ${m[1]} ends`;
    if (!ours && !line.startsWith("; dogear")) out.push(line);
    if (line === ours) ours = "";
  }
  const file = join(app.dir, "lighthouse-again.gcode");
  writeFileSync(file, "; sliced again\n" + out.join("\n"));
  await p.click("#versions summary");
  await p.setInputFiles("[data-newer]", file);
  await p.waitForURL((u) => /prints\/1\d$/.test(u.pathname));
  await p.waitForSelector('[data-bench][data-ready="true"]');
  const told = await reads(p, "[data-carried]");
  assert.equal(
    (told.match(/Ear a\d+: before layer (\d+) at [\d.]+ mm is now before layer \1 /g) || []).length,
    7,
    told,
  );
  await axe(p, "a newer slicing");
  await p.click("[data-carried] button");
  await p.waitForSelector("[data-carried]", { state: "detached" });
  await p.click("#versions summary");
  await p.click("[data-compare]");
  await p.waitForSelector('[data-compare-page][data-ready="true"]');
  assert.match(
    await reads(p, '[data-out="sentence"]'),
    /Layer (\d+) of 390 before, layer \1 of 390 now/,
  );
  await axe(p, "two slicings side by side");
  await p.keyboard.press("Shift+ArrowUp");
  await p.waitForFunction(() => /before=48/.test(location.search));
  await p.click("[data-jump] >> nth=1");
  await p.waitForFunction(() => /before=96/.test(location.search));
  await p.goto(app.url);
  assert.equal(await p.locator('h2:has-text("Lighthouse, banded")').count(), 1);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
