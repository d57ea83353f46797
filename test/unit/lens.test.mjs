// The lens beside the spine: which layers it shows, and which fold lies under the pointer.
import { test } from "node:test";
import assert from "node:assert/strict";
import { Lens } from "../../web/assets/js/lens.js";
import { spans } from "../../web/assets/js/profile.js";

const box = { left: 100, right: 180, top: 20, foot: 500 };

function print(n, height = () => 0.2) {
  const h = Array.from({ length: n }, (_, i) => height(i));
  let z = 0;
  return { h, z: h.map((v) => (z += v)) };
}

test("lens: sixteen layers round the fold, fewer at the ends and in short prints", () => {
  for (const [layers, fold, first, last] of [
    [390, 42, 34, 49],
    [390, 1, 1, 16],
    [390, 391, 375, 390],
    [8, 4, 1, 8],
    [1, 1, 1, 1],
    [1, 2, 1, 1],
  ]) {
    const lens = new Lens(print(layers));
    lens.layout(fold, box, [0, 10]);
    assert.deepEqual([lens.first, lens.last], [first, last], `${layers} layers, fold ${fold}`);
  }
});

test("lens: every fold in it is found again under the pointer", () => {
  const lens = new Lens(print(60, (i) => (i % 2 ? 0.1 : 0.3)));
  lens.layout(30, box, [0, 10]);
  for (let n = lens.first; n <= lens.last + 1; n++) assert.equal(lens.fold(lens.edge(n)), n);
  // Layers are as high as they are thick.
  const high = (n) => lens.edge(n) - lens.edge(n + 1);
  assert.ok(Math.abs(high(lens.first) / high(lens.first + 1) - 1 / 3) < 1e-9);
  // A height in a layer lies between its folds.
  const y = lens.y(lens.book.z[29] - 0.05);
  assert.ok(y > lens.edge(31) && y < lens.edge(30));
});

test("lens: what is dragged stays in place; beyond its ends it goes on by one layer", () => {
  const lens = new Lens(print(390));
  lens.layout(42, box, [0, 10]);
  lens.held = true;
  lens.layout(45, box, [0, 10]);
  assert.equal(lens.first, 34);
  lens.layout(lens.fold(box.top - 30), box, [0, 10]);
  assert.deepEqual([lens.first, lens.last], [35, 50]);
  lens.layout(lens.fold(box.foot + 30), box, [0, 10]);
  assert.deepEqual([lens.first, lens.last], [34, 49]);
});

test("spans: bands are cut at the window, and at the fold for a preview of the rest", () => {
  const bands = [
    { from: 1, colour: "red" },
    { from: 38, colour: "white" },
  ];
  assert.deepEqual(spans({ bands, rest: "", fold: 42 }, 34, 50, 390), [
    [34, 38, "red", false],
    [38, 50, "white", false],
  ]);
  assert.deepEqual(spans({ bands, rest: "black", fold: 42 }, 34, 50, 390), [
    [34, 38, "red", true],
    [38, 42, "white", true],
    [42, 50, "black", false],
  ]);
});
