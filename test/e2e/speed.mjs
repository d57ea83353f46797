// Measures what a person waits for on the bench of the largest demo print:
// from a key to the drawn pages, and the frames while the thread is scrubbed.
// Run: DOGEAR=tmp/dogear-e2e node test/e2e/speed.mjs
import { browse, open, page, start } from "./dogear.mjs";

const app = await start();
const browser = await browse();
const p = await page(browser);
await p.context().tracing.start({ snapshots: false, screenshots: false });
await open(p, `${app.url}/prints/7?before=150`);
await p.waitForTimeout(1500);
const quantiles = (t) => {
  t.sort((a, b) => a - b);
  const at = (k) => `${t[k].toFixed(1)} ms`;
  const last = t.length - 1;
  return `median ${at(t.length >> 1)}, 95 % ${at(Math.floor(last * 0.95))}, most ${at(last)}`;
};
const press = (name, count) =>
  p.evaluate(
    async ([key, times]) => {
      const root = document.querySelector("[data-bench]"),
        out = [];
      for (let i = 0; i < times; i++) {
        const drawn = Promise.race([
          new Promise((r) => root.addEventListener("dogear:drawn", r, { once: true })),
          new Promise((r) => setTimeout(r, 2000)),
        ]);
        const t = performance.now();
        document.body.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
        await drawn;
        await new Promise((r) => requestAnimationFrame(r));
        out.push(performance.now() - t);
        await new Promise((r) => setTimeout(r, 60));
      }
      return out;
    },
    [name, count],
  );
console.log("fold to fold:", quantiles(await press("ArrowUp", 60)));
await p.fill("#goto", "8");
await p.press("#goto", "Enter");
await p.waitForTimeout(600);
console.log("along the thread:", quantiles(await press("ArrowRight", 60)));
const box = await (await p.$("[data-thread]")).boundingBox();
await p.evaluate(() => {
  window.frames_ = [];
  let last = performance.now();
  const f = (t) => {
    window.frames_.push(t - last);
    last = t;
    requestAnimationFrame(f);
  };
  requestAnimationFrame(f);
});
await p.mouse.move(box.x + 20, box.y + 25);
await p.mouse.down();
for (let i = 0; i < 120; i++) await p.mouse.move(box.x + 20 + i * 6, box.y + 25);
await p.mouse.up();
console.log(
  "frames while scrubbing:",
  quantiles((await p.evaluate(() => window.frames_)).slice(2)),
);
await p.context().tracing.stop({ path: new URL("../../tmp/trace.zip", import.meta.url).pathname });
await browser.close();
await app.stop();
