// One whole journey: a file dropped on the shelf, a fold chosen by looking, an
// ear, the proof, the written file, which is then checked.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
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

// tower is a small sliced file: ten square layers of 0.2 mm.
function tower() {
  const l = [
    "; harbour test tower",
    "G21",
    "G90",
    "M82",
    "M104 S210",
    "M109 S210",
    "G28",
    "G92 E0",
  ];
  let e = 0;
  for (let n = 0; n < 10; n++) {
    l.push(`; course ${n}`, `G1 Z${(0.2 * (n + 1)).toFixed(2)} F600`, "G0 X100 Y100 F9000");
    for (const [x, y] of [
      [120, 100],
      [120, 120],
      [100, 120],
      [100, 100],
    ]) {
      e += 0.7;
      l.push(`G1 X${x} Y${y} E${e.toFixed(5)} F1800`);
    }
    l.push(`; clock ${n * 20 + 20.5}`);
  }
  l.push("M104 S0", "M84", "");
  return l.join("\n");
}

test("from a dropped file to a file that prints", async () => {
  const p = await page(browser);
  await open(p, app.url);
  await axe(p, "the shelf");
  const file = tower();
  const path = join(app.dir, "test-tower.gcode.gz");
  writeFileSync(path, gzipSync(file));
  await p.setInputFiles("[data-file]", path);
  await p.waitForSelector('[data-bench][data-ready="true"]');
  assert.equal(await reads(p, "header p span[title]"), "Test tower");

  // The book opens in the middle; the fold moves by key, wheel, click and typing.
  const height = () => reads(p, '[data-out="height"]');
  await p.keyboard.press("Home");
  assert.equal(await height(), "0.00");
  await p.keyboard.press("ArrowUp");
  assert.equal(await height(), "0.20");
  assert.match(
    await reads(p, '[data-out="sentence"]'),
    /Layer 1 is laid · layer 2 comes next \(1 in the file\)/,
  );
  await p.hover("[data-spine]");
  await p.mouse.wheel(0, -80);
  assert.equal(await height(), "0.60");
  const box = await (await p.$("[data-spine]")).boundingBox();
  await p.mouse.click(box.x + box.width / 2, box.y + 4);
  assert.equal(await height(), "2.00");
  for (const [typed, want] of [
    ["5", "0.80"],
    ["layer 7", "1.20"],
    ["file 3", "0.60"],
    ["line 20", "0.20"],
  ]) {
    await p.keyboard.press("/");
    await p.fill("#goto", typed);
    await p.keyboard.press("Enter");
    await p.waitForFunction(
      (w) => document.querySelector('[data-out="height"]').textContent === w,
      want,
    );
  }
  await p.keyboard.press("/");
  await p.fill("#goto", "99");
  await p.keyboard.press("Enter");
  await p.waitForFunction(() =>
    /There is no layer 99; this print has 10/.test(document.querySelector("#said").textContent),
  );

  // An ear by key, another by button, a plain stop; one moved, one removed.
  await p.fill("#goto", "4");
  await p.press("#goto", "Enter");
  await p.waitForFunction(() => document.querySelector("#before").value === "4");
  await p.click('[data-mark] [data-filament="white"]');
  await p.waitForSelector('[data-ear][data-before="4"][data-open="true"]');
  assert.match(
    await reads(p, '[data-out="sentence"]'),
    /Signal red ends with layer 3 · Gull white begins with layer 4/,
  );
  await p.keyboard.press("ArrowUp");
  await p.keyboard.press("ArrowUp");
  await p.waitForFunction(() => document.querySelector("#before").value === "6");
  await p.keyboard.press("m");
  await p.keyboard.press("Enter");
  await p.waitForSelector('[data-ear][data-before="6"]');
  assert.match(await reads(p, '[data-ear][data-before="6"]'), /Signal red/);
  await p.keyboard.press("ArrowUp");
  await p.click("[data-plain]");
  await p.waitForSelector('[data-ear][data-before="7"]');
  await p.fill('[data-ear][data-before="7"] input[name="where"]', "8");
  await p.press('[data-ear][data-before="7"] input[name="where"]', "Enter");
  // The fold goes along with what is moved, and its card stays open.
  await p.waitForSelector('[data-ear][data-before="8"][data-open="true"]');
  await p.keyboard.press("Escape");
  await p.click('[data-jump="6"]');
  await p.keyboard.press("m");
  await p.waitForSelector('[data-ear][data-before="6"]', { state: "detached" });
  await p.keyboard.press("u");
  await p.waitForSelector('[data-ear][data-before="6"]');
  await p.keyboard.press("U");
  await p.waitForSelector('[data-ear][data-before="6"]', { state: "detached" });
  await axe(p, "the bench");

  // All is kept: a fresh page shows the same.
  await p.reload();
  await p.waitForSelector('[data-bench][data-ready="true"]');
  assert.deepEqual(await p.$$eval("[data-ear]", (l) => l.map((e) => e.dataset.before)), ["4", "8"]);

  await p.click('nav a:has-text("Proof")');
  assert.equal(await reads(p, "h1"), "Same plastic");
  assert.match(await reads(p, "main"), /waits for you/);
  await axe(p, "the proof");
  const [download] = await Promise.all([
    p.waitForEvent("download"),
    p.click('main a:has-text("Write the file")'),
  ]);
  assert.match(download.suggestedFilename(), /^test-tower_stop-4-8_[2-9a-z]{3}\.gcode$/);
  const out = readFileSync(await download.path(), "utf8");

  // The file: nothing lost, same plastic, the stops where they belong.
  const ours = /^; dogear ear .*$/;
  let inside = false;
  const rest = out.split("\n").filter((l) => {
    const m = ours.test(l);
    if (m) inside = !l.endsWith(" ends");
    return !m && !inside;
  });
  assert.equal(rest.join("\n"), file);
  const a = lays(file),
    b = lays(out);
  assert.deepEqual(b.out, a.out);
  assert.deepEqual(
    b.stops.map((s) => s.after),
    [12, 28],
  );
  for (const s of b.stops)
    assert.ok(s.z > 10 && (s.x < 98 || s.y > 122), `parked at ${JSON.stringify(s)}`);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("what is not a sliced file is refused in a sentence, and nothing is kept", async () => {
  const p = await page(browser);
  await open(p, app.url);
  const count = () => p.$$eval("h2 a", (l) => l.length);
  const had = await count();
  const cases = [
    [
      "picture.gcode",
      Buffer.from("\x89PNG\r\n\x1a\nxxxxxxxx", "latin1"),
      /this is a picture|This is a picture/,
    ],
    ["nothing.gcode", Buffer.from(""), /nothing in this file/],
    ["still.gcode", Buffer.from("M104 S200\nM140 S60\nG28\n"), /never moves the head/],
    ["wide.gcode", Buffer.from("\ufeffG1 X1 E1\n", "utf16le"), /UTF-16/],
    ["story.gcode", Buffer.from("The tide was out and the harbour lay dry.\n"), /no G-code/],
    ["zeros.gcode.gz", gzipSync(Buffer.alloc(300 << 20)), /expands to far more/],
  ];
  for (const [name, buffer, want] of cases) {
    await p.setInputFiles("[data-file]", { name, mimeType: "application/octet-stream", buffer });
    const said = await p.waitForSelector(
      `[data-arrivals] [role="alert"]:has-text("${name} was not taken")`,
      { timeout: 60000 },
    );
    assert.match(await said.textContent(), want, name);
  }
  await p.reload();
  assert.equal(await count(), had);
  await p.context().close();
});

test("the demo prints open at night, on a small screen, flat or tall", async () => {
  const p = await page(browser, { colorScheme: "dark", viewport: { width: 1024, height: 700 } });
  await open(p, app.url);
  await axe(p, "the shelf at night");
  const links = await p.$$eval("h2 a", (l) => l.map((a) => a.href));
  for (const link of links) {
    await p.goto(link);
    await p.waitForSelector('[data-bench][data-ready="true"]');
    await p.keyboard.press("End");
    await p.keyboard.press("Home");
    await p.keyboard.press("Shift+ArrowUp");
  }
  await axe(p, "the bench at night");
  await p.click('header button:has-text("Day")');
  assert.equal(await p.evaluate(() => document.documentElement.dataset.theme), "day");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("what was marked survives a kill", async () => {
  const one = await start({ keep: true });
  const p = await page(browser);
  await open(p, `${one.url}/prints/3?before=4`);
  await p.click('[data-mark] [data-filament="white"]');
  await p.waitForSelector('[data-ear][data-before="4"]');
  await one.stop("SIGKILL");
  const two = await start({ data: one.dir });
  await open(p, `${two.url}/prints/3`);
  assert.deepEqual(await p.$$eval("[data-ear]", (l) => l.map((e) => e.dataset.before)), ["4"]);
  await p.context().close();
  await two.stop();
});
