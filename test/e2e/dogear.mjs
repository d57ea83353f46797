// Starts the real program on a free port with a data folder of its own, and a
// browser to use it with.
import { after } from "node:test";
import { spawn } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "playwright-core";
import AxeBuilder from "@axe-core/playwright";
import assert from "node:assert/strict";

const flags = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
  "--font-render-hinting=none", // otherwise words run into each other
];

// start runs the program; DOGEAR_SHELF may hold a shelf of demo prints that are read already,
// since slicing and reading them takes longer than many a test.
export async function start({ command = "demo", data, keep = false, more = [] } = {}) {
  const dir = data || mkdtempSync(join(tmpdir(), "dogear-e2e-"));
  if (command === "demo" && !data && process.env.DOGEAR_SHELF)
    cpSync(process.env.DOGEAR_SHELF, dir, { recursive: true });
  const child = spawn(process.env.DOGEAR, [command, "--port", "0", "--data", dir, ...more], {
    stdio: ["ignore", "pipe", "pipe"],
  });
  running.add(child);
  child.on("exit", () => running.delete(child));
  let errors = "";
  child.stderr.on("data", (d) => {
    errors += d;
  });
  const url = await new Promise((resolve, reject) => {
    let out = "";
    child.stdout.on("data", (d) => {
      out += d;
      const m = /http:\/\/\S+/.exec(out);
      if (m) resolve(m[0]);
    });
    child.on("exit", (code) => reject(new Error(`dogear ended with ${code}: ${errors}`)));
  });
  return {
    url,
    dir,
    child,
    errors: () => errors,
    async stop(signal = "SIGTERM") {
      if (child.exitCode === null) {
        const ended = new Promise((r) => child.on("exit", r));
        child.kill(signal);
        await ended;
      }
      if (!keep) rmSync(dir, { recursive: true, force: true });
    },
  };
}

// Servers that a failed test has left behind would keep its file from ever ending.
const running = new Set();
if (process.env.NODE_TEST_CONTEXT)
  after(() => {
    for (const child of running) child.kill("SIGKILL");
  });

// browse starts a browser without windows: with one, each page takes a third longer.
export async function browse() {
  return chromium.launch({
    executablePath: process.env.CHROMIUM || "/usr/bin/chromium-headless-shell",
    args: flags,
  });
}

// page opens a page that fails the test on any error in the console.
export async function page(browser, options = {}) {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    ...options,
  });
  const p = await context.newPage();
  p.problems = [];
  p.on("console", (m) => {
    if (m.type() === "error") p.problems.push(m.text());
  });
  p.on("pageerror", (e) => p.problems.push(e.message));
  return p;
}

export async function open(p, url) {
  await p.goto(url);
  if (/prints\/\d+(\?|$)/.test(url)) await p.waitForSelector('[data-bench][data-ready="true"]');
}

// reads is what an element says, with blanks as a browser shows them.
export async function reads(p, selector) {
  return (await p.textContent(selector)).replace(/[ \n\t]+/g, " ").trim();
}

// save is the file that a click downloads.
export async function save(p, click) {
  const [d] = await Promise.all([p.waitForEvent("download"), click()]);
  return { name: d.suggestedFilename(), text: readFileSync(await d.path(), "utf8") };
}

// tell adds a piece of evidence to a pick-up.
export async function tell(p, kind, values) {
  if (!(await p.$eval("#more-known", (d) => d.open))) await p.click("#more-known summary");
  await p.selectOption("#ev-kind", kind);
  for (const [name, v] of Object.entries(values))
    await p.fill(`[data-evidence] [name="${name}"]`, v);
  await p.click('[data-evidence] button:has-text("Add")');
}

// tower is a sliced tower of 20 by 20 mm, 12 layers high; by has lines in front of some layers.
export function tower({ x = 100, by = {}, end = ["M104 S0", "M140 S0"] } = {}) {
  const out = ["M140 S60", "M104 S210", "G28", "M190 S60", "M109 S210", "M83", "G90"];
  for (let n = 1; n <= 12; n++) {
    out.push(...(by[n] || []), `G1 Z${(n * 0.2).toFixed(1)} F600`, `G1 X${x} Y${x} F6000`);
    for (const [dx, dy] of [
      [20, 0],
      [20, 20],
      [0, 20],
      [0, 0],
    ])
      out.push(`G1 X${x + dx} Y${x + dy} E.66 F1800`);
  }
  return out.concat(end, "").join("\n");
}

export async function axe(p, what) {
  // In the page itself: otherwise each look opens a page of its own to gather what it found.
  const r = await new AxeBuilder({ page: p })
    .setLegacyMode(true)
    .options({ resultTypes: ["violations"] })
    .withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa", "best-practice"])
    .analyze();
  assert.deepEqual(
    r.violations.map(
      (v) =>
        `${v.id}: ${v.nodes
          .map((n) => n.target + " " + (n.any[0]?.message || ""))
          .slice(0, 3)
          .join(" | ")}`,
    ),
    [],
    `axe on ${what}`,
  );
}

// lays runs G-code naively and returns what is laid: a second opinion that
// shares nothing with the program.
export function lays(text) {
  let x = 0,
    y = 0,
    z = 0,
    e = 0,
    absE = true,
    absXYZ = true,
    debt = 0,
    feed = 0;
  const out = [],
    stops = [];
  for (const raw of text.split("\n")) {
    const line = raw.split(";")[0].trim();
    const [cmd, ...words] = line.split(/\s+/);
    const w = {};
    for (const t of words) w[t[0]] = Number(t.slice(1));
    if (cmd === "M82") absE = true;
    else if (cmd === "M83") absE = false;
    else if (cmd === "G90") absXYZ = true;
    else if (cmd === "G91") absXYZ = false;
    else if (cmd === "G92") {
      if ("E" in w) e = w.E;
    } else if (cmd === "M0") stops.push({ after: out.length, x, y, z });
    else if (cmd === "G0" || cmd === "G1") {
      const nx = "X" in w ? (absXYZ ? w.X : x + w.X) : x,
        ny = "Y" in w ? (absXYZ ? w.Y : y + w.Y) : y,
        nz = "Z" in w ? (absXYZ ? w.Z : z + w.Z) : z;
      if ("F" in w) feed = w.F;
      let de = 0;
      if ("E" in w) {
        de = absE ? w.E - e : w.E;
        e = absE ? w.E : e + w.E;
      }
      let laid = 0;
      if (de < 0) debt -= de;
      else {
        laid = Math.max(0, de - debt);
        debt = Math.max(0, debt - de);
      }
      if ((nx !== x || ny !== y) && laid > 1e-6)
        out.push([x, y, nx, ny, nz, laid.toFixed(4), feed].join(" "));
      x = nx;
      y = ny;
      z = nz;
    }
  }
  return { out, stops };
}
