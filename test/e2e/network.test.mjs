// More than one person at a printer: a passphrase, and each other's ears.
import { after, before, test } from "node:test";
import assert from "node:assert/strict";
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { axe, browse, open, page, start, reads, tower } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser?.close();
  await app?.stop();
});

const ears = (p) => p.locator("[data-ear]").count();

test("two browsers at one print see each other's ears, and nothing is lost silently", async () => {
  const a = await page(browser),
    b = await page(browser);
  await open(a, `${app.url}/prints/2?before=20`);
  await open(b, `${app.url}/prints/2?before=50`);
  await a.click('[data-mark] [data-filament="white"]');
  await b.waitForFunction(() => document.querySelectorAll("[data-ear]").length === 1, null, {
    timeout: 2000,
  });
  assert.match(await reads(b, "#said"), /changed in another browser/);
  await b.click('[data-mark] [data-filament="red"]');
  await a.waitForFunction(() => document.querySelectorAll("[data-ear]").length === 2, null, {
    timeout: 2000,
  });
  assert.equal(await ears(b), 2);
  // While b writes a note of the first ear, a changes that ear.
  await b.click('[data-ear="a1"] [data-jump]');
  await b.focus('[data-ear="a1"] input[name="note"]');
  await b.keyboard.type("spool on the left");
  await a.click('[data-ear="a1"] [data-jump]');
  await a.fill('[data-ear="a1"] input[name="note"]', "spool on the right");
  await a.press('[data-ear="a1"] input[name="note"]', "Tab");
  await b.waitForFunction(() =>
    /shown when you leave this field/.test(document.querySelector("#said").textContent),
  );
  assert.equal(
    await b.inputValue('[data-ear="a1"] input[name="note"]'),
    "spool on the left",
    "what is being written stays",
  );
  await b.keyboard.press("Tab");
  await b.waitForFunction(() =>
    /omebody else has changed this ear|changed in another browser/.test(
      document.querySelector("#said").textContent,
    ),
  );
  await b.waitForFunction(
    () =>
      document.querySelector('[data-ear="a1"] input[name="note"]').value === "spool on the right",
  );
  await a.click("#undo");
  await b.waitForFunction(
    () => document.querySelector('[data-ear="a1"] input[name="note"]').value === "",
  );
  b.problems = b.problems.filter((t) => !/409/.test(t)); // the refusal is told
  assert.deepEqual(a.problems.concat(b.problems), []);
  await a.context().close();
  await b.context().close();
});

test("eight tabs of one browser: all answer, and all hear of an ear", async () => {
  const first = await page(browser);
  const tabs = [first];
  for (let k = 0; k < 7; k++) tabs.push(await first.context().newPage());
  for (const [k, t] of tabs.entries()) await open(t, `${app.url}/prints/${k % 2 ? 5 : 6}?before=9`);
  const were = await Promise.all(tabs.map(ears));
  await tabs[7].click("[data-plain]"); // print 5
  await tabs[7].waitForFunction(
    (n) => document.querySelectorAll("[data-ear]").length === n + 1,
    were[7],
    { timeout: 5000 },
  );
  for (const k of [1, 3, 5])
    await tabs[k].waitForFunction(
      (n) => document.querySelectorAll("[data-ear]").length === n + 1,
      were[k],
      { timeout: 5000 },
    );
  assert.equal(await ears(tabs[0]), were[0], "another print hears nothing");
  await tabs[1].close(); // the others go on
  await tabs[7].click("#undo");
  await tabs[3].waitForFunction(
    (n) => document.querySelectorAll("[data-ear]").length === n,
    were[3],
    { timeout: 5000 },
  );
  await first.context().close();
});

test("of many ears only the card that is open travels, and it works as ever", async () => {
  const p = await page(browser);
  await open(p, `${app.url}/prints/3?before=20`);
  const many = Array.from({ length: 40 }, (_, k) => ({
    id: `e${k}`,
    before_layer: 10 + k,
    kind: "insert",
  }));
  await p.setInputFiles("[data-plan]", {
    name: "many.json",
    mimeType: "application/json",
    buffer: Buffer.from(JSON.stringify({ format: "dogear-plan/1", ears: many })),
  });
  await p.waitForFunction(() => document.querySelectorAll("[data-ear]").length === 40);
  // It stands at the fold that is shown.
  await p.waitForSelector('[data-ear="e10"] input[name="note"]');
  assert.equal(await p.locator('[data-ear] input[name="note"]').count(), 1);
  await p.click('[data-ear="e30"] [data-jump]');
  await p.fill('[data-ear="e30"] input[name="note"]', "three weights");
  await p.press('[data-ear="e30"] input[name="note"]', "Tab");
  await p.waitForFunction(() =>
    /three weights/.test(document.querySelector('[data-ear="e30"] [data-jump]').textContent),
  );
  assert.equal(await p.inputValue('[data-ear="e30"] input[name="note"]'), "three weights");
  await axe(p, "many ears");
  await p.click('[data-ear="e30"] [data-remove]');
  await p.waitForFunction(() => document.querySelectorAll("[data-ear]").length === 39);
  assert.deepEqual(p.problems, []);
  await p.context().close();
});

