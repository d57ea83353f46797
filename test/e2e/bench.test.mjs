// Finding folds by looking, as a new user would on each demo print.
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

const ids = { lighthouse: 7, buoy: 6, gauge: 5, nameplate: 4, bollard: 3 };
const at = (name, rest = "") => `${app.url}/prints/${ids[name]}${rest}`;
const height = (p) => reads(p, '[data-out="height"]');

// colours counts the pixels of a canvas that are near a colour.
const colours = (p, sel, rgb) =>
  p.$eval(
    sel,
    (c, want) => {
      const d = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
      let n = 0;
      for (let i = 0; i < d.length; i += 4)
        if (
          d[i + 3] > 200 &&
          Math.abs(d[i] - want[0]) + Math.abs(d[i + 1] - want[1]) + Math.abs(d[i + 2] - want[2]) <
            60
        )
          n++;
      return n;
    },
    rgb,
  );

test("the numerals of the tide gauge: one landmark, one key", async () => {
  const p = await page(browser);
  await open(p, at("gauge", "?before=2"));
  await p.keyboard.press("l");
  await p.waitForFunction(
    () => document.querySelector('[data-out="height"]').textContent === "2.40",
  );
  assert.match(
    await reads(p, "#said"),
    /Plastic stops over 8\d % of the flat top; 10 islands go on/,
  );
  await p.click('[data-mark] [data-filament="red"]');
  await p.waitForSelector('[data-ear][data-before="13"][data-open="true"]');
  // The cover shows red numerals on a white board at once; below it stays white.
  await p.click('[data-view="above"]');
  await p.waitForSelector('[data-cover][data-shown^="above/"]');
  assert.ok((await colours(p, "[data-cover] canvas", [184, 54, 43])) > 500, "numerals are red");
  await p.click('[data-view="below"]');
  await p.waitForSelector('[data-cover][data-shown^="below/"]');
  assert.equal(await colours(p, "[data-cover] canvas", [184, 54, 43]), 0);
  // Moving the ear moves the colours; undo brings them back.
  await p.fill('[data-ear] input[name="where"]', "17");
  await p.press('[data-ear] input[name="where"]', "Enter");
  await p.waitForSelector('[data-ear][data-before="17"]');
  await axe(p, "the bench with its cover");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("the nameplate's letters: a fold inside layer 1", async () => {
  const p = await page(browser);
  await open(p, at("nameplate", "?before=1"));
  await p.click('button[data-jump-line]:has-text("what surrounds them begins")');
  await p.waitForFunction(() =>
    /in front of line 828/.test(document.querySelector('[data-out="sentence"]').textContent),
  );
  assert.equal(await reads(p, "h1 [data-out=what]"), "Inside at");
  // What is left there, seen from below in the next colour: the letters stay, faded.
  await p.click('#finds li:has(button[data-jump-line="828"]) [data-rest]');
  await p.waitForSelector('[data-cover][data-shown$="/828"]');
  assert.equal(await p.getAttribute('[data-view="below"]', "aria-pressed"), "true");
  assert.ok((await colours(p, "[data-cover] canvas", [184, 54, 43])) > 500, "the board is red");
  assert.ok(
    (await colours(p, "[data-cover] canvas", [195, 192, 187])) > 100,
    "the letters are faded",
  );
  await p.keyboard.press("r");
  await p.waitForSelector('[data-cover][data-shown^="slant/"]');
  await p.click('[data-mark] [data-filament="white"]');
  await p.waitForSelector('[data-ear][data-line="828"][data-open="true"]');
  assert.match(
    await reads(p, '[data-out="sentence"]'),
    /Tar black ends inside layer 1 · Gull white begins in front of line 828/,
  );
  // The link holds the fold: a fresh page opens it again.
  const url = new URL(p.url());
  assert.equal(url.searchParams.get("line"), "828");
  await p.reload();
  await p.waitForSelector('[data-bench][data-ready="true"]');
  await p.waitForSelector('[data-ear][data-line="828"][data-open="true"]');
  // Along the thread by key, and back to it with n.
  await p.keyboard.press("ArrowLeft");
  await p.waitForFunction(
    () => !/line 828/.test(document.querySelector('[data-out="sentence"]').textContent),
  );
  await p.keyboard.press("n");
  await p.waitForFunction(() =>
    /line 828/.test(document.querySelector('[data-out="sentence"]').textContent),
  );
  await p.goto(at("nameplate", "/proof"));
  assert.equal(await reads(p, "h1"), "Same plastic");
  assert.match(await reads(p, "main"), /inside layer 1/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("the buoy's pocket: last open, with its cover shown", async () => {
  const p = await page(browser);
  await open(p, at("buoy"));
  assert.equal(await height(p), "15.80");
  await p.waitForFunction(() =>
    /covered here: 1\d\d mm²/.test(document.querySelector('[data-out="right-hover"]').textContent),
  );
  // Hovering a path tells what it is.
  const box = await (await p.$('[data-page="left"]')).boundingBox();
  await p.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  assert.match(await reads(p, '[data-out="left-hover"]'), /X 110\.\d\d Y 1(08|09|10)\.\d\d mm/);
  let told = "";
  for (let x = 20; x < box.width && !/outer wall/.test(told); x += 4) {
    await p.mouse.move(box.x + x, box.y + box.height / 2 - 7);
    await p.evaluate(() => new Promise((drawn) => requestAnimationFrame(drawn)));
    told = await reads(p, '[data-out="left-hover"]');
  }
  assert.match(told, /outer wall · \d+\.\d mm · \d+ mm\/s · .* in · line/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("go to understands layers, heights, numbers, lines, shares and times", async () => {
  const p = await page(browser);
  await open(p, at("lighthouse"));
  for (const [typed, said] of [
    ["38", /Layer 38: fold before layer 38/],
    ["file 37", /The file's 37 is layer 38/],
    ["line 10115", /Line 10115 belongs to layer 38/],
    ["50%", /50 % of the time falls into layer/],
    ["20 min", /0:20:00 into the print falls into layer/],
    ["soon", /“soon” is no place; write a layer/],
    ["999mm", /78\.00 mm high/],
    ["9h", /done before that/],
  ]) {
    await p.fill("#goto", typed);
    await p.press("#goto", "Enter");
    await p.waitForFunction(
      (s) => new RegExp(s).test(document.querySelector("#said").textContent),
      said.source,
      { timeout: 4000 },
    );
  }
  // A height lies between two folds: both are offered, and nothing moves by itself.
  await p.fill("#goto", "7.4mm");
  await p.press("#goto", "Enter");
  await p.waitForSelector("[data-folds] button:focus");
  assert.equal(await reads(p, "[data-folds] p"), "7.4 mm is the top of layer 37");
  await axe(p, "two folds at one height");
  await p.keyboard.press("Tab");
  await p.keyboard.press("Enter");
  await p.waitForFunction(() =>
    /before layer 38/.test(document.querySelector("#said").textContent),
  );
  assert.equal(await height(p), "7.40");
  assert.ok(await p.isHidden("[data-folds]"));
  // By pointer as well.
  await p.fill("#goto", "7.4mm");
  await p.press("#goto", "Enter");
  await p.click('[data-folds] button:has-text("before 37")');
  await p.waitForFunction(() =>
    /before layer 37/.test(document.querySelector("#said").textContent),
  );
  assert.equal(await height(p), "7.20");
  // Dragging an ear on the spine moves it.
  const svg = await (await p.$("[data-spine]")).boundingBox();
  const ear = await (await p.$('[data-spine] [data-ear-id="a1"]')).boundingBox();
  await p.mouse.move(ear.x + 14, ear.y + 8);
  await p.mouse.down();
  await p.mouse.move(svg.x + 120, ear.y - 20, { steps: 5 });
  await p.mouse.up();
  await p.waitForFunction(() => document.querySelector('[data-ear="a1"]').dataset.before > 38);
  await p.keyboard.press("Control+z");
  await p.waitForFunction(() => document.querySelector('[data-ear="a1"]').dataset.before === "38");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("lines: scrolling, searching, explained, and back to the bench", async () => {
  const p = await page(browser);
  await open(p, at("lighthouse", "/lines?line=10115"));
  await p.waitForSelector('[data-lines][data-ready="true"]');
  assert.match(await reads(p, '[data-line="10115"]'), /the file's clock; it closes the layer/);
  assert.match(await p.getAttribute('[data-line="10115"]', "title"), /An ear stands/);
  await p.fill("#search", "M104 S210");
  await p.press("#search", "Enter");
  await p.waitForFunction(
    () => document.querySelector('[data-out="text"]').textContent === "M104 S210",
  );
  await p.fill("#search", "z 40 40.1");
  await p.press("#search", "Enter");
  await p.waitForFunction(() =>
    /Z 40 mm/.test(document.querySelector('[data-out="state"]').textContent),
  );
  await p.focus("[data-scroll]");
  await p.keyboard.press("End");
  await p.waitForFunction(() =>
    /done in/.test(document.querySelector('[data-out="text"]').textContent),
  );
  assert.ok((await p.$$eval("[data-line]", (l) => l.length)) < 60, "only the rows in sight exist");
  await axe(p, "the lines");
  await p.fill("#search", "10120");
  await p.press("#search", "Enter");
  await p.waitForFunction(() =>
    /layer 38 of 390/.test(document.querySelector('[data-out="bench"]').textContent),
  );
  await p.click('[data-out="bench"]');
  await p.waitForSelector('[data-bench][data-ready="true"]');
  assert.equal(await height(p), "7.40");
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
