// The bench's scripts that need no browser.
import { test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { pathOf } from "../../web/assets/js/thread.js";
import { count, hours, mm } from "../../web/assets/js/words.js";

test("words: heights, counts and times as one says them", () => {
  for (const [v, want] of [
    [0, "0.00"],
    [7.4, "7.40"],
    [0.125, "0.125"],
    [19.0004, "19.00"],
    [0.30000000000000004, "0.30"],
  ])
    assert.equal(mm(v), want);
  // The server writes them the same way, and is tested by the same table.
  const table = JSON.parse(
    readFileSync(new URL("../../core/figures/testdata/figures.json", import.meta.url)),
  );
  for (const [v, want] of table.count) assert.equal(count(v), want);
  for (const [v, want] of table.hours) assert.equal(hours(v), want);
});

test("a line inside a layer: the fold stands in front of the path it opens or lies in", () => {
  // Three paths; between them a retraction, then the way: line is where the way begins.
  const t = {
    paths: [
      { line: 10, first: 12, last: 20 },
      { line: 23, first: 25, last: 30 },
      { line: 33, first: 35, last: 40 },
    ],
  };
  for (const [line, path] of [
    [1, 0],
    [12, 0],
    [15, 0],
    [20, 0],
    [21, 1],
    [22, 1],
    [23, 1],
    [25, 1],
    [30, 1],
    [31, 2],
    [40, 2],
    [99, 2],
  ])
    assert.equal(pathOf(t, line), path, `line ${line}`);
  assert.equal(pathOf({ paths: [] }, 5), 0);
});
