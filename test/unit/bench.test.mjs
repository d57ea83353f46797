// The bench's scripts that need no browser.
import { test } from "node:test";
import assert from "node:assert/strict";
import { understand } from "../../web/assets/js/goto.js";
import { pathOf } from "../../web/assets/js/thread.js";
import { count, hours, mm } from "../../web/assets/js/words.js";

const N = 50;
const book = {
  z: Array.from({ length: N }, (_, i) => 0.2 * (i + 1)),
  h: Array(N).fill(0.2),
  number: Array.from({ length: N }, (_, i) => i),
  fold: Array.from({ length: N }, (_, i) => 10 + 100 * i),
  begin: Array.from({ length: N }, (_, i) => 120 * i),
  seconds: 6000,
  height: 10,
  lines: 5010,
};

test("go to: what is understood", () => {
  for (const [text, fold, line] of [
    ["38", 38],
    ["layer 7", 7],
    ["file 37", 38],
    ["# 0", 1],
    ["7.4mm", 38],
    ["7,4 mm", 38],
    ["7.41", 38],
    ["z 0", 1],
    ["10mm", 50],
    ["line 10", 1, 10],
    ["line 109", 1, 109],
    ["line 110", 2, 110],
    ["l 5010", 50, 5010],
    ["0%", 1],
    ["50 %", 26],
    ["100%", 50],
    ["1h", 31],
    ["1h20", 41],
    ["1 h 20 min", 41],
    ["20 min", 11],
    ["1:20", 41],
    ["0:02", 2],
  ]) {
    const r = understand(text, book);
    assert.equal(r.fold, fold, `${text}: ${JSON.stringify(r)}`);
    assert.equal(r.line, line, text);
    assert.ok(r.said, text);
  }
});

test("go to: what is refused, with a sentence", () => {
  for (const [text, why] of [
    ["0", /no layer 0/],
    ["51", /has 50/],
    ["file 50", /no layer that it calls 50/],
    ["11mm", /10\.00 mm high/],
    ["line 0", /no line 0/],
    ["line 6000", /has 5010/],
    ["101%", /not in the file/],
    ["9h", /done before that/],
    ["soon", /Type a layer/],
    ["", /Type a layer/],
  ])
    assert.match(understand(text, book).error || "", why, text);
  assert.match(
    understand("file 3", { ...book, number: Array(N).fill(null) }).error,
    /does not number/,
  );
});

test("words: heights, counts and times as one says them", () => {
  for (const [v, want] of [
    [0, "0.00"],
    [7.4, "7.40"],
    [0.125, "0.125"],
    [19.0004, "19.00"],
    [0.30000000000000004, "0.30"],
  ])
    assert.equal(mm(v), want);
  for (const [v, want] of [
    [7, "7"],
    [1234, "1\u2009234"],
    [1234567, "1\u2009234\u2009567"],
  ])
    assert.equal(count(v), want);
  for (const [v, want] of [
    [12, "12 s"],
    [89, "89 s"],
    [90, "2 min"],
    [3540, "59 min"],
    [3600, "1 h 00"],
    [7500, "2 h 05"],
  ])
    assert.equal(hours(v), want);
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
