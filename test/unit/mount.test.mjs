// Pages are started where they stand, and let go of what they listen to.
import { test } from "node:test";
import assert from "node:assert/strict";
import { mount } from "../../web/assets/js/mount.js";

test("what a page listens to outside of itself goes with it", () => {
  const outside = new EventTarget();
  let heard = 0,
    hidden;
  globalThis.document = { querySelector: (s) => (s === "[data-here]" ? {} : null) };
  globalThis.addEventListener = (_, f) => (hidden = f);
  mount([
    ["[data-here]", (_, signal) => outside.addEventListener("key", () => heard++, { signal })],
    ["[data-elsewhere]", () => assert.fail("it does not stand there")],
  ]);
  const press = () => outside.dispatchEvent(new Event("key"));
  press();
  hidden({ persisted: true }); // it may come back as it was
  press();
  assert.equal(heard, 2);
  hidden({ persisted: false });
  press();
  assert.equal(heard, 2);
});
