// A failed print, from what one knows about it to the file that finishes it.
import { test, before, after } from "node:test";
import assert from "node:assert/strict";
import { axe, browse, lays, page, reads, save, start, tell } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser.close();
  await app.stop();
});

const said = (p, re) =>
  p.waitForFunction((t) => new RegExp(t).test(document.querySelector("#said").textContent), re);
async function open(p, n) {
  await p.goto(`${app.url}/prints/${n}/pickup`);
  await p.waitForSelector('[data-pickup][data-ready="true"]');
}
test("the bollard that failed at 60 %: three pieces of evidence, and the file", async () => {
  const p = await page(browser);
  await p.goto(app.url);
  await p.click('a:has-text("failed at")');
  await p.waitForSelector('[data-pickup][data-ready="true"]');
  await p.waitForSelector("[data-proposed]");
  await axe(p, "a pick-up that is proposed");
  assert.equal(await p.$("[data-write]"), null, "nothing is taken silently");
  await tell(p, "touch", { value: "41.07" });
  await p.waitForSelector('[data-piece]:has-text("layer 205, off by 0.07")');
  await tell(p, "caliper", { value: "41.05" });
  await p.waitForSelector('[data-piece]:has-text("Calipers")');
  assert.equal((await p.$$("[data-piece]")).length, 3);
  assert.equal((await p.$$("[data-spine] .spine-bar")).length, 3);
  assert.match(await reads(p, "h1"), /On the bed: 41\.00/);
  await p.click('[data-proposed] button:has-text("Yes, layer 205")');
  await p.waitForSelector("[data-write]");
  await p.waitForSelector('[data-seal]:has-text("Nothing moves below 41.00 mm")');
  assert.match(
    await reads(p, "[data-opening]"),
    /muted.*G28.*would bring the nozzle down onto the part/s,
  );
  // What does not fit is named, and taken back.
  await tell(p, "minutes", { value: "1:40" });
  await p.waitForSelector('[role="alert"]:has-text("Did the printer go on without filament?")');
  await p.click("#pu-undo");
  await p.waitForFunction(() => document.querySelectorAll("[data-piece]").length === 3);
  await axe(p, "a pick-up");
  const touch = await save(p, () => p.click('a:has-text("Touch check file")'));
  assert.match(touch.name, /touch-check-205/);
  assert.ok(!/\bE-?\d/.test(touch.text.replace(/;.*/g, "")), "no filament moves");
  const file = await save(p, () => p.click("[data-write]"));
  assert.equal(file.name, "mooring-bollard_pick-up-from-206.gcode");
  // Its page stays: its files, what to do, where the touch check goes.
  await p.waitForURL(/pickups\/\d+$/);
  assert.match(await reads(p, "h1"), /Pick-up from layer 206/);
  assert.match(
    await reads(p, "[data-sheet]"),
    /Leave the part on the bed.*It lays layer 206 first/,
  );
  assert.equal(await p.locator("main svg circle").count(), 3);
  await axe(p, "a pick-up that was written");
  const again = await save(p, () => p.click('a:has-text("Touch check file")'));
  assert.equal(again.text, touch.text, "its touch check is the one that was tried");
  // The original, to compare with: the print is not marked.
  await p.goto(`${app.url}/prints/3`);
  const original = await save(p, () => p.click('header a[href$="/write"]'));
  const a = lays(original.text).out,
    b = lays(file.text).out.filter((m) => Number(m.split(" ")[4]) < 80 && !/^88/.test(m));
  assert.deepEqual(b, a.slice(a.length - b.length));
  assert.equal(b[0].split(" ")[4], "41.2");
  assert.ok(
    original.text.endsWith(
      file.text.split("; dogear pick-up ends: from here on the original\n")[1],
    ),
    "the rest is the original, byte for byte",
  );
  await open(p, 3);
  assert.match(
    await reads(p, "[data-earlier]"),
    /from layer 206.*Touched with the nozzle 41\.07 mm/s,
  );
  assert.deepEqual(p.problems, []);
});

