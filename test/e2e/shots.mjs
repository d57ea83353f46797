// Takes the pictures in docs/screenshots and docs/guide from the running demo.
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { browse, open, page, start } from "./dogear.mjs";

const at = (dir) => new URL(`../../docs/${dir}/`, import.meta.url).pathname;
const views = at("screenshots"),
  guide = at("guide");
for (const dir of [views, guide]) mkdirSync(dir, { recursive: true });
const app = await start();
const browser = await browse();

// One picture of each main view.
const shots = [
  ["shelf", "/"],
  ["bench", "/prints/7?before=96"],
  ["bench-flat", "/prints/5?before=13"],
  ["bench-night", "/prints/6?before=80", { colorScheme: "dark" }],
  ["inserts", "/prints/9?before=43"],
  ["bench-inside", "/prints/4?before=1&line=828"],
  ["lines", "/prints/7/lines?line=10115"],
  ["proof", "/prints/7/proof"],
  ["pick-up", "/prints/3/pickup"],
  ["cue-sheet", "/prints/7/cue?start=2026-11-28T09:30"],
  ["bind", "/bind?p=2:1-60&p=1:120-171&j=nozzle&n=0.25"],
  ["kit", "/kit"],
  ["routine", "/kit/routines/edit?key=quiet+swap"],
  ["handshake", "/kit/printers/handshake?key=porch", { viewport: { width: 390, height: 844 } }],
];
// shoot takes a picture of a page, or of a part of it, after some steps.
async function shoot(file, path, { options = {}, steps = async () => {}, part } = {}) {
  const p = await page(browser, options);
  await open(p, app.url + path);
  await p.waitForTimeout(600);
  await steps(p);
  await p.waitForTimeout(400);
  const box = part && (await part(p));
  await p.screenshot({ path: file, ...(box ? { clip: box } : {}) });
  // The picture itself hides the caret.
  const real = p.problems.filter((t) => !/inline style/.test(t));
  if (real.length) console.log(file, real);
  await p.context().close();
}
for (const [name, path, options] of shots) await shoot(`${views}${name}.png`, path, { options });
await shoot(`${views}rehearsal.png`, "/prints/7/rehearse", {
  steps: async (p) => {
    // at its first stop
    await p.waitForSelector('[data-rehearse][data-ready="true"]');
    await p.click('[data-speed="1000"]');
    await p.click('[data-do="run"]');
    await p.waitForSelector('[data-rehearse][data-state="waiting"]', { timeout: 60000 });
  },
});

await shoot(`${views}watch.png`, "/prints/7/watch", {
  options: { viewport: { width: 390, height: 844 } },
  steps: async (p) => {
    await p.click('[data-do="start"]');
    await p.waitForSelector('[data-show="runs"]:not([hidden])');
  },
});

// The guide: what is looked at in each job. around gives the place of some
// elements with a little room.
const around =
  (...sels) =>
  async (p) => {
    const all = [];
    for (const s of sels) all.push(await p.locator(s).first().boundingBox());
    const x = Math.min(...all.map((b) => b.x)) - 8,
      y = Math.min(...all.map((b) => b.y)) - 8;
    return {
      x: Math.max(x, 0),
      y: Math.max(y, 0),
      width: Math.max(...all.map((b) => b.x + b.width)) + 8 - Math.max(x, 0),
      height: Math.min(Math.max(...all.map((b) => b.y + b.height)) + 8, 800) - Math.max(y, 0),
    };
  };
const book = around('[data-page="left"]', "[data-spine]", '[data-page="right"]', "h1");
await shoot(`${guide}colour-band.png`, "/prints/7?before=154", {
  part: around("h1", "[data-spine]", '[data-page="right"]', "[data-ear][data-open=true]"),
});
await shoot(`${guide}raised-letters.png`, "/prints/5?before=13", { part: book });
await shoot(`${guide}flush-letters.png`, "/prints/4?before=1&line=828", {
  part: around('[data-page="left"]', '[data-page="right"]', "[data-thread]"),
});
await shoot(`${guide}nut.png`, "/prints/6?before=80", { part: book });
await shoot(`${guide}loose-balls.png`, "/prints/9?before=45", {
  part: around('[data-page="left"]', '[data-page="right"]', "[data-thread]"),
});
await shoot(`${guide}failed-print.png`, "/prints/3/pickup", {
  part: around("[data-spine]", '[data-page="left"]', '[data-page="right"]', "h1"),
});
await shoot(`${views}pick-up-sheet.png`, "/prints/3/pickup", {
  steps: async (p) => {
    await p.click('[data-proposed] button:has-text("Yes")');
    await p.click("button[data-write]");
    await p.waitForURL(/pickups\/\d+$/);
  },
});
await shoot(`${guide}two-nozzles.png`, "/bind?p=2:1-60&p=1:120-171&j=nozzle&n=0.25", {
  part: around("h1", '[data-page="left"]', "[data-spine]", '[data-page="right"]', "aside"),
});
await shoot(`${guide}mended.png`, "/prints/2?before=30", {
  steps: async (p) => {
    await p.keyboard.press("e");
    await p.waitForSelector("[data-kind]");
    await p.click('[data-kind="fill"]');
    await p.evaluate(() => scrollTo(0, 0));
  },
  part: around("h1", '[data-page="left"]', '[data-page="right"]', "[data-mend]"),
});
// The same model sliced again: the coarse wall, with an ear, and then the fine one.
await shoot(`${guide}sliced-again.png`, "/prints/2?before=61", {
  steps: async (p) => {
    await p.click('[data-mark] [data-filament="white"]');
    await p.waitForSelector("[data-ear]");
    const fine = join(app.dir, "harbour-wall-fine.gcode");
    writeFileSync(fine, await whole(1));
    await p.click("#versions summary");
    await p.setInputFiles("[data-newer]", fine);
    await p.waitForURL((u) => /prints\/1\d$/.test(u.pathname));
    await p.waitForSelector('[data-bench][data-ready="true"]');
  },
  part: around("h1", '[data-page="right"]', "[data-spine]", "[data-carried]", "[data-ear]"),
});
await shoot(`${views}compare.png`, "/prints/10/compare/2");
// Last, since it takes something off the shelf.
await shoot(`${guide}taken-off.png`, "/", {
  steps: async (p) => {
    await p.getByRole("button", { name: /Take Pilot boat .* off the shelf/ }).click();
    await p.waitForURL(/off=/);
    await p.goto(app.url + "/off");
  },
  part: around("h1", "ul"),
});
await browser.close();
await app.stop();

// whole is the file of a print as it was brought: what is written, without marks.
async function whole(id) {
  const p = await page(browser);
  await p.goto(`${app.url}/prints/${id}`);
  const [d] = await Promise.all([p.waitForEvent("download"), p.click('text="Write the file"')]);
  const text = readFileSync(await d.path(), "utf8");
  await p.context().close();
  const out = [];
  let ours = "";
  for (const line of text.split("\n")) {
    const m = /^; dogear ear (\S+): /.exec(line);
    if (m) ours = `; dogear ear ${m[1]} ends`;
    if (!ours) out.push(line);
    if (line === ours) ours = "";
  }
  return out.join("\n");
}
