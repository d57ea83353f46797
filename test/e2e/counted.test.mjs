// What people come for, in as few actions as promised: the letters of a plate, three
// colours, and a file that somebody has already edited by hand.
import { test, before, after } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { axe, browse, lays, open, page, reads, start, tower } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser.close();
  await app.stop();
});

// counting does what a person does, one action at a time.
function counting(p) {
  const act = async (what) => {
    act.n++;
    await what;
  };
  act.n = 0;
  act.save = async () => {
    const [d] = await Promise.all([
      p.waitForEvent("download"),
      act(p.click("header [data-write]")),
    ]);
    return { name: d.suggestedFilename(), text: readFileSync(await d.path(), "utf8") };
  };
  return act;
}

test("letters in another colour: five actions from the open page to the file", async () => {
  const p = await page(browser);
  const act = counting(p);
  await open(p, `${app.url}/prints/4`);
  await act(p.click('button[data-jump-line]:has-text("what surrounds them begins")'));
  await p.waitForFunction(() => document.querySelector("#line").value === "828");
  await act(p.click('[data-mark] [data-filament="white"]'));
  await p.waitForSelector('[data-ear][data-line="828"][data-open="true"]');
  const { text } = await act.save();
  assert.equal(lays(text).stops.length, 1);
  assert.ok(act.n <= 5, `${act.n} actions`);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

test("three colours: twelve actions from the open page to the file", async () => {
  const p = await page(browser);
  const act = counting(p);
  await open(p, `${app.url}/prints/3`);
  for (const [fold, filament] of [
    [40, "white"],
    [70, "red"],
    [95, "tar"],
  ]) {
    await act(p.fill("#goto", String(fold)));
    await act(p.press("#goto", "Enter"));
    await p.waitForFunction((n) => document.querySelector("#before").value === n, String(fold));
    await act(p.click(`[data-mark] [data-filament="${filament}"]:enabled`));
    await p.waitForSelector(`[data-ear][data-before="${fold}"][data-open="true"]`);
  }
  const { text } = await act.save();
  assert.equal(lays(text).stops.length, 3);
  assert.ok(act.n <= 12, `${act.n} actions`);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

// edited is a wall with what a person wrote into it by hand at three folds.
const edited = tower({
  by: {
    4: ["M117 Put the nut in", "G91", "G1 Z20 F600", "G90", "G1 X5 Y5 F6000", "M0"],
    7: ["M117 Change to red", "M600"],
    10: ["G4 S300 ; let it cool"],
  },
});

test("a file edited by hand is taken over whole, and its stops say what comes", async () => {
  const p = await page(browser);
  await p.goto(app.url);
  await p.setInputFiles("[data-file]", {
    name: "wall by hand.gcode",
    mimeType: "text/plain",
    buffer: Buffer.from(edited),
  });
  await p.waitForSelector('[data-bench][data-ready="true"]');
  await axe(p, "the bench of a file that has stops");
  await p.click("[data-take-all]");
  await p.waitForSelector('[data-ear][data-before="10"]');
  const kinds = await p.$$eval("[data-ear]", (l) =>
    l.map((e) => `${e.dataset.before} ${e.textContent.replace(/\s+/g, " ")}`),
  );
  assert.equal(kinds.length, 3, kinds.join("\n"));
  assert.match(kinds[0], /^4 .*[Pp]ut/);
  assert.match(kinds[1], /^7 .*[Cc]olour|^7 .*red/i);
  await p.goto(`${p.url().split("?")[0]}/proof`);
  assert.match(await reads(p, "h1"), /^Same plastic/);
  const [d] = await Promise.all([p.waitForEvent("download"), p.click('main a[href$="/write"]')]);
  const text = readFileSync(await d.path(), "utf8");
  assert.deepEqual(lays(text).out, lays(edited).out);
  // At the highest speed the printer stands at the next stop before anybody looks; what it
  // says is of that one.
  await p.goto(p.url().replace("/proof", "/rehearse"));
  await p.waitForSelector('[data-rehearse][data-ready="true"]');
  await p.click('[data-speed="10000"]');
  await p.click('[data-do="run"]');
  const says = async (what) => {
    await p.waitForFunction(
      (t) => {
        const w = document.querySelector("[data-wait]");
        return !w.hidden && w.textContent.includes(t);
      },
      what,
      { timeout: 60_000 },
    );
  };
  await says("Put the nut in");
  await p.click('[data-do="resume"]');
  await says("Signal red");
  await p.click('[data-do="resume"]');
  await p.waitForSelector('[data-rehearse][data-state="done"]', { timeout: 60_000 });
  assert.match(await reads(p, '[data-out="facts"]'), / 100\.0 % of the file/);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});
