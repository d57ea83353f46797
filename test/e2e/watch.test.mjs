// The watch beside the printer, on two phones: from the start over a stop to the end, and what
// went wrong becomes a pick-up.
import { test, before, after } from "node:test";
import assert from "node:assert/strict";
import { axe, browse, page, reads, start } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser.close();
  await app.stop();
});

const phone = { viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true };

async function open(p, n) {
  await p.goto(`${app.url}/prints/${n}/watch`);
  await p.waitForSelector('[data-watch][data-ready="true"]');
}
const shown = (p, name) => p.waitForSelector(`[data-show="${name}"]:not([hidden])`);

test("the lighthouse is watched on a phone; the colour fills the screen", async () => {
  const p = await page(browser, phone);
  await p.goto(`${app.url}/prints/7/cue`);
  await p.tap('a:has-text("Watch it")');
  await p.waitForSelector('[data-watch][data-ready="true"]');
  await axe(p, "a watch before the start");
  await p.tap('[data-do="start"]');
  await shown(p, "runs");
  assert.match(await reads(p, '[data-out="left"]'), /^\d+:\d\d$/);
  assert.match(await reads(p, '[data-out="until"]'), /until Gull white, layer 38/);
  assert.match(await reads(p, '[data-out="ready"]'), /Gull white/);
  await axe(p, "a watch that runs");
  // Another phone sees the same; it says where the printer is, and both go by that.
  const q = await page(browser, phone);
  await open(q, 7);
  await shown(q, "runs");
  await q.tap("[data-tell] summary");
  await q.fill("[data-is] [name=value]", "30");
  await q.tap("[data-is] button");
  await q.waitForFunction(() =>
    /about layer 30 of 390/.test(document.querySelector('[data-out="about"]').textContent),
  );
  await p.tap('[data-do="stopped"]');
  await shown(p, "call");
  assert.match(await reads(p, '[data-out="call"]'), /Gull white now/);
  assert.match(await reads(p, '[data-do="goes-on"]'), /Clean, it goes on/);
  assert.match(await reads(p, '[data-out="change"]'), /Out with Signal red · purge 45 mm/);
  const fills = await p.$eval("[data-fill]", (f) => [
    !f.hasAttribute("hidden"),
    f.querySelector("[data-fill-new]").getAttribute("fill"),
  ]);
  assert.deepEqual(fills, [true, "#ece6d8"]);
  await axe(p, "a watch that calls");
  await p.tap("[data-clean]");
  await p.waitForFunction(() =>
    /More is pushed through the next time/.test(document.querySelector("#said").textContent),
  );
  await p.tap('[data-do="goes-on"]');
  await shown(p, "runs");
  assert.match(await reads(p, '[data-out="until"]'), /until Signal red/);
  assert.match(await reads(p, '[data-out="past"]'), /✓ Change to Gull white, \d+ s/);
  await q.reload();
  await shown(q, "runs");
  assert.match(await reads(q, '[data-out="until"]'), /until Signal red/);
  // Several prints on several printers stand in one list.
  await open(q, 6);
  await q.tap('[data-do="start"]');
  await shown(q, "runs");
  await q.goto(`${app.url}/watch`);
  assert.equal(await q.locator("main li").count(), 2);
  await axe(q, "what runs now");
  // What went wrong is picked up, with the clock as evidence; it is asked twice.
  await p.tap('[data-do="wrong"]');
  await p.tap('[data-do="wrong"]');
  await p.waitForURL(/pickup$/);
  await p.waitForSelector('[data-piece]:has-text("Clock when it stopped")');
  for (const x of [p, q])
    assert.deepEqual(
      x.problems.filter((t) => !/vibrate/.test(t)),
      [],
    );
});

test("it calls once for a stop, keeps the screen on, and is quiet in the quiet hours", async () => {
  const p = await page(browser, phone);
  await p.addInitScript(() => {
    window.buzzes = [];
    navigator.vibrate = (pattern) => window.buzzes.push(pattern);
    const lock = { addEventListener() {}, release: () => (window.screen_ = "off") };
    Object.defineProperty(navigator, "wakeLock", {
      value: {
        request: async () => {
          window.screen_ = "on";
          return lock;
        },
      },
    });
  });
  const buzzes = () => p.evaluate(() => window.buzzes.length);
  await open(p, 9); // the turntable: something is put in
  await p.tap('[data-do="start"]');
  await shown(p, "runs");
  await p.waitForFunction(() => window.screen_ === "on");
  await p.tap('[data-do="stopped"]');
  await shown(p, "call");
  assert.match(await reads(p, '[data-do="goes-on"]'), /In place, it goes on/);
  assert.equal(await buzzes(), 1);
  await Promise.all([
    p.waitForResponse(/watch\/now/), // it asks, and is told the same
    p.evaluate(() => document.dispatchEvent(new Event("visibilitychange"))),
  ]);
  assert.equal(await buzzes(), 1, "it calls once");
  await p.tap('[data-do="wrong"]');
  await p.tap('[data-do="wrong"]');
  await p.waitForURL(/pickup$/);
  assert.deepEqual(p.problems, []);
  await open(p, 8);
  await p.tap("[data-settings] summary");
  const now = new Date(Date.now() - 120000).toTimeString().slice(0, 5),
    soon = new Date(Date.now() + 7200000).toTimeString().slice(0, 5);
  await p.fill('[data-set="from"]', now);
  await p.fill('[data-set="to"]', soon);
  await p.tap('[data-do="start"]');
  await shown(p, "runs");
  await p.tap('[data-do="stopped"]');
  await shown(p, "call");
  assert.equal(await buzzes(), 0, "nobody is called in the quiet hours");
  await p.tap("[data-try]");
  assert.equal(await buzzes(), 1, "but to try it");
});

