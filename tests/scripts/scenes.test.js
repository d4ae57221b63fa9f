// Scenes in order, and the part of a stage that a picture shows.

import assert from "node:assert/strict";
import test from "node:test";

import { before } from "lazzik/scenes/scenes.js";
import { middleOf } from "lazzik/stage/picture.js";

const rows = [
  { name: "Ridge 10", changed: "2026-11-02T10:00", moving: "4" },
  { name: "ridge 9", changed: "2026-11-03T10:00", moving: "40" },
  { name: "Float test", changed: "2026-11-01T10:00", moving: "0" },
];

test("scenes are sorted by change, by name with its numbers, and by how much moves", () => {
  /** @param {"changed" | "name" | "moving"} order */
  const names = (order) => [...rows].sort(before(order)).map((row) => row.name);
  assert.deepEqual(names("changed"), ["ridge 9", "Ridge 10", "Float test"]);
  assert.deepEqual(names("name"), ["Float test", "ridge 9", "Ridge 10"]);
  assert.deepEqual(names("moving"), ["ridge 9", "Ridge 10", "Float test"]);
});

test("a picture shows the middle of the stage", () => {
  assert.deepEqual(middleOf(1000, 300, 2), [200, 0, 600, 300]);
  assert.deepEqual(middleOf(300, 600, 2), [0, 225, 300, 150]);
});
