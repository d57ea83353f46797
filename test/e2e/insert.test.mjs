// Putting things inside: nuts into the buoy, magnets into the latch, balls into
// the turntable.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
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

const fit = (p) => p.locator("[data-fit]").first().textContent();
const said = (p, re) =>
  p.waitForFunction((s) => new RegExp(s).test(document.querySelector("#said").textContent), re);

test("two nuts go into the buoy by one key, stacked, and late enough", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/6?before=80`);
  await p.click("[data-ear] [data-remove]");
  await p.waitForFunction(() => document.querySelectorAll("[data-ear]").length === 0);
  await p.keyboard.press("Home");
  await p.keyboard.press("i");
  await said(p, "before layer 80, as late as possible");
  await p.waitForSelector('[data-ear][data-before="80"]');
  assert.match(await fit(p), /It drops in, 0\.\d+ mm free at each side and 7\.00 mm above/);
  await p.fill('input[name="count"]', "2");
  await p.press('input[name="count"]', "Tab");
  await p.waitForFunction(() =>
    /0\.20 mm above/.test(document.querySelector("[data-fit]").textContent),
  );
  await axe(p, "an insert in its pocket");
  await p.fill('input[name="count"]', "3");
  await p.press('input[name="count"]', "Tab");
  await p.waitForFunction(() =>
    /never covered/.test(document.querySelector("[data-fit]").textContent),
  );
  await p.goto(`${app.url}/prints/6/proof`);
  assert.match(await reads(p, "main"), /would be laid into what goes in/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("two magnets of opposite pole go into the latch", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/8?before=23`);
  assert.equal(await p.inputValue('select[name="pole"]'), "opposite");
  assert.match(await fit(p), /^In each of 2 pockets: it drops in, .* which pole faces up/);
  await p.click('summary:has-text("Into which pockets")');
  await p.locator('input[name="pocket"]').nth(1).uncheck();
  await p.waitForFunction(() => !/In each/.test(document.querySelector("[data-fit]").textContent));
  assert.match(await fit(p), /never covered/, "both in one pocket do not fit");
  await p.click("#undo");
  await p.waitForFunction(() =>
    /In each of 2/.test(document.querySelector("[data-fit]").textContent),
  );
  await p.goto(`${app.url}/prints/8/cue`);
  const sheet = await reads(p, ".cue");
  assert.match(sheet, /mark up/);
  assert.match(sheet, /mark down/);
  await p.goto(`${app.url}/prints/8/proof`);
  assert.match(await reads(p, "main"), /2 bridges are laid slower/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("six balls stand proud in the turntable; the head is lifted over them", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/9?before=43`);
  assert.match(await fit(p), /In each of 6 pockets: it stands \d\.\d+ mm proud/);
  assert.equal(await p.locator("[data-spine] > .spine-hollow").count(), 6);
  assert.equal(await p.locator("[data-spine] > .spine-sits").count(), 6);
  await p.waitForSelector(".thread-leap");
  const marks = JSON.parse(await p.getAttribute("#margin", "data-marks"));
  assert.ok(marks.overs.length > 40, `${marks.overs.length} ways are lifted`);
  const layers = new Set(marks.overs.map((o) => o.layer));
  assert.ok(Math.min(...layers) === 43 && Math.max(...layers) < 54, [...layers].join());
  // Before anything is put in, the left page shows the open hollows.
  await p.goto(`${app.url}/prints/9/proof`);
  assert.match(await reads(p, "main"), /Same plastic/);
  assert.match(await reads(p, "main"), /travel moves are lifted/);
  const file = await (await p.request.get(`${app.url}/prints/9/write`)).text();
  assert.equal(file.split("; dogear over a1: up").length - 1, marks.overs.length);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
