// Labels find places where no curve and no other label is.

import assert from "node:assert/strict";
import test from "node:test";

import { boxOf, covered, Labels } from "lazzik/stack/labels.js";

const flat = (/** @type {number} */ at) => () => at;

test("a label beside a point on a level curve moves off the curve", () => {
  const labels = new Labels(400, 100, [flat(50)]);
  const place = labels.put("peak 3.28°", Labels.about(200, 50));
  assert.equal(covered(boxOf(place, "peak 3.28°"), [flat(50)], []), 0);
});

test("a steep stretch between two looks is in the way too", () => {
  const step = (/** @type {number} */ x) => (x < 101 ? 5 : 95);
  const box = { left: 90, right: 120, top: 40, bottom: 52 };
  assert.ok(covered(box, [step], []) > 0);
});

test("two labels at one point do not cover each other", () => {
  const labels = new Labels(400, 100, []);
  const [one, two] = ["seam 0° apart", "peak 3°"].map((text) => boxOf(labels.put(text, Labels.about(395, 95)), text));
  assert.equal(covered(one, [], [two]), 0);
});

test("a label stays inside the picture", () => {
  const labels = new Labels(120, 40, []);
  const box = boxOf(labels.put("seam 12.5° apart", Labels.about(118, 2)), "seam 12.5° apart");
  assert.ok(box.left >= 0 && box.right <= 120 && box.top >= 0 && box.bottom <= 40);
});

test("where nothing is free an optional label is left out, and another stands where it covers least", () => {
  const curves = Array.from({ length: 20 }, (_, i) => flat(i * 5));
  const labels = new Labels(400, 100, curves);
  assert.equal(labels.putIfFree("Lamp 2", Labels.about(200, 50)), null);
  assert.ok(labels.put("Lamp 2", Labels.about(200, 50)));
});
