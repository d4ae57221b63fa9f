// The little geometry that handles need while they are dragged. The core has the same; a test compares the two.

import * as THREE from "three";

/** @import { Facts, PlacedHandles } from "lazzik/lib/types.d.ts" */

const AXES = ["x", "y", "z"];
/** @type {Record<PlacedHandles["axis"], [number, number, number]>} the axes of the object that u, v and w lie along */
const ORDERS = { x: [0, 1, 2], y: [1, 2, 0], z: [2, 0, 1] };

/**
 * The matrix from a deformer's coordinates (u, v, w) to its object's.
 * @param {PlacedHandles["place"]} place metres
 * @param {PlacedHandles["turn"]} turn degrees about x, y, z
 * @param {PlacedHandles["axis"]} axis that u lies along
 */
export function placed(place, turn, axis) {
  const [x, y, z] = turn.map(THREE.MathUtils.degToRad);
  /** @type {[THREE.Vector3, THREE.Vector3, THREE.Vector3]} */
  const columns = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
  new THREE.Matrix4().makeRotationFromEuler(new THREE.Euler(x, y, z, "XYZ")).extractBasis(...columns);
  const [u, v, w] = ORDERS[axis].map((i) => columns[i]);
  return new THREE.Matrix4().makeBasis(u, v, w).setPosition(...place);
}

/**
 * The axes of the scene that an object turns about when each of its three angles grows, by x, y, z; null of one that lies
 * in the same line as another. It turns in the written order: about the first axis of what is above it, about the last of
 * its own.
 * @param {Facts["order"]} order
 * @param {THREE.Matrix4} above the matrix of what is above
 * @param {THREE.Matrix4} own the object's own
 * @returns {(THREE.Vector3 | null)[]}
 */
export function turnAxes(order, above, own) {
  const [a, b, c] = [...order].map((axis) => AXES.indexOf(axis));
  const first = new THREE.Vector3().setFromMatrixColumn(above, a).normalize();
  const last = new THREE.Vector3().setFromMatrixColumn(own, c).normalize();
  const cyclic = (b - a + 3) % 3 === 1 ? 1 : -1;
  const middle = last.clone().cross(first).multiplyScalar(cyclic);
  /** @type {(THREE.Vector3 | null)[]} */
  const axes = [null, null, null];
  for (const [i, axis] of [/** @type {const} */ ([a, first]), /** @type {const} */ ([b, middle]), /** @type {const} */ ([c, last])]) {
    axes[i] = axis.lengthSq() > 0.01 ? axis.normalize() : null;
  }
  return axes;
}
