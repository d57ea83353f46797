// Mending: paths are chosen and left out, layers are laid otherwise.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { axe, browse, lays, open, page, start, reads } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

const chosen = (p, text) =>
  p.waitForFunction((t) => document.querySelector("[data-chosen]").textContent.startsWith(t), text);
const said = (p, re) =>
  p.waitForFunction((s) => new RegExp(s).test(document.querySelector("#said").textContent), re);

test("paths are chosen by click, by a line round them, by kind; muted; brought back", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/2?before=30`);
  await p.keyboard.press("e");
  await p.waitForSelector("[data-mend]:not([hidden])");
  await p.waitForFunction(() => document.querySelectorAll("[data-kind]").length === 3);
  await axe(p, "choosing paths");
  const r = await p.locator('[data-page="right"]').boundingBox();
  const at = (x, y) => [r.x + x * r.width, r.y + y * r.height];
  await p.mouse.move(...at(0.3, 0.35));
  await p.mouse.down();
  for (const [x, y] of [
    [0.55, 0.35],
    [0.55, 0.75],
    [0.3, 0.75],
    [0.3, 0.35],
  ])
    await p.mouse.move(...at(x, y), { steps: 6 });
  await p.mouse.up();
  await chosen(p, "4 paths");
  await p.click('[data-kind="outer wall"]');
  await chosen(p, "5 paths");
  await p.click('[data-kind="outer wall"]');
  await chosen(p, "4 paths");
  await p.click('[data-mend-do="air"]');
  await said(p, "Nothing of layer 30 lies over nothing");
  await p.keyboard.press("x");
  await said(p, "are left out");
  await chosen(p, "nothing");
  const [d] = await Promise.all([p.waitForEvent("download"), p.click('text="Write the file"')]);
  const text = readFileSync(await d.path(), "utf8");
  assert.match(text, /; dogear muted: G1 /);
  const muted = text
    .split("\n")
    .filter((l) => l.startsWith("; dogear muted: "))
    .map((l) => l.slice(16));
  const was = lays(
    text
      .replaceAll("; dogear muted: ", "")
      .replace(/; dogear mute .*\n(?:.*\n)*?; dogear mute .* ends\n/g, ""),
  );
  const now = lays(text);
  assert.equal(was.out.length - now.out.length, 4);
  assert.equal(
    now.out.filter((l) => !was.out.includes(l)).length,
    0,
    "all that is laid was laid before",
  );
  assert.ok(muted.length > 4);
  // By keys alone: the next path of the thread.
  await p.click('[data-mend-do="next"]');
  await chosen(p, "1 path");
  await p.keyboard.press("Escape");
  await p.waitForSelector("[data-mend]", { state: "hidden" });
  await p.click("#undo");
  await p.waitForFunction(() => !/Bring back/.test(document.querySelector("#margin").textContent));
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("ten layers are laid slower and cooler, and all is put back behind them", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/2?before=40`);
  await p.click("#otherwise summary");
  assert.equal(await p.inputValue("#ch-from"), "40");
  await p.fill("#ch-to", "49");
  await p.fill('[data-otherwise] [name="speed"]', "60");
  await p.fill('[data-otherwise] [name="fan"]', "30");
  await p.click("[data-otherwise] button");
  await said(p, "from layer 40 to 49: speed 60 %, fan 30 %");
  await p.waitForSelector(".spine-change");
  await axe(p, "what is laid otherwise");
  await p.fill("#ch-to", "45");
  await p.fill('[data-otherwise] [name="speed"]', "80");
  await p.click("[data-otherwise] button");
  await said(p, "changes the speed there already");
  await p.goto(`${app.url}/prints/2/proof`);
  assert.match(await reads(p, "main"), /Other settings from layer 40 on: speed 60 %, fan 30 %/);
  assert.match(await reads(p, "h1"), /Same plastic/);
  await p.goBack();
  await p.waitForSelector('[data-bench][data-ready="true"]');
  await p.click("[data-change] >> text=Remove");
  await said(p, "is gone");
  // Refusals are told, and show in the console too.
  p.problems = p.problems.filter((t) => !/422|409/.test(t));
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
