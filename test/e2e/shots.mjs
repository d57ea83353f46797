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
  ["bench-night", "/prints/6?before=55", { colorScheme: "dark" }],
  ["bench-inside", "/prints/4?before=1&line=828", {}],
  ["lines", "/prints/7/lines?line=10115", {}],
  ["proof", "/prints/7/proof", {}],
];
for (const [name, path, options] of shots) {
  const p = await page(browser, options);
  await open(p, app.url + path);
  await p.waitForTimeout(600);
  await p.screenshot({ path: `${out}${name}.png` });
  if (p.problems.length) console.log(name, p.problems);
  await p.context().close();
}
await browser.close();
await app.stop();
