// One wall from two slicings, coarse to 18 mm and fine above.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { axe, browse, lays, page, start, reads } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

const ready = (p) => p.waitForSelector('[data-bind][data-ready="true"]');
const height = (p, mm) =>
  p.waitForFunction(
    (t) =>
      document.querySelector('[data-out="height"]').textContent === t &&
      document.querySelector("#bind").dataset.address.length > 0,
    mm,
  );

test("the harbour wall is bound, coarse to 18 mm and fine above, with a nozzle swap", async () => {
  const p = await page(browser);
  await p.goto(app.url);
  await p.click('nav >> text="Bind"');
  await p.click('text="Bind these two"');
  await ready(p);
  await height(p, "12.90");
  assert.match(
    await reads(p, '[data-out="sentence"]'),
    /coarse ends with layer 43, Harbour wall, fine goes on with layer 86/,
  );
  await axe(p, "the bind page");
  // By key, one height at a time, and ten.
  await p.focus("[data-spine]");
  await p.keyboard.press("ArrowUp");
  await height(p, "13.20");
  await p.keyboard.press("Shift+ArrowUp");
  await height(p, "16.20");
  await p.waitForFunction(() => /p=\d+%3A1-54/.test(location.search));
  // By dragging.
  const box = await p.locator("[data-spine]").boundingBox();
  const at = async (above) =>
    p.evaluate(
      ([z]) => {
        const ticks = [...document.querySelectorAll("[data-spine] .spine-text")].map((t) => [
          Number(t.textContent),
          t.getBoundingClientRect().top + t.getBoundingClientRect().height / 2,
        ]);
        const [a, b] = [ticks.find((t) => t[0] === 15), ticks.find((t) => t[0] === 20)];
        return a[1] + ((z - 15) / 5) * (b[1] - a[1]);
      },
      [above],
    );
  await p.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await p.mouse.down();
  await p.mouse.move(box.x + box.width / 2, await at(18.6), { steps: 6 });
  await p.mouse.up();
  await p.waitForFunction(() => !/1-54/.test(location.search));
  for (let i = 0; i < 30 && (await reads(p, '[data-out="height"]')) !== "18.00"; i++) {
    const now = Number(await reads(p, '[data-out="height"]'));
    await p.focus("[data-spine]");
    await p.keyboard.press(now > 18 ? "ArrowDown" : "ArrowUp");
    await p.waitForFunction(
      (t) => document.querySelector('[data-out="height"]').textContent !== t,
      now.toFixed(2),
    );
  }
  await p.waitForFunction(() => /1-60/.test(location.search));
  await p.selectOption("#j", "nozzle");
  await p.waitForSelector("#n");
  await p.fill("#n", "0.25");
  await p.press("#n", "Tab");
  await p.waitForFunction(() => /n=0\.25/.test(location.search));
  await p.fill("#dz", "0.05");
  await p.press("#dz", "Tab");
  await p.waitForFunction(() => /dz=0\.05/.test(location.search));
  // Back undoes a step.
  await p.goBack();
  await ready(p);
  assert.equal(await p.inputValue("#dz"), "");
  assert.equal(await p.inputValue("#n"), "0.25");
  const [download] = await Promise.all([
    p.waitForEvent("download"),
    p.click('text="Write the file"'),
  ]);
  assert.equal(download.suggestedFilename(), "harbour-wall-bound.gcode");
  const text = readFileSync(await download.path(), "utf8");
  assert.match(text, /; dogear joint 1: nozzle swap, then Harbour wall, fine from layer 120/);
  assert.match(text, /M0 Filament out, put in the 0.25 mm nozzle hot/);
  const got = lays(text);
  assert.equal(got.stops.length, 1);
  assert.ok(got.stops[0].z > 50, `the head waits at ${got.stops[0].z} mm`);
  assert.equal(
    Math.max(...got.out.slice(0, got.stops[0].after).map((l) => Number(l.split(" ")[4]))),
    18,
  );
  assert.equal(
    Math.min(...got.out.slice(got.stops[0].after).map((l) => Number(l.split(" ")[4]))),
    18.15,
  );
  // It goes on the shelf as a print like any other.
  await p.click('text="Put it on the shelf"');
  await p.waitForURL(`${app.url}/`);
  await p.waitForSelector('h2 a:has-text("Harbour wall bound")');
  await p.click('h2 a:has-text("Harbour wall bound")');
  await p.waitForSelector('[data-bench][data-ready="true"]');
  await p.goto(p.url().replace(/\?.*/, "") + "/proof");
  assert.match(await reads(p, "main"), /Same plastic/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("three pieces, and one that does not fit", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/bind?p=2&p=1`);
  await ready(p);
  await p.selectOption("#add", "2");
  await p.waitForSelector('[data-at="1"][aria-pressed="true"]');
  assert.equal(await p.locator("[data-piece]").count(), 3);
  const joints = () => p.locator("[data-at]").allTextContents();
  const joined = await joints();
  await p.click('[data-at="0"]');
  await p.waitForSelector('[data-at="0"][aria-pressed="true"]');
  assert.deepEqual(await joints(), joined, "looking at another joint moves none");
  await p.selectOption("#height", { label: "6.00 mm: layers 20 | 40" });
  await height(p, "6.00");
  assert.deepEqual((await joints())[1], joined[1]);
  await p.click('[data-piece="2"] button:has-text("Leave out")');
  await p.waitForFunction(() => document.querySelectorAll("[data-piece]").length === 2);
  await p.goto(`${app.url}/bind?p=2:1-60&p=1:119-171`);
  await ready(p);
  assert.match(await reads(p, "aside"), /would be laid twice.*18\.00 mm/);
  assert.ok(await p.locator('button:has-text("Put it on the shelf")').isDisabled());
  await axe(p, "pieces that do not fit");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
