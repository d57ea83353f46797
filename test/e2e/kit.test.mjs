// The Kit, the routine editor, and what ears do with both.
import { test, before, after } from "node:test";
import assert from "node:assert/strict";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { axe, browse, lays, open, page, start, reads } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser.close();
  await app.stop();
});

async function save(p, selector) {
  const [d] = await Promise.all([p.waitForEvent("download"), p.click(selector)]);
  return { name: d.suggestedFilename(), text: readFileSync(await d.path(), "utf8") };
}
const margin = (p, sel) => p.waitForSelector(`#margin ${sel}`);

test("the lighthouse's bands: totals, a copy, another routine, back from the file", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/7?before=38`);
  // Without its ears the file is the original.
  await p.click("#undo");
  await margin(p, "li:has-text('No ears yet')");
  const original = await save(p, 'header a[href$="/write"]');
  await p.click("#redo");
  await margin(p, '[data-ear="a1"][data-open="true"]');
  const totals = await reads(p, "[data-totals]");
  assert.match(totals, /Signal red.*4 bands/s);
  assert.match(totals, /Gull white.*135 mm purged · 3 bands/s);
  // Another ear like the first one, and a routine of the club's own.
  await p.fill('[data-ear="a1"] input[name="where"]', "layer 24");
  await p.click('[data-ear="a1"] button:has-text("Copy")');
  await margin(p, '[data-ear="a8"][data-before="24"]');
  await p.click('[data-ear="a8"] [data-jump]');
  await margin(p, '[data-ear="a8"][data-open="true"]');
  await p.click('[data-ear="a8"] summary');
  await p.focus('[data-ear="a8"] select[name="routine"]');
  await p.selectOption('[data-ear="a8"] select[name="routine"]', "quiet swap");
  await p.waitForSelector('[data-ear="a8"] li:has-text("no hurry")', { state: "attached" });
  assert.ok(await p.$eval('[data-ear="a8"] details', (d) => d.open), "what was open stays open");
  assert.equal(await p.evaluate(() => document.activeElement.name), "routine", "the focus stays");
  await p.fill('[data-ear="a8"] input[name="heads_up"]', "1");
  await p.press('[data-ear="a8"] input[name="heads_up"]', "Tab");
  await p.waitForFunction(() => /Changed/.test(document.querySelector("#said").textContent));
  await p.waitForFunction(() => !document.querySelector("[class*=htmx-]"));
  await axe(p, "an ear's card");
  await p.goto(`${app.url}/prints/7/proof`);
  assert.match(await reads(p, "h1"), /^Same plastic$/);
  assert.match(await reads(p, "main"), /Heads-up for ear a8/);
  await p.click('section:has-text("Ear 1 of 8") summary');
  await p.waitForSelector(
    'section:has-text("Ear 1 of 8") svg[aria-label="The head\'s way from above"]',
  );
  await axe(p, "the proof with a way");
  const edited = await save(p, 'main a[href$="/write"]');
  const a = lays(original.text),
    b = lays(edited.text);
  assert.deepEqual(b.out, a.out);
  assert.equal(b.stops.length, 8);
  assert.ok(b.stops.every((s) => s.x === 5 && s.y === 210));
  // The written file, opened on the shelf, is recognised and gives its ears back.
  const path = join(app.dir, edited.name);
  writeFileSync(path, edited.text);
  await p.goto(app.url);
  await p.setInputFiles("[data-file]", path);
  await p.waitForSelector('[data-bench][data-ready="true"]');
  await p.click("[data-ours] button");
  await p.waitForSelector('[data-bench][data-ready="true"] [data-ear="a8"]');
  assert.equal((await p.$$("[data-ear]")).length, 8);
  await p.goto(`${p.url().split("?")[0]}/proof`);
  const again = await save(p, 'main a[href$="/write"]');
  assert.equal(again.text, edited.text);
  assert.deepEqual(p.problems, []);
});

test("a filament that wants other heats is followed through its section", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/kit`);
  await axe(p, "the Kit");
  await p.click('a:has-text("Wet slate")');
  await axe(p, "a filament");
  await p.fill('input[name="nozzle"]', "231");
  await p.fill('input[name="nozzle_first"]', "999");
  await p.click('button:has-text("Keep")');
  await p.waitForFunction(() =>
    /number from 0 to 500/.test(document.querySelector("#said").textContent),
  );
  await p.fill('input[name="nozzle_first"]', "235");
  await p.click('button:has-text("Keep")');
  await p.waitForURL(/\/kit#filaments/);
  assert.match(await reads(p, 'li:has-text("Wet slate")'), /nozzle 235, then 231 °C/);
  // Before layer 2 the file itself cools down; that line follows the filament.
  await open(p, `${app.url}/prints/5?before=2`);
  await p.click('[data-mark] [data-filament="slate"]');
  await margin(p, '[data-ear][data-before="2"]');
  await p.goto(`${app.url}/prints/5/proof`);
  assert.match(
    await reads(p, 'section:has-text("Rewritten")'),
    /M104 S2\d0.*M104 S231.*Wet slate/s,
  );
  const edited = await save(p, 'main a[href$="/write"]');
  assert.match(edited.text, /M109 S231/);
  assert.match(edited.text, /; dogear was [0-9a-f]{8}: M104 S2\d0/);
  // Undone in the Kit, it is as before.
  await p.goto(`${app.url}/kit`);
  await p.click('button:has-text("Undo")');
  await p.waitForSelector('li:has-text("Wet slate"):has-text("nozzle 215, then 210 °C")');
  assert.deepEqual(
    p.problems.filter((t) => !/422/.test(t)),
    [],
  );
});

