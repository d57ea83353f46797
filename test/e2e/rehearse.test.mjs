// The rehearsal: the print runs on the simulated printer, stops where it is
// marked, fails when it is told to, and is picked up.
import { test, before, after } from "node:test";
import assert from "node:assert/strict";
import { axe, browse, page, start, reads } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser.close();
  await app.stop();
});

const state = (p, s) => p.waitForSelector(`[data-rehearse][data-state="${s}"]`, { timeout: 60000 });

test("the lighthouse is rehearsed, jams, and is picked up", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/prints/7/rehearse`);
  await p.waitForSelector('[data-rehearse][data-ready="true"]');
  await p.click('[data-speed="10000"]');
  await p.click('[data-do="run"]');
  await state(p, "waiting");
  assert.match(
    await reads(p, "[data-wait]"),
    /Load Gull white, then resume.*Waits for you.*To go on: Press the knob once/s,
  );
  assert.equal(
    await p.evaluate(() => document.activeElement.dataset.do),
    "resume",
    "one big button, ready to press",
  );
  assert.match(await reads(p, '[data-out="facts"]'), /layer 38 of 390 .* 7\.40 mm on the bed/);
  await axe(p, "a rehearsal that waits");
  await p.keyboard.press("Enter");
  await p.waitForFunction(
    () => /layer (9\d|1\d\d)/.test(document.querySelector('[data-out="facts"]').textContent),
    null,
    { timeout: 60000 },
  );
  await state(p, "waiting");
  await p.selectOption("#fault", "jam");
  await p.click('[data-do="fault"]');
  await p.waitForSelector("[data-failed]:not([hidden])");
  assert.match(await reads(p, "[data-failed]"), /The nozzle is jammed; the head goes on moving/);
  await p.click('[data-do="resume"]');
  await p.waitForFunction(
    () => /layer 1[2-9]\d/.test(document.querySelector('[data-out="facts"]').textContent),
    null,
    { timeout: 60000 },
  );
  await p.click('[data-do="pickup"]');
  await p.waitForSelector('[data-pickup][data-ready="true"]');
  assert.match(await reads(p, '[data-piece="0"]'), /19\.00 mm.*layer 95, off by 0\.00/s);
  await p.click('[data-proposed] button:has-text("Yes, layer 95")');
  await p.waitForSelector("[data-write]");
  assert.match(await reads(p, "#pickup"), /ears? still to come/);
  assert.deepEqual(p.problems, []);
});

test("the cue sheet and the rehearsal on a phone", async () => {
  const p = await page(browser, { viewport: { width: 390, height: 800 } });
  await p.goto(`${app.url}/prints/7/cue?start=2026-11-28T09:30`);
  assert.equal(await p.locator(".cue > ol > li").count(), 7);
  await axe(p, "the cue sheet");
  assert.ok(
    await p.evaluate(() => document.documentElement.scrollWidth <= innerWidth),
    "the cue sheet fits",
  );
  await p.goto(`${app.url}/prints/6/rehearse`);
  await p.waitForSelector('[data-rehearse][data-ready="true"]');
  assert.ok(
    await p.evaluate(() => document.documentElement.scrollWidth <= innerWidth),
    "the rehearsal fits",
  );
  await p.click('[data-speed="10000"]');
  await p.click('[data-do="run"]');
  await state(p, "waiting");
  await axe(p, "a rehearsal on a phone");
  await p.click('[data-do="resume"]');
  await state(p, "done");
  assert.deepEqual(p.problems, []);
});