test("a picture of the part lies under the layer it shows, pinned by two places", async () => {
  const p = await page(browser);
  await open(p, 3);
  await tell(p, "touch", { value: "41.0" });
  await p.waitForSelector('[data-piece]:has-text("layer 205")');
  // The part as a camera would see it: a blue disc, turned, and a light place on it.
  const [w, h, r, cx, cy] = [900, 700, 220, 470, 360];
  const png = await p.evaluate(
    (disc) => {
      const c = Object.assign(document.createElement("canvas"), { width: 900, height: 700 });
      const x = c.getContext("2d");
      x.fillStyle = "#8a7f6a";
      x.fillRect(0, 0, 900, 700);
      x.fillStyle = "#2030e0";
      x.beginPath();
      x.arc(...disc, 0, 7);
      x.fill();
      return c.toDataURL("image/png").split(",")[1];
    },
    [cx, cy, r],
  );
  const picture = {
    name: "part.png",
    mimeType: "image/png",
    buffer: Buffer.from(png, "base64"),
  };
  await p.setInputFiles("[data-photo]", picture);
  await p.waitForSelector("[data-pinning]:not([hidden])");
  await axe(p, "a picture that is pinned");
  // By pointer onto the two places; the camera was turned by a quarter of a right angle.
  const box = await p.locator("[data-picture]").boundingBox();
  for (const [i, turn] of [
    [0, 5 / 4],
    [1, 1 / 4],
  ]) {
    const at = Math.PI * (turn + 1 / 8);
    const handle = await p.locator("[data-handle]").nth(i).boundingBox();
    await p.mouse.move(handle.x + 14, handle.y + 14);
    await p.mouse.down();
    await p.mouse.move(
      box.x + ((cx + r * Math.cos(at)) / w) * box.width,
      box.y + ((cy - r * Math.sin(at)) / h) * box.height,
      { steps: 4 },
    );
    await p.mouse.up();
  }
  await p.click("[data-pinned]");
  await p.waitForFunction(() => /Pinned/.test(document.querySelector("#said").textContent));
  // Without the layer over it the disc fills the circle that the layer is, and no more.
  await p.locator("[data-fade]").fill("0");
  const blue = () =>
    p.$eval('[data-page="left"]', (c) => {
      const d = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
      let [x0, y0, x1, y1] = [1e9, 1e9, -1, -1];
      for (let k = 0; k < d.length; k += 4)
        if (d[k + 2] > 180 && d[k] < 90) {
          const x = (k / 4) % c.width,
            y = Math.floor(k / 4 / c.width);
          [x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)];
        }
      return [x1 - x0, y1 - y0];
    });
  await p.waitForFunction(() => {
    const c = document.querySelector('[data-page="left"]');
    const d = c.getContext("2d").getImageData(c.width / 2, c.height / 2, 1, 1).data;
    return d[2] > 180;
  });
  const [across, high] = await blue();
  assert.ok(Math.abs(across - high) < 8, `a disc stays one: ${across} by ${high}`);
  const size = await p.$eval('[data-page="left"]', (c) => c.height);
  assert.ok(across > size / 4 && across < size, `${across} of ${size}`);
  // Where the foot of the part is seen, it can be pinned by that, whichever layer is on top.
  await p.click("[data-pin]");
  await p.check("[data-foot]");
  await p.waitForFunction(
    () => document.querySelector('[data-out="right-what"]').textContent === "its foot",
  );
  await p.click("[data-pinned]");
  await p.waitForFunction(() => /Pinned/.test(document.querySelector("#said").textContent));
  // It is no new print, it stays over a reload, and can be taken away and back.
  await p.reload();
  await p.waitForSelector('[data-pickup][data-ready="true"]');
  await p.waitForSelector("[data-fade]");
  await p.click('button:has-text("Take it away")');
  await p.waitForSelector("[data-photo]", { state: "attached" });
  await p.setInputFiles("[data-photo]", {
    name: "part.png",
    mimeType: "image/png",
    buffer: Buffer.from("no picture"),
  });
  await p.waitForFunction(() => /no picture/.test(document.querySelector("#said").textContent));
  await p.click("#pu-undo");
  await p.waitForSelector("[data-fade]");
  assert.deepEqual(p.problems, []);
});

