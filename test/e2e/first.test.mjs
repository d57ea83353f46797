// The first ten minutes: an empty shelf, a file dropped anywhere, the lens, marks on a small
// screen, and writing.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { axe, browse, lays, open, page, reads, start, tower } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

const height = (p) => reads(p, '[data-out="height"]');

// drop lets go of files over an element, as a file manager would.
async function drop(p, selector, files) {
  const data = await p.evaluateHandle((all) => {
    const d = new DataTransfer();
    for (const [name, text] of all) d.items.add(new File([text], name));
    return d;
  }, files);
  for (const type of ["dragenter", "dragover"])
    await p.dispatchEvent(selector, type, { dataTransfer: data });
  assert.ok(await p.isVisible("[data-over]"), "it says that one may let go");
  await p.dispatchEvent(selector, "drop", { dataTransfer: data });
}

const pillar = tower();

test("from an empty folder to the first file in fewer than ten actions", async () => {
  const own = await start({ command: "serve" });
  const p = await page(browser);
  await p.goto(own.url);
  assert.match(await reads(p, "main"), /Drop a sliced file anywhere/);
  assert.match(await reads(p, "main"), /try it on a lighthouse/);
  await axe(p, "the empty shelf");
  let actions = 0;
  const act = (what) => {
    actions++;
    return what;
  };
  await act(drop(p, "h1", [["breakwater.gcode", pillar]]));
  await p.waitForSelector('[data-bench][data-ready="true"]');
  await act(p.fill("#goto", "7"));
  await act(p.press("#goto", "Enter"));
  await p.waitForFunction(
    () => document.querySelector("#before").value === "7" && document.activeElement.id !== "goto",
  );
  await act(p.keyboard.press("m"));
  await p.waitForFunction(() => document.activeElement.closest("[data-mark]"));
  await act(p.keyboard.press("Enter"));
  await p.waitForSelector('[data-ear][data-before="7"][data-open="true"]');
  const [d] = await Promise.all([p.waitForEvent("download"), act(p.click("header [data-write]"))]);
  assert.match(d.suggestedFilename(), /^breakwater_stop-7_[2-9a-z]{3}\.gcode$/);
  const { stops, out } = lays(readFileSync(await d.path(), "utf8"));
  assert.equal(stops.length, 1);
  assert.deepEqual(out, lays(pillar).out);
  assert.ok(actions < 10, `${actions} actions`);
  assert.match(await reads(p, "#writing"), /Written .*breakwater_stop-7_.*Read the proof/);
  await axe(p, "the bench with the panel of what was written");
  await p.waitForFunction(() =>
    /Written last\s+today/.test(document.querySelector("#margin").textContent),
  );
  await p.keyboard.press("Escape");
  assert.ok(await p.isHidden("#writing"));
  // The shelf knows it too.
  await p.goto(own.url);
  assert.match(await reads(p, "main"), /Written today at .*: its cue sheet/);
  assert.match(await reads(p, "main"), /breakwater\.gcode/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
  await own.stop();
});

test("files are dropped on any page; several are brought in together", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/kit`);
  await drop(p, "main", [
    ["groyne.gcode", pillar.replace("M104 S210", "M104 S211")],
    ["a picture.gcode", "\u0000PNG"],
  ]);
  await p.waitForSelector('[data-arrivals] :text("groyne.gcode stands on the shelf")');
  await p.waitForSelector(
    '[data-arrivals] [role="alert"]:has-text("a picture.gcode was not taken")',
  );
  await p.click('[data-arrivals] a:has-text("Open it")');
  await p.waitForSelector('[data-bench][data-ready="true"]');
  // On the proof page a file that was edited by hand is proved, and is no new print.
  await p.goto(p.url().split("?")[0] + "/proof");
  const hand = pillar.replace("M104 S210", "M104 S211").replace("G1 Z1.4", "M25\nG1 Z1.4");
  await drop(p, "[data-byhand]", [["by-hand.gcode", hand]]);
  await p.waitForSelector('[data-byhand-out]:has-text("Same plastic")');
  assert.match(await reads(p, "[data-byhand-out]"), /1 line is added.*It stops once: M25 on line/);
  assert.ok(await p.isHidden("[data-over]"));
  await axe(p, "a file proved beside its original");
  // Dragging text about is no file.
  await p.evaluate(() => {
    const d = new DataTransfer();
    d.setData("text/plain", "a word");
    document
      .querySelector("h1")
      .dispatchEvent(
        new DragEvent("dragenter", { dataTransfer: d, bubbles: true, cancelable: true }),
      );
  });
  assert.ok(await p.isHidden("[data-over]"));
  await p.context().close();
});

test("the lens: layers as high as a finger; dragging in it steps, the spine jumps", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/7?before=42`);
  assert.equal(await reads(p, ".lens > .spine-text"), "layers 34 to 49");
  const beads = await p.$$eval(".lens-bead", (all) => all.map((e) => e.getBoundingClientRect()));
  assert.ok(beads.length >= 16 && beads.every((b) => b.height > 20), `${beads.length} beads`);
  // The silhouette keeps its shape: it is as wide and as high on the screen as on the bed.
  const edge = await p.$eval("[data-spine] > .spine-edge", (e) => {
    const b = e.getBBox();
    return b.height / b.width;
  });
  const book = await (await p.request.get(`${app.url}/prints/7/book`)).json();
  const wide =
    Math.max(...book.front.map((f) => f.at(-1))) - Math.min(...book.front.map((f) => f[0]));
  assert.ok(Math.abs(edge - book.height / wide) < 0.05, `${edge}, ${book.height / wide}`);
  const pane = await (await p.$(".lens-edge")).boundingBox();
  const y = (n) =>
    p.evaluate((k) => {
      const t = [...document.querySelectorAll(".lens > .spine-text")].find(
        (e) => e.textContent === k,
      );
      const r = t.getBoundingClientRect();
      return r.top + r.height / 2;
    }, String(n));
  // Dragged from between 41 and 42 to between 45 and 46, all along the same layers.
  const from = ((await y(41)) + (await y(42))) / 2,
    to = ((await y(45)) + (await y(46))) / 2;
  await p.mouse.move(pane.x + 20, from);
  await p.mouse.down();
  await p.mouse.move(pane.x + 24, (from + to) / 2, { steps: 3 });
  await p.mouse.move(pane.x + 24, to, { steps: 3 });
  await p.waitForFunction(() => document.querySelector("#before").value === "46");
  assert.equal(await reads(p, ".lens > .spine-text"), "layers 34 to 49");
  await p.mouse.up();
  await p.waitForFunction(() => /38 to 53/.test(document.querySelector(".lens").textContent));
  // An ear is dragged in the lens to another layer.
  await p.keyboard.press("Home");
  await p.fill("#goto", "38");
  await p.press("#goto", "Enter");
  await p.waitForSelector('.lens [data-ear-id="a1"]');
  const ear = await (await p.$('.lens [data-ear-id="a1"]')).boundingBox();
  await p.mouse.move(ear.x + 15, ear.y + 9);
  await p.mouse.down();
  await p.mouse.move(ear.x + 15, ((await y(39)) + (await y(40))) / 2, { steps: 4 });
  await p.mouse.up();
  await p.waitForFunction(() => document.querySelector('[data-ear="a1"]').dataset.before === "40");
  await p.keyboard.press("Control+z");
  await p.waitForFunction(() => document.querySelector('[data-ear="a1"]').dataset.before === "38");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("everything for one mark is in sight; a tablet and a phone have a bar", async () => {
  for (const [width, high, touch] of [
    [1280, 800, false],
    [1024, 768, false],
    [768, 1024, true],
    [390, 844, true],
  ]) {
    const p = await page(browser, { viewport: { width, height: high }, hasTouch: touch });
    await open(p, `${app.url}/prints/7?before=42`);
    const seen = (selector) =>
      p.$eval(selector, (e) => {
        const r = e.getBoundingClientRect();
        return r.height > 0 && r.top >= 0 && r.bottom <= innerHeight + 1;
      });
    if (width >= 900) {
      const tall = await p.evaluate(() => document.documentElement.scrollHeight);
      assert.ok(tall <= high, `the page is ${tall} px high at ${width}`);
      assert.ok(await seen("[data-mark]"), `the marks at ${width}`);
      // The card of an ear among seven is brought into sight with all that it asks for.
      await p.fill("#goto", "316");
      await p.press("#goto", "Enter");
      await p.waitForSelector('[data-ear="a6"][data-open="true"]');
      for (const part of ["[data-ear-form]", '[name="where"]', "[data-remove]"])
        assert.ok(await seen(`[data-ear="a6"] ${part}`), `${part} at ${width}`);
    } else {
      await p.tap('[data-bar-marks] button:has-text("Signal red")');
      await p.waitForSelector('[data-ear][data-before="42"]', { state: "attached" });
      assert.equal(await reads(p, '[data-out="bar-title"]'), "Signal red");
      await p.tap('[data-bar-marks] button:has-text("Remove")');
      await p.waitForSelector('[data-ear][data-before="42"]', { state: "detached" });
      const off = await p.evaluate(() => document.documentElement.scrollWidth - innerWidth);
      assert.ok(off <= 0, `${off} px stick out at ${width}`);
    }
    await axe(p, `the bench at ${width}`);
    assert.deepEqual(p.problems, []);
    await p.context().close();
  }
});

test("on the shelf no print stands in another one's place, at any width", async () => {
  for (const width of [390, 600, 768, 1024, 1280]) {
    const p = await page(browser, { viewport: { width, height: 800 } });
    await p.goto(app.url);
    const out = await p.$$eval(
      "[data-shelf] li svg",
      (all) =>
        all
          .map((e) => [e.getBoundingClientRect(), e.closest("li").getBoundingClientRect()])
          .filter(([s, li]) => s.right > li.right + 1).length,
    );
    assert.equal(out, 0, `${out} pictures reach over at ${width}`);
    await p.context().close();
  }
});

test("two fingers zoom the pages", async () => {
  const p = await page(browser, { hasTouch: true });
  await open(p, `${app.url}/prints/7?before=42`);
  const box = await (await p.$('[data-page="left"]')).boundingBox();
  const drawn = () =>
    p.evaluate(() => document.querySelector('[data-page="left"]').toDataURL().length);
  const was = await drawn();
  const cdp = await p.context().newCDPSession(p);
  const at = (d) => [
    { x: box.x + box.width / 2 - d, y: box.y + box.height / 2, id: 1 },
    { x: box.x + box.width / 2 + d, y: box.y + box.height / 2, id: 2 },
  ];
  await cdp.send("Input.dispatchTouchEvent", { type: "touchStart", touchPoints: at(20) });
  for (const d of [30, 50, 80])
    await cdp.send("Input.dispatchTouchEvent", { type: "touchMove", touchPoints: at(d) });
  await cdp.send("Input.dispatchTouchEvent", { type: "touchEnd", touchPoints: [] });
  await p.waitForFunction(
    (k) => document.querySelector('[data-page="left"]').toDataURL().length !== k,
    was,
  );
  assert.equal(await p.evaluate(() => visualViewport.scale), 1, "the page itself stays");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("what stops a file is said where one presses, with the way to the ear", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/5?before=9`);
  await p.click("[data-mark] [data-own]");
  await p.waitForSelector('[data-ear][data-before="9"][data-open="true"] textarea');
  await p.fill('[data-ear][data-before="9"] textarea', "G28 Z");
  await p.press('[data-ear][data-before="9"] textarea', "Tab");
  await p.waitForSelector('[data-ear][data-before="9"] li:has-text("would home")');
  await p.keyboard.press("Escape");
  await p.keyboard.press("Home");
  await p.click("header [data-write]");
  await p.waitForSelector('#writing [role="alert"]:has-text("would home or probe")');
  await axe(p, "the panel of a file that was stopped");
  await p.click('#writing a:has-text("Go there")');
  await p.waitForSelector('[data-ear][data-before="9"][data-open="true"]');
  await p.click('[data-ear][data-before="9"] [data-remove]');
  await p.waitForSelector('[data-ear][data-before="9"]', { state: "detached" });
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("the first steps tick themselves off, and go for good by one click", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/5`);
  const steps = () => reads(p, "[data-first]");
  assert.match(await steps(), /Try it on the tide gauge/);
  assert.equal(await height(p), "0.40", "there is a fold to look for");
  await axe(p, "the bench with the first steps");
  for (let i = 0; i < 10; i++) await p.keyboard.press("ArrowUp");
  await p.waitForFunction(() =>
    /✓ ?Done: Drag/.test(document.querySelector("[data-first]").innerText.replace(/\s+/g, " ")),
  );
  await p.locator("[data-mark] button:not(:disabled)").first().click();
  await p.waitForSelector('[data-ear][data-before="13"]');
  await Promise.all([p.waitForEvent("download"), p.click("header [data-write]")]);
  await p.waitForSelector('[data-first] h2:has-text("That is all there is to it")');
  await p.reload();
  await p.waitForSelector('[data-bench][data-ready="true"]');
  assert.ok(await p.isHidden("[data-first]"), "done is done");
  await p.click("#undo");
  await p.waitForSelector('[data-ear][data-before="13"]', { state: "detached" });
  // Elsewhere they are put away by one click.
  const q = await page(browser);
  await open(q, `${app.url}/prints/5`);
  await q.click("[data-first-close]");
  assert.equal(await q.$("[data-first]"), null);
  await q.reload();
  await q.waitForSelector('[data-bench][data-ready="true"]');
  assert.ok(await q.isHidden("[data-first]"));
  assert.deepEqual([...p.problems, ...q.problems], []);
  await p.context().close();
  await q.context().close();
});

test("a server that has gone is said on the page, and when it is back", async () => {
  const own = await start({ keep: true });
  const p = await page(browser);
  await open(p, `${own.url}/prints/7`);
  await own.stop();
  await p.waitForSelector("#gone:not([hidden])", { timeout: 15000 });
  assert.match(await reads(p, "#gone"), /Dogear does not answer/);
  await p.context().close();
});

test("without scripts a page says what it needs", async () => {
  const p = await page(browser, { javaScriptEnabled: false });
  await p.goto(`${app.url}/prints/7`);
  assert.match(await reads(p, "body"), /Switch it on for this page/);
  await p.context().close();
});
