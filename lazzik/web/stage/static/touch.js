// What is done to a surface where it is touched: a point picked on it, weights brushed onto it.

import * as THREE from "three";
import { untilReleased } from "lazzik/lib/dom.js";
import { clamp } from "lazzik/lib/numbers.js";

/** @import { Stage } from "./stage.js" */

const BRUSH = 0.14; // of an object's size
const STROKE = 0.25; // weight that a touch of the brush adds

/**
 * The next press on an object, as a point of its own space; null if it misses.
 * @param {Stage} stage
 * @param {string} id
 * @returns {Promise<[number, number, number] | null>}
 */
export function pickPoint(stage, id) {
  const entry = stage.nodes.get(id);
  return new Promise((done) => {
    stage.canvas.addEventListener("pointerdown", (event) => {
      event.stopImmediatePropagation();
      const [found] = entry?.mesh ? stage.ray(event.clientX, event.clientY).intersectObject(entry.mesh, false) : [];
      done(entry && found ? entry.item.worldToLocal(found.point.clone()).toArray() : null);
    }, { once: true, capture: true });
  });
}

/**
 * Adds to the weights of the points near where a brush touches a surface, and shows them.
 * @param {Stage} stage
 * @param {string} id
 * @param {{ clientX: number, clientY: number }} at
 * @param {Float32Array} weights
 * @param {number} by
 */
function brush(stage, id, { clientX, clientY }, weights, by) {
  const mesh = stage.nodes.get(id)?.mesh;
  const [found] = mesh ? stage.ray(clientX, clientY).intersectObject(mesh, false) : [];
  if (!mesh || !found) return;
  const at = mesh.worldToLocal(found.point.clone());
  const { position } = mesh.geometry.attributes;
  mesh.geometry.computeBoundingSphere();
  const reach = BRUSH * (mesh.geometry.boundingSphere?.radius ?? 1);
  const point = new THREE.Vector3();
  // on a coarse mesh no point may lie so near: the corners of the face count by their shares, as the surface shows them
  const { a, b, c } = found.face ?? { a: 0, b: 0, c: 0 };
  const shares = found.face && new THREE.Triangle().setFromAttributeAndIndices(position, a, b, c).getBarycoord(at, new THREE.Vector3());
  const corners = new Map(shares ? [[a, shares.x], [b, shares.y], [c, shares.z]] : []);
  for (let i = 0; i < position.count; i++) {
    const away = point.fromBufferAttribute(position, i).distanceTo(at);
    const share = Math.max(1 - away / reach, corners.get(i) ?? 0);
    if (share > 0) weights[i] = clamp(weights[i] + by * share, 0, 1);
  }
  stage.shade([[id, weights]]);
}

/**
 * A stroke of the brush over a surface that shows its weights: it adds, with Shift it takes away, and is one step.
 * @param {Stage} stage
 * @param {string} id
 * @param {PointerEvent} event that it begins with
 * @param {(weights: Float32Array) => unknown} keep
 */
export function paintStroke(stage, id, event, keep) {
  if (event.button || !stage.counts) return;
  event.preventDefault();
  const weights = stage.counts.slice();
  const touch = (/** @type {PointerEvent} */ at) => brush(stage, id, at, weights, at.shiftKey ? -STROKE : STROKE);
  touch(event);
  untilReleased(touch, () => keep(weights));
}
