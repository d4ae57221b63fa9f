// Drawings are told by what goes into them.

import assert from "node:assert/strict";
import test from "node:test";

import { inSight, Redraw } from "lazzik/stack/redraw.js";

const element = () => /** @type {Element} */ (/** @type {unknown} */ ({}));

test("a drawing differs the first time, and then whenever anything that goes into it does", () => {
  const [redraw, one, other] = [new Redraw(), element(), element()];
  const curve = Float32Array.of(1, 2, 3);
  assert.equal(redraw.differs(one, [curve, 5, "a"]), true);
  assert.equal(redraw.differs(one, [curve, 5, "a"]), false);
  assert.equal(redraw.differs(one, [Float32Array.of(1, 2, 3), 5, "a"]), false, "curves are told by their values");
  assert.equal(redraw.differs(one, [Float32Array.of(1, 2, 4), 5, "a"]), true);
  assert.equal(redraw.differs(one, [Float32Array.of(1, 2, 4), 6, "a"]), true);
  assert.equal(redraw.differs(one, [Float32Array.of(1, 2), 6, "a"]), true);
  assert.equal(redraw.differs(other, [Float32Array.of(1, 2), 6, "a"]), true, "each for itself");
});

test("in sight is what a scrolled box shows, and half as much above and below", () => {
  const at = (/** @type {number} */ top, height = 40) => (
    /** @type {Element} */ (/** @type {unknown} */ ({ getBoundingClientRect: () => ({ top, bottom: top + height, height }) }))
  );
  const lanes = [-500, -100, 0, 90, 130, 400].map((top) => at(top));
  assert.deepEqual(inSight(lanes, at(0, 100)), [lanes[2], lanes[3], lanes[4]]);
});