test("a height is read off a picture from the side, by three levels", async () => {
  const p = await page(browser);
  await open(p, 3);
  if (!(await p.$eval("#more-known", (d) => d.open))) await p.click("#more-known summary");
  await p.selectOption("#ev-kind", "picture");
  const png = await p.evaluate(() => {
    const c = Object.assign(document.createElement("canvas"), { width: 600, height: 1000 });
    const x = c.getContext("2d");
    x.fillStyle = "#cbb";
    x.fillRect(0, 0, 600, 1000);
    x.fillStyle = "#334";
    x.fillRect(100, 840, 400, 60); // its foot, 6 mm high
    x.fillRect(180, 490, 240, 410); // up to 41 mm
    return c.toDataURL("image/png").split(",")[1];
  });
  await p.setInputFiles("[data-side-file]", {
    name: "side.png",
    mimeType: "image/png",
    buffer: Buffer.from(png, "base64"),
  });
  await p.waitForSelector("[data-side]:not([hidden])");
  await p.fill("#ev-known", "6");
  await axe(p, "a picture from the side");
  const box = await p.locator("[data-side]").boundingBox();
  for (const [level, share] of [
    ["bed", 0.9],
    ["known", 0.84],
    ["top", 0.49],
  ]) {
    const b = await p.locator(`[data-level="${level}"]`).boundingBox();
    await p.mouse.move(b.x + b.width / 2, b.y + b.height - 1);
    await p.mouse.down();
    await p.mouse.move(b.x + b.width / 2, box.y + share * box.height, { steps: 4 });
    await p.mouse.up();
  }
  assert.ok(Math.abs((await p.inputValue("#ev-value")) - 41) < 1, await p.inputValue("#ev-value"));
  // By key, a little further up.
  const was = Number(await p.inputValue("#ev-value"));
  await p.focus('[data-level="top"]');
  await p.keyboard.press("ArrowUp");
  assert.ok(Number(await p.inputValue("#ev-value")) > was);
  await p.keyboard.press("ArrowDown");
  await p.click("[data-evidence] button:has-text('Add')");
  await p.waitForSelector('[data-piece]:has-text("In a picture from the side")');
  await p.click("#pu-undo");
  await p.waitForFunction(() => /Taken back/.test(document.querySelector("#said").textContent));
  assert.deepEqual(p.problems, []);
});

test("a start inside a layer, on the thread and by a click on the page", async () => {
  const p = await page(browser);
  await open(p, 5);
  await p.focus("[data-spine]");
  await p.keyboard.press("ArrowUp");
  await said(p, "is the last good one");
  await p.click("#st-mid");
  await p.waitForSelector("[data-mid]:not([hidden])");
  await p.waitForFunction(() => document.querySelector("[data-thread]").childElementCount > 4);
  const line = async () =>
    Number(
      (await reads(p, '[data-out="mid-note"]')).match(/line ([\d\s\u2009]+)/)[1].replace(/\D/g, ""),
    );
  const was = await line();
  const note = () => p.textContent('[data-out="mid-note"]');
  let told = await note();
  await p.focus("[data-thread]");
  await p.keyboard.press("ArrowRight");
  await said(p, "It goes on in front of line");
  // answers waits until the note is another one or, after a click, that there is no path.
  const answers = () =>
    p.waitForFunction((text) => {
      const beside = /^Click on a path/.test(document.querySelector("#said").textContent);
      return beside || document.querySelector('[data-out="mid-note"]').textContent !== text;
    }, told);
  await answers();
  const later = await line();
  assert.ok(later > was);
  const box = await (await p.$('[data-page="right"]')).boundingBox();
  for (let i = 0; i < 12 && (await line()) === later; i++) {
    told = await note();
    await p.evaluate(() => document.querySelector("#said").replaceChildren());
    await p.mouse.click(box.x + box.width * (0.3 + 0.03 * i), box.y + box.height * 0.5);
    await answers();
  }
  assert.notEqual(await line(), later);
  assert.match(await reads(p, "h1 + p"), /is laid in part · the new file begins inside layer/);
  await p.waitForSelector("[data-seal]");
  const file = await save(p, () => p.click("[data-write]"));
  assert.match(file.text, /; dogear pick-up: goes on with layer \d+, line \d+/);
  assert.deepEqual(p.problems, []);
});

test("homing onto the part is refused, with a picture", async () => {
  const p = await page(browser, { colorScheme: "dark", viewport: { width: 1024, height: 800 } });
  await open(p, 7);
  await tell(p, "layer", { value: "200" });
  await p.click('button:has-text("Yes, layer 200")');
  await p.waitForSelector("[data-write]");
  await p.click("#z-clear");
  await p.waitForSelector('[data-problem]:has-text("Say where Z is homed")');
  await p.fill("#a-home", "120, 110");
  await p.press("#a-home", "Tab");
  await p.waitForSelector("[data-refused]");
  assert.equal(await p.$("[data-write]"), null);
  await axe(p, "a refused homing at night");
  assert.ok(
    await p.evaluate(() => document.documentElement.scrollWidth <= innerWidth),
    "it fits 1024 px",
  );
  await p.fill('[data-finding="homes-onto-part"] input[name="words"]', "go on");
  await p.click('button:has-text("I accept the risk")');
  await said(p, "i have looked and i will watch");
  await p.fill("#a-home", "20, 20");
  await p.press("#a-home", "Tab");
  await p.waitForSelector("[data-write]");
  await p.click("#lo-1");
  await p.waitForSelector('[data-write]:has-text("Write the loose top")');
  assert.match(await reads(p, '[data-finding="loose-top"]'), /Glue the face that lay on the bed/);
  assert.deepEqual(
    p.problems.filter((t) => !/422/.test(t)),
    [],
  );
});
