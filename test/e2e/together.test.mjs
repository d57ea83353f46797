// Several things at one fold are one stop: a magnet, a washer and a colour, from the marks to
// the file and its rehearsal.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { axe, browse, lays, open, page, reads, start } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

test("a nut, a washer and a colour at one fold: one card, one row, one way back", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/6?before=80`);
  await p.click('[data-ear="a1"] [data-add]');
  assert.equal(await reads(p, '[data-out="mark-title"]'), "Also before layer 80");
  assert.ok(await p.isDisabled('[data-mark] [data-filament="brass"]'), "it is laid already");
  await p.click('[data-mark] [data-filament="white"]');
  await p.waitForSelector('[data-stop-of="2"]');
  await p.waitForSelector('[data-ear="a2"][data-open="true"]');
  // By key; what a fold takes only once is not offered again.
  await p.focus("[data-spine]");
  await p.keyboard.press("a");
  await p.waitForSelector("[data-mark]:not([hidden])");
  assert.ok(await p.isDisabled('[data-mark] [data-filament="red"]'), "one colour a fold");
  await p.click("[data-mark] [data-plain]");
  await p.waitForSelector('[data-stop-of="3"]');
  await p.fill('[data-ear="a3"] input[name="note"]', "a washer");
  await p.press('[data-ear="a3"] input[name="note"]', "Tab");
  await p.waitForSelector('[data-ear="a3"]:has-text("a washer")');
  const order = await p.$$eval("[data-ear]", (all) => all.map((e) => e.dataset.ear));
  assert.deepEqual(order, ["a1", "a3", "a2"], "put in first, colour last");
  await axe(p, "three things at one fold");
  // One flag on the spine; each card opens by itself.
  assert.equal(await p.locator("[data-spine] > [data-ear-id]").count(), 1);
  assert.match(await reads(p, "[data-spine]"), /80 ×3/);
  await p.click('[data-ear="a1"] [data-jump]');
  await p.waitForSelector('[data-ear="a1"][data-open="true"]');
  assert.equal(await p.locator('[data-ear][data-open="true"]').count(), 1);
  // The file stops once, and says everything.
  const original = await (await p.request.get(`${app.url}/prints/6/plan`)).json();
  assert.equal(original.ears.length, 3);
  const file = await (await p.request.get(`${app.url}/prints/6/write`)).text();
  const { stops } = lays(file);
  assert.equal(stops.length, 1);
  assert.match(file, /M0 two M8 nuts, flat side down, a washer, Load Gull white, then resume/);
  for (const id of ["a1", "a2", "a3"]) assert.match(file, new RegExp(`; dogear ear ${id} ends`));
  await p.goto(`${app.url}/prints/6/cue`);
  assert.match(await reads(p, ".cue"), /One stop, 3 things two M8 nuts.*a washer ?Change to Gull/);
  await p.goto(`${app.url}/prints/6/proof`);
  assert.match(await reads(p, "main"), /Same plastic.*at 3 ears/);
  // The rehearsal waits once, with everything that is to be done.
  await p.goto(`${app.url}/prints/6/rehearse`);
  await p.click('[data-speed="10000"]');
  await p.click('[data-do="run"]');
  await p.waitForSelector("[data-wait]:not([hidden])", { timeout: 30000 });
  assert.match(await reads(p, "[data-steps]"), /flat side down.*a washer.*Load Gull white/);
  await p.click('[data-do="resume"]');
  await p.waitForFunction(
    () => /done|finished/i.test(document.querySelector('[data-out="state"]').textContent),
    null,
    { timeout: 60000 },
  );
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
