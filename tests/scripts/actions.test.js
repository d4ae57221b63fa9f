import assert from "node:assert/strict";
import { test } from "node:test";
import { act, keyOf, run } from "lazzik/lib/actions.js";

/** @param {string} key @param {Partial<KeyboardEvent>} held */
const named = (key, held = {}) => keyOf(/** @type {KeyboardEvent} */ ({ key, ctrlKey: false, metaKey: false, shiftKey: false, ...held }));

test("keys are named as the table names them", () => {
  assert.equal(named("k"), "K");
  assert.equal(named(" "), "Space");
  assert.equal(named("ArrowLeft", { shiftKey: true }), "Shift+ArrowLeft");
  assert.equal(named("z", { ctrlKey: true }), "Ctrl+Z");
  assert.equal(named("Z", { metaKey: true, shiftKey: true }), "Ctrl+Shift+Z");
  assert.equal(named("+", { shiftKey: true }), "+");
});

test("an action is done by its name, with the button or without one", () => {
  /** @type {unknown[]} */
  const done = [];
  act({ name: "wave", run: (button) => done.push(button) });
  run("wave");
  assert.deepEqual(done, [null]);
  assert.equal(run("nobody"), undefined);
});