test("a plan made on the coarse wall is laid on the fine one", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/2?before=21`);
  await p.click('[data-mark] [data-filament="white"]');
  await margin(p, '[data-ear][data-before="21"]');
  await open(p, `${app.url}/prints/2?before=42`);
  await p.click("[data-plain]");
  await margin(p, '[data-ear][data-before="42"]');
  const plan = await save(p, '#margin a[href$="/plan"]');
  assert.equal(JSON.parse(plan.text).ears.length, 2);
  const path = join(app.dir, plan.name);
  writeFileSync(path, plan.text);
  await open(p, `${app.url}/prints/1`);
  await p.setInputFiles("[data-plan]", path);
  await margin(p, "[data-report]");
  const report = await reads(p, "[data-report]");
  assert.match(report, /before layer 21 at 6 mm is now before layer 40 at 6\.00 mm/);
  assert.match(report, /before layer 42 at 12\.3 mm is now before layer 82 at 12\.30 mm/);
  await axe(p, "a report");
  await p.goto(`${app.url}/prints/1/proof`);
  assert.match(await reads(p, "h1"), /^Same plastic$/);
  writeFileSync(path, "no plan");
  await open(p, `${app.url}/prints/1`);
  await p.setInputFiles("[data-plan]", path);
  await p.waitForFunction(() => /not JSON/.test(document.querySelector("#said").textContent));
  assert.equal((await p.$$("[data-ear]")).length, 2);
  assert.deepEqual(
    p.problems.filter((t) => !/422/.test(t)),
    [],
  );
});

test("a routine is said in one form, and written by its steps", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/kit/routines/edit?key=swap+by+hand`);
  await p.click('button:has-text("Copy it")');
  await p.waitForSelector("#rf-tones");
  await axe(p, "a routine as a form");
  const kept = async (act) => {
    await p.evaluate(() => {
      window.settled = new Promise((done) =>
        document.body.addEventListener("htmx:afterSettle", done, { once: true }),
      );
    });
    await act();
    await p.evaluate(() => window.settled.then(() => {}));
  };
  const put = (id, v) =>
    kept(async () => {
      await p.fill(id, v);
      await p.press(id, "Tab");
    });
  await put("#rf-tones", "2");
  await put("#rf-up", "25");
  await kept(() => p.selectOption("#rf-place", { label: "a place of its own" }));
  await put("#rf-x", "40");
  await put("#rf-y", "12.5");
  await kept(() => p.check('input[name="meanwhile"][value="warm"]'));
  await put("#rf-message", "Load {filament} at {layer}");
  await put("#rf-after", "M117 thank you");
  await put("#rf-purge", "");
  await p.fill("#rf-up", "9000");
  await p.press("#rf-up", "Tab");
  await p.waitForFunction(() =>
    /number from 0 to 500/.test(document.querySelector("#said").textContent),
  );
  await p.reload();
  assert.equal(await p.inputValue("#rf-up"), "25", "what was refused was not kept");
  assert.equal(await p.inputValue("#rf-y"), "12.5");
  await p.click('a:has-text("In detail")');
  const does = await p.$$eval("[data-step] input[name$=do]", (l) => l.map((e) => e.value));
  assert.equal(
    does.join(" "),
    "tone retract lift park cool say stop lines heat return restore",
    "the form is written as steps",
  );
  // A step that the form cannot say shows the steps; taken out, the form is there again.
  await p.click('button[value="add:fan"]');
  await p.waitForSelector('[data-step="11"]');
  await p.goto(p.url().replace("&detail=1", ""));
  assert.equal(await p.$("#rf-tones"), null);
  assert.match(await reads(p, "#routine"), /own lines|Your own lines/);
  const drop = p.locator("[data-step]:has(input[value=fan]) button[value^=drop]");
  await drop.click();
  await p.waitForFunction(() => /Taken out/.test(document.querySelector("#said").textContent));
  await p.click('a:has-text("Back to the form")');
  await p.waitForSelector("#rf-tones");
  // What the form says is what is written.
  await open(p, `${app.url}/prints/2?before=30`);
  await p.click('[data-mark] [data-filament="red"]');
  await margin(p, '[data-ear][data-before="30"]');
  await p.click('[data-ear][data-open="true"] summary').catch(() => {});
  await p.selectOption('[data-ear][data-open="true"] select[name="routine"]', "swap by hand, ours");
  await p.waitForFunction(() => /Changed/.test(document.querySelector("#said").textContent));
  await p.goto(`${app.url}/prints/2/proof`);
  assert.match(await reads(p, "h1"), /^Same plastic$/);
  const { text } = await save(p, 'main a[href$="/write"]');
  assert.match(text, /X40 Y12\.5/);
  const said = text.split("\n").filter((l) => /^M0|^M117/.test(l));
  assert.ok(
    said.some((l) => /Load Signal red at (layer )?30/.test(l)),
    said.join(" / "),
  );
  assert.match(text, /M104 S150[\s\S]*\nM0 [\s\S]*M117 thank you[\s\S]*M109 S/);
  await open(p, `${app.url}/prints/2`);
  await p.click("#undo");
  await p.goto(`${app.url}/kit/routines/edit?key=swap+by+hand%2C+ours`);
  assert.deepEqual(
    p.problems.filter((t) => !/422/.test(t)),
    [],
  );
  await p.click("[data-undo]");
});

