// A printer that nobody knows: the card at the first mark, the handshake beside a simulated
// printer of each kind, and a file that stops as it has told.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { axe, browse, page, reads, start, tower } from "./dogear.mjs";

let browser;
before(async () => {
  browser = await browse();
});
after(() => browser?.close());

// watch stands beside the simulated printer and taps what is to be seen.
async function watch(p, kind) {
  await p.click("[data-sim] summary");
  await p.selectOption("#hs-kind", kind);
  await p.click('[data-do="run"]');
  const tap = (n, text) => p.click(`[data-try="${n}"] label:has-text("${text}")`);
  let last = "";
  for (;;) {
    await p.waitForFunction(
      (was) => {
        const wait = document.querySelector("[data-wait]");
        const now = document.querySelector('[data-out="now"]').textContent;
        return (!wait.hidden && now !== was) || /It took/.test(now);
      },
      last,
      { timeout: 60_000 },
    );
    last = await reads(p, '[data-out="now"]');
    const took = /It took (\d+) minutes/.exec(last);
    if (took) return Number(took[1]);
    const n = Number(await p.getAttribute('[data-try][data-now="true"]', "data-try"));
    const at = (w) => last.indexOf(w);
    await tap(
      n,
      at("moves aside") >= 0 ? "moved aside" : at("It wags") >= 0 ? "wagged, then" : "stood still",
    );
    await tap(n, "knob");
    if (/push the head: it holds/.test(last)) await p.click('label:has-text("it holds")');
    if (/gives way/.test(last)) await p.click('label:has-text("it gives way")');
    await p.click('[data-do="on"]');
  }
}

const gauge = tower({ x: 60 });

for (const [kind, says, stop] of [
  ["knob", /waits at M0\..*For a colour, M600.*press the knob/s, /\nM600/],
  ["card", /waits at M25, but late.*Nobody hears.*no messages/s, /\nM400\n.*\nM25\nG4 P1/s],
  ["deaf", /waits at none of them/, /\nG4 S1/],
  ["sleepy", /waits at M0\..*lets go of its motors within two minutes/s, /\nM0 /],
]) {
  test(`from an unknown printer to a file that stops it: ${kind}`, async () => {
    const app = await start({ command: "serve" });
    const p = await page(browser, { viewport: { width: 390, height: 844 }, hasTouch: true });
    await p.goto(app.url);
    await p.setInputFiles("input[data-file]", {
      name: `${kind}.gcode`,
      mimeType: "text/plain",
      buffer: Buffer.from(gauge + `; ${kind}\n`),
    });
    await p.waitForSelector('[data-bench][data-ready="true"]');
    let actions = 0;
    const act = (what) => {
      actions++;
      return what;
    };
    await act(p.fill("#goto", "7"));
    await act(p.press("#goto", "Enter"));
    await p.waitForFunction(
      () => document.querySelector("#before").value === "7" && document.activeElement.id !== "goto",
    );
    await act(p.keyboard.press("m"));
    await act(p.keyboard.press("Enter"));
    await p.waitForSelector("[data-acquaint]");
    if (kind === "knob") await axe(p, "the card");
    await act(p.fill("#aq-name", `${kind} printer`));
    for (const side of ["wide", "deep", "high"]) await act(p.fill(`#aq-${side}`, "220"));
    await act(p.click('[data-acquaint] label:has-text("let’s ask it")'));
    await act(p.click('[data-acquaint] button:has-text("Keep")'));
    await p.waitForSelector("[data-handshake]");
    if (kind === "knob") await axe(p, "the handshake");
    await p.evaluate(() => (document.querySelector("[data-handshake]").dataset.faster = "400"));
    const minutes = await watch(p, kind);
    assert.ok(minutes <= 10, `${minutes} minutes`);
    if (kind === "card") {
      await p.click('label:has-text("not a sound")');
      await p.click('label:has-text("nothing there")');
    }
    for (const t of await p.$$("[data-try]:not(:has(input:checked))"))
      await (await t.$('label:has-text("went straight on")')).click();
    await p.click('button:has-text("Keep what it has told")');
    await p.waitForSelector("#shaken li");
    assert.match(await reads(p, "#shaken"), says);
    if (kind === "knob") await axe(p, "what it has told");
    await act(p.click("#shaken a:has-text('On with the print')"));
    await p.waitForSelector('[data-bench][data-ready="true"]');
    assert.equal(await p.$("[data-acquaint]"), null, "the printer is known now");
    const [d] = await Promise.all([
      p.waitForEvent("download"),
      act(p.click("header [data-write]")),
    ]);
    const text = readFileSync(await d.path(), "utf8");
    assert.match(text.replace(/ ;.*/g, ""), stop);
    assert.ok(actions <= 12, `${actions} actions`);
    assert.deepEqual(p.problems, []);
    await app.stop();
  });
}
