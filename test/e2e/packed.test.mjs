// A packed print: an archive with plates is brought in, one is chosen and marked, and what is
// written is the archive again.
import { test, before, after } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { crc32 } from "node:zlib";
import { axe, browse, page, reads, start, tower } from "./dogear.mjs";

let app, browser;
before(async () => {
  app = await start();
  browser = await browse();
});
after(async () => {
  await browser.close();
  await app.stop();
});

// zipOf makes an archive in which nothing is compressed (PKWARE's APPNOTE, 4.3).
function zipOf(files) {
  const parts = [],
    list = [];
  let at = 0;
  for (const [name, text] of files) {
    const data = Buffer.from(text),
      n = Buffer.from(name);
    const head = Buffer.alloc(26);
    head.writeUInt16LE(20, 0);
    head.writeUInt16LE(0x21, 8);
    head.writeUInt32LE(crc32(data), 10);
    head.writeUInt32LE(data.length, 14);
    head.writeUInt32LE(data.length, 18);
    head.writeUInt16LE(n.length, 22);
    const tail = Buffer.alloc(14);
    tail.writeUInt32LE(at, 10);
    parts.push(Buffer.from("PK\x03\x04", "latin1"), head, n, data);
    list.push(Buffer.from("PK\x01\x02\x14\x00", "latin1"), head, tail, n);
    at += 30 + n.length + data.length;
  }
  const table = Buffer.concat(list),
    end = Buffer.alloc(18);
  end.writeUInt16LE(files.length, 4);
  end.writeUInt16LE(files.length, 6);
  end.writeUInt32LE(table.length, 8);
  end.writeUInt32LE(at, 12);
  return Buffer.concat([...parts, table, Buffer.from("PK\x05\x06", "latin1"), end]);
}

test("a plate of an archive is chosen, marked and written back", async () => {
  const p = await page(browser);
  await p.goto(app.url);
  const buffer = zipOf([
    ["plate_1.gcode", tower()],
    ["plate_2.gcode", tower({ x: 60 })],
    ["notes.txt", "low water at noon"],
  ]);
  await p.setInputFiles("[data-file]", { name: "quay.3mf", mimeType: "application/zip", buffer });
  await p.waitForSelector('[role="group"][aria-label="Plates of quay.3mf"]');
  await axe(p, "plates to choose from");
  await p.keyboard.press("Tab");
  await p.keyboard.press("Enter");
  await p.waitForURL(/prints\/\d+/);
  await p.waitForSelector('[data-bench][data-ready="true"]');
  assert.match(await reads(p, "header"), /Quay, plate 2/);
  await p.click("[data-plain]");
  await p.waitForSelector("[data-ear]");
  const [d] = await Promise.all([
    p.waitForEvent("download"),
    p.evaluate(() => {
      location.href = location.pathname + "/write";
    }),
  ]);
  assert.match(d.suggestedFilename(), /^quay_.*\.3mf$/);
  const out = readFileSync(await d.path()).toString("latin1");
  assert.ok(out.startsWith("PK\x03\x04"));
  for (const text of ["plate_1.gcode", "notes.txt", "low water at noon", "; dogear ear"])
    assert.ok(out.includes(text), text);
  p.problems = p.problems.filter((t) => !/300/.test(t));
  assert.deepEqual(p.problems, []);
});
