// What a print that is open knows of its layers.
import { test } from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { nextOf } from "../../web/assets/js/bands.js";
import { CLASSES } from "../../web/assets/js/classes.js";
import { Book } from "../../web/assets/js/book.js";

const facts = (z, more = {}) => ({
  id: 3,
  version: "v",
  z,
  h: z.map((v, i) => Math.round((v - (z[i - 1] ?? 0)) * 1000) / 1000),
  front: z.map((v) => [0, v]),
  side: z.map(() => [0, 1]),
  box: [10, 10, 30, 20],
  fold: z.map((_, i) => 100 + 10 * i),
  ...more,
});

test("a fold lies under its layer, the last one on top of all", () => {
  const b = new Book(facts([0.3, 0.5, 0.7]));
  assert.deepEqual(
    [1, 2, 3, 4].map((n) => Math.round(b.under(n) * 100)),
    [0, 30, 50, 70],
  );
  assert.deepEqual(b.frame(), [9, 9, 31, 21]);
});

test("a line belongs to the layer whose fold it stands behind", () => {
  const b = new Book(facts([0.2, 0.4, 0.6]));
  assert.deepEqual(
    [1, 99, 100, 109, 110, 500].map((n) => b.layerOf(n)),
    [0, 0, 1, 1, 2, 3],
  );
});

test("a layer is laid in the colour of its last band, a line in that of its own", () => {
  const bands = [
    { from: 1, line: 0, colour: "red" },
    { from: 2, line: 115, colour: "white" },
  ];
  const b = new Book(facts([0.2, 0.4, 0.6]), bands);
  assert.deepEqual(
    [b.colour(1), b.colour(2), b.colour(2, 114), b.colour(3, 120)],
    ["red", "white", "red", "white"],
  );
});

test("runs of several books look like one print", () => {
  const coarse = new Book(facts([0.3, 0.6, 0.9])),
    fine = new Book(facts([0.15, 0.3, 0.45, 0.6, 0.75, 0.9, 1.05], { box: [5, 12, 25, 40] }));
  const one = Book.joined([
    { book: coarse, from: 1, to: 2 },
    { book: fine, from: 5, to: 7 },
  ]);
  assert.deepEqual(one.z, [0.3, 0.6, 0.75, 0.9, 1.05]);
  assert.deepEqual([one.from, one.height, one.box, one.N], [[1, 3], 1.05, [5, 10, 30, 40], 5]);
});

test("a layer is asked for once, and again when it did not come", async () => {
  let asked = 0;
  globalThis.fetch = async () => {
    asked++;
    return { ok: asked > 1, json: async () => ({ paths: [] }) };
  };
  const b = new Book(facts([0.2, 0.4]));
  assert.equal(await b.order(1), null);
  const [x, y] = await Promise.all([b.order(1), b.order(1)]);
  assert.ok(x && x === y);
  assert.equal(await b.order(9), null); // there is no such layer
  assert.equal(asked, 2);
});

test("the next filament is the one that the server would take", () => {
  const table = JSON.parse(
    readFileSync(new URL("../../core/apply/testdata/next.json", import.meta.url)),
  );
  for (const c of table) assert.equal(nextOf(c.bands, c.before, c.line, c.kit), c.want, c.name);
});

test("classes of paths are numbered as the server numbers them", () => {
  const names = JSON.parse(
    readFileSync(new URL("../../core/layer/testdata/classes.json", import.meta.url)),
  );
  assert.deepEqual(
    CLASSES.map((c) => c.name),
    names,
  );
});
