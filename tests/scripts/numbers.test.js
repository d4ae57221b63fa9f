import assert from "node:assert/strict";
import { test } from "node:test";
import { base64, clamp, extent, near, roomy, sameNumbers, spreadOut, ticks, tidy } from "lazzik/lib/numbers.js";

test("a number is shown with as many digits as can be told apart", () => {
  assert.deepEqual([0, 0.1234, 1.234, 12.34, 123.44].map(tidy), ["0", "0.123", "1.23", "12.34", "123.4"]);
});

test("a negative number has a true minus, and none where it is shown as nothing", () => {
  assert.deepEqual([-2.5, -0.0001].map(tidy), ["−2.50", "0.000"]);
});

test("grid lines are round, within the range and no more than asked for", () => {
  assert.deepEqual(ticks(-1.2, 3.7, 5), [-1, 0, 1, 2, 3]);
  for (const [low, high, most] of [[0, 1, 4], [-8, 8, 10], [0.013, 0.019, 3], [-1e6, 1e6, 7]]) {
    const found = ticks(low, high, most);
    assert.ok(found.length >= 1 && found.length <= most + 1, `${found}`);
    assert.ok(found.every((value) => value >= low && value <= high));
  }
});

test("a lane's reach has room and is the least round one that has", () => {
  assert.equal(roomy(0.98), 1.5);
  assert.equal(roomy(0.9), 1);
  assert.equal(roomy(7.2), 10);
  assert.equal(roomy(9.9), 15);
});

test("the extent is that of all arrays together, and empty of none", () => {
  assert.deepEqual(extent([3, -1], new Float32Array([5]), []), [-1, 5]);
  assert.deepEqual(extent(), [Infinity, -Infinity]);
});

test("names stand a line apart, in the order of their places", () => {
  assert.deepEqual(spreadOut([20, 0, 4]), [24, 0, 12]);
});

test("clamp and near", () => {
  assert.deepEqual([clamp(5, 0, 3), clamp(-5, 0, 3), clamp(2, 0, 3)], [3, 0, 2]);
  assert.ok(near(1, 1 + 1e-7) && !near(1, 1.001));
});

test("numbers become text and come back the same, also from the middle of an array", () => {
  const all = new Float32Array([9, 0.5, -2, 1e-20, 9]);
  const bytes = Buffer.from(base64(all.subarray(1, 4)), "base64");
  assert.deepEqual([...new Float32Array(new Uint8Array(bytes).buffer)], [...all.subarray(1, 4)]);
});

test("curves are the same value by value, whatever holds them", () => {
  assert.ok(sameNumbers(Float32Array.of(1, 2), [1, 2]));
  assert.ok(!sameNumbers([1, 2], [1, 2, 3]));
  assert.ok(!sameNumbers([1, 2], [1, 2.5]));
});