for (const scheme of ["http", "https"])
  test(`on a network Dogear asks for the passphrase, over ${scheme}`, async () => {
    const dir = mkdtempSync(join(tmpdir(), "dogear-e2e-"));
    const args = ["serve", "--host", "0.0.0.0", "--port", "0", "--data", dir];
    if (scheme === "https") args.push("--tls");
    const run = (env) =>
      spawn(process.env.DOGEAR, args, {
        stdio: ["ignore", "pipe", "pipe"],
        env: { ...process.env, ...env },
      });
    const without = run({ DOGEAR_PASSPHRASE: "" });
    let errors = "";
    without.stderr.on("data", (d) => {
      errors += d;
    });
    assert.equal(await new Promise((r) => without.on("exit", r)), 1);
    assert.match(errors, /asks for a passphrase/);
    const child = run({ DOGEAR_PASSPHRASE: "low water at noon" });
    try {
      const port = await new Promise((resolve) => {
        let out = "";
        child.stdout.on("data", (d) => {
          out += d;
          const m = /localhost:(\d+)/.exec(out);
          if (m) resolve(m[1]);
        });
      });
      const p = await page(browser, { ignoreHTTPSErrors: true });
      await p.goto(`${scheme}://127.0.0.1:${port}/kit`);
      assert.match(p.url(), /\/enter$/);
      await axe(p, "the passphrase");
      await p.fill("input[name=passphrase]", "high water at noon");
      await p.keyboard.press("Enter");
      await p.waitForFunction(() =>
        /not the passphrase/.test(document.querySelector("#said").textContent),
      );
      await p.fill("input[name=passphrase]", "low water at noon");
      await p.keyboard.press("Enter");
      await p.waitForURL(`${scheme}://127.0.0.1:${port}/`);
      await p.goto(`${scheme}://127.0.0.1:${port}/kit`);
      await p.waitForSelector("h1");
      // What is brought in and changed over it works as ever.
      await p.goto(`${scheme}://127.0.0.1:${port}/`);
      await p.setInputFiles('input[type="file"]', {
        name: "tower.gcode",
        mimeType: "text/plain",
        buffer: Buffer.from(tower()),
      });
      await p.waitForURL(/prints\/\d+/);
      await p.waitForSelector('[data-bench][data-ready="true"]');
      await p.click("[data-plain]");
      await p.waitForSelector("[data-ear]");
      const cookies = await p.context().cookies();
      assert.ok(cookies.length > 1);
      for (const c of cookies) assert.equal(c.secure, scheme === "https", c.name);
      p.problems = p.problems.filter((t) => !/403/.test(t));
      assert.deepEqual(p.problems, []);
      await p.context().close();
    } finally {
      const ended = new Promise((r) => child.on("exit", r));
      child.kill();
      await ended;
      rmSync(dir, { recursive: true, force: true });
    }
  });

test("news older than a page's own last change takes nothing away from it", async () => {
  const p = await page(browser);
  await p.addInitScript(() => delete window.SharedWorker); // each tab listens for itself
  let tell;
  const old = new Promise((r) => (tell = r));
  await p.route("**/prints/2/events", async (route) => {
    await old;
    const body = "data: 0123456789abcdef\n\n";
    await route.fulfill({ contentType: "text/event-stream", body });
  });
  await open(p, `${app.url}/prints/2`);
  const plan = { format: "dogear-plan/1", ears: [{ id: "a1", at_height: 6, kind: "insert" }] };
  await p.setInputFiles("[data-plan]", {
    name: "wall.plan.json",
    mimeType: "application/json",
    buffer: Buffer.from(JSON.stringify({ ...plan, file: { sha256: "00", name: "wall.gcode" } })),
  });
  await p.waitForSelector("[data-report]");
  const asked = p.waitForResponse((r) => /prints\/2\/margin$/.test(r.url()));
  tell();
  assert.equal((await asked).status(), 204);
  assert.ok(await p.isVisible("[data-report]"), "the report is still there to be read");
  assert.doesNotMatch(await reads(p, "#said"), /another browser/);
  assert.deepEqual(p.problems, []);
});

test("what looks for faults of a page finds some", async () => {
  const p = await page(browser);
  await p.goto(`${app.url}/kit`);
  await p.evaluate(() => {
    const pale = document.createElement("p");
    pale.textContent = "too pale to read";
    pale.style.color = "#eee6d6";
    document.querySelector("main").append(new Image(), pale);
  });
  await assert.rejects(
    axe(p, "a page with two faults"),
    /image-alt[^]*color-contrast|color-contrast[^]*image-alt/,
  );
});