test("a routine is copied, reordered by key, seen on another printer, and undone", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/kit/routines/edit?key=swap+by+hand`);
  await axe(p, "a routine that ships");
  await p.click('button:has-text("Copy it")');
  await p.waitForSelector('h1:has-text("swap by hand, ours")');
  await p.click('a:has-text("In detail")');
  const order = () =>
    p.$$eval("[data-step] input[name$=do]", (l) => l.map((e) => e.value).join(" "));
  assert.equal(await order(), "tone retract lift park say stop purge return restore");
  await p.focus("#f2-mm");
  await p.keyboard.press("Alt+ArrowUp");
  await p.waitForFunction(() => /Moved up/.test(document.querySelector("#said").textContent));
  assert.equal(await order(), "tone lift retract park say stop purge return restore");
  assert.equal(await p.evaluate(() => document.activeElement.id), "f1-mm", "the focus goes along");
  await p.fill("#f1-mm", "18");
  await p.press("#f1-mm", "Tab");
  await p.waitForSelector('[data-step="1"]:has-text("G1 Z25.4")');
  await p.click('button[value="add:fan"]');
  await p.waitForSelector('[data-step="7"]:has-text("M106 S255")');
  await p.selectOption("#show-printer", "porch");
  await p.waitForSelector('[data-step="0"]:has-text("sends nothing here")');
  await axe(p, "the routine editor");
  await p.click("[data-undo]");
  await p.waitForFunction(() => document.querySelectorAll("[data-step]").length === 9);
  for (const path of [
    "/kit/printers/edit?key=hall",
    "/kit/printers/edit",
    "/kit/inserts/edit?key=M8+nut",
  ]) {
    await p.goto(app.url + path);
    await axe(p, path);
  }
  await p.fill('input[name="across"]', "12.7");
  await p.click('button:has-text("Keep")');
  await p.waitForSelector('li:has-text("12.7 mm across flats")');
  const night = await page(browser, {
    colorScheme: "dark",
    viewport: { width: 1024, height: 700 },
  });
  for (const path of ["/kit", "/kit/routines/edit?key=quiet+swap"]) {
    await night.goto(app.url + path);
    await axe(night, `${path} at night`);
    assert.ok(
      await night.evaluate(() => document.documentElement.scrollWidth <= innerWidth),
      `${path} fits 1024 px`,
    );
  }
  assert.deepEqual([...p.problems, ...night.problems], []);
});