test("settings of the call are kept", async () => {
  const p = await page(browser, phone);
  await open(p, 3);
  await p.tap("[data-settings] summary");
  await p.uncheck('[data-set="sound"]');
  await p.fill('[data-set="from"]', "22:00");
  await p.reload();
  await p.waitForSelector('[data-watch][data-ready="true"]');
  await p.tap("[data-settings] summary");
  assert.equal(await p.isChecked('[data-set="sound"]'), false);
  assert.equal(await p.inputValue('[data-set="from"]'), "22:00");
  await axe(p, "how a watch calls");
  // A print without a stop counts down to its end.
  await p.tap('[data-do="start"]');
  await shown(p, "runs");
  assert.match(await reads(p, '[data-out="until"]'), /until the end/);
  await p.tap("[data-last]:not([hidden])");
  await shown(p, "over");
  assert.match(await reads(p, '[data-out="ended"]'), /Printed in/);
  assert.equal(await reads(p, '[data-out="learned"]'), "", "a print of no time teaches nothing");
  assert.deepEqual(p.problems, []);
});

// tap does something and says between which two moments it was done, ms.
async function tap(f) {
  const from = Date.now();
  await f();
  return { from, to: Date.now() };
}

// printer is a simulated one, whose clock is off, with somebody beside it who has a phone: it is
// watched from the start to the end. What is measured is bounded by when taps were made, so that
// a slow machine does not matter.
async function printer(url, print, pace, fast) {
  const p = await page(browser, phone);
  await p.goto(`${url}/prints/${print}/watch`);
  await p.waitForSelector('[data-watch][data-ready="true"]');
  const plan = JSON.parse(await p.getAttribute("[data-watch]", "data-state"));
  const runs = async (what) => {
    const when = await tap(async () => {
      await p.click(`[data-do="${what}"]`);
      await shown(p, "runs");
    });
    return { ...when, at: Date.now() };
  };
  let went = await runs("start");
  let done = 0; // s of the estimate by then
  const until = async (seconds) => {
    const at = went.at + (((seconds - done) * pace) / fast) * 1000;
    while (Date.now() < at) {
      await p.waitForTimeout(Math.min(100, at - Date.now()));
      // A slow printer has not stopped yet when the watch calls first.
      if (at - Date.now() > 60)
        await p.evaluate(() => {
          const b = document.querySelector("[data-do-early]");
          if (b.offsetParent) b.click();
        });
    }
  };
  let least = 0,
    most = 0; // ms that the printer has printed
  let unsure = went.to - went.from; // ms, of all taps so far together
  const passed = (when) => {
    least += when.from - went.to;
    most += when.to - went.from;
  };
  let foretold = 0;
  for (const [k, stop] of plan.coming.entries()) {
    await until(stop.left - 60);
    if (k && stop.left - 60 > done) {
      let left;
      const now = await tap(async () => {
        left = await p.evaluate(
          async () => (await (await fetch(`${location.pathname}/now`)).json()).left,
        );
      });
      const slack = 60 + (fast * (unsure + now.to - now.from)) / 1000;
      // A tenth of what lies between two stops is minutes.
      assert.ok(Math.abs(left - 60 * pace) < slack, `print ${print}, stop ${k}: ${left} s left`);
      foretold++;
    }
    await until(stop.left);
    const stopped = await tap(async () => {
      await p.evaluate(() => {
        const b = document.querySelector('[data-do="stopped"]');
        if (b.offsetParent) b.click();
      });
      await shown(p, "call");
    });
    passed(stopped);
    unsure += stopped.to - stopped.from;
    await p.waitForTimeout(300); // the swap itself
    went = await runs("goes-on");
    unsure += went.to - went.from;
    done = stop.left;
  }
  await until(plan.left);
  // The button stands in two places, and the one that is seen changes when the end has come.
  passed(
    await tap(() =>
      p.waitForFunction(() => {
        const b = [...document.querySelectorAll('[data-do="over"]')].find((x) => x.offsetParent);
        b?.click();
        return b;
      }),
    ),
  );
  await shown(p, "over");
  const rate = Number(/took ([\d.]+) times/.exec(await reads(p, '[data-out="learned"]'))[1]);
  const [low, high] = [least, most].map((ms) => (ms * fast) / 1000 / plan.left);
  assert.ok(
    rate > low - 0.03 && rate < high + 0.03,
    `print ${print}: ${rate} was learned, and it is ${low} to ${high}`,
  );
  assert.deepEqual(
    p.problems.filter((t) => !/vibrate/.test(t)),
    [],
  );
  return foretold;
}

test("two printers are watched to the end, one a tenth slower, one a tenth faster", async () => {
  const fast = 160;
  const other = await start({ more: ["--fast", String(fast)] });
  try {
    const [slow] = await Promise.all([
      printer(other.url, 7, 1.1, fast),
      printer(other.url, 9, 0.9, fast),
    ]);
    assert.ok(slow >= 5, `${slow} stops were foretold`);
  } finally {
    await other.stop();
  }
});
