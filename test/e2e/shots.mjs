// Takes the pictures in docs/screenshots from the running demo.
import { mkdirSync } from "node:fs";
import { browse, open, page, start } from "./dogear.mjs";

const out = new URL("../../docs/screenshots/", import.meta.url).pathname;
mkdirSync(out, { recursive: true });
const app = await start();
const browser = await browse();
const shots = [
  ["shelf", "/", {}],
  ["bench", "/prints/7?before=96", {}],
  ["bench-flat", "/prints/5?before=13", {}],
  ["bench-night", "/prints/6?before=80", { colorScheme: "dark" }],
  ["inserts", "/prints/9?before=43", {}],
  ["bench-inside", "/prints/4?before=1&line=828", {}],
  ["lines", "/prints/7/lines?line=10115", {}],
  ["proof", "/prints/7/proof", {}],
  ["pick-up", "/prints/3/pickup", {}],
  ["cue-sheet", "/prints/7/cue?start=2026-11-28T09:30", {}],
  ["kit", "/kit", {}],
  ["routine", "/kit/routines/edit?key=quiet+swap", {}],
];
for (const [name, path, options] of shots) {
  const p = await page(browser, options);
  await open(p, app.url + path);
  await p.waitForTimeout(600);
  await p.screenshot({ path: `${out}${name}.png` });
  if (p.problems.length) console.log(name, p.problems);
  await p.context().close();
}
// The rehearsal at its first stop.
const p = await page(browser);
await p.goto(`${app.url}/prints/7/rehearse`);
await p.waitForSelector('[data-rehearse][data-ready="true"]');
await p.click('[data-speed="1000"]');
await p.click('[data-do="run"]');
await p.waitForSelector('[data-rehearse][data-state="waiting"]', { timeout: 60000 });
await p.waitForTimeout(600);
await p.screenshot({ path: `${out}rehearsal.png` });
await browser.close();
await app.stop();
