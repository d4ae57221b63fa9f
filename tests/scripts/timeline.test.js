import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { store } from "lazzik/lib/store.js";
import { onView, pan, span, toFrame, toX, viewed, wholeRange, zoom, zoomed } from "lazzik/timeline/timeaxis.js";

beforeEach(async () => {
  await store.set({ facts: { ...store.facts, first: 0, last: 200 } });
  wholeRange();
});

test("the whole range is in view at first", () => {
  assert.deepEqual(viewed(), [0, 200]);
  assert.equal(zoomed(), false);
});

test("a frame's place and the frame at a place are each other's inverse, also when zoomed", () => {
  zoom(0.3, 150);
  for (const frame of [130, 150, 171.5]) assert.ok(Math.abs(toFrame(toX(frame, 640), 640) - frame) < 1e-9);
});

test("zooming keeps the frame under the pointer where it is", () => {
  const before = toX(80, 500);
  zoom(0.5, 80);
  assert.ok(Math.abs(toX(80, 500) - before) < 1e-9);
  assert.equal(span(), 100);
});

test("the view stays within the range and never gets closer than four frames", () => {
  zoom(0.001, 199);
  assert.equal(span(), 4);
  assert.ok(viewed()[1] <= 200);
  pan(1000);
  assert.deepEqual(viewed(), [196, 200]);
  pan(-1000);
  assert.deepEqual(viewed(), [0, 4]);
});

test("zoomed out beyond the range, all of it is in view again", () => {
  zoom(0.5, 50);
  zoom(5, 50);
  assert.equal(zoomed(), false);
});

test("who listens is told of every other view", () => {
  let told = 0;
  onView(() => { told += 1; });
  zoom(0.5, 50);
  pan(3);
  assert.equal(told, 2);
});
