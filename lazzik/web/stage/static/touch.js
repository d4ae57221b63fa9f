// What is done to a surface where it is touched: a point picked on it, weights brushed onto it.

import * as THREE from "three";
import { clamp } from "lazzik/lib/numbers.js";

/** @import { Stage } from "./stage.js" */

const BRUSH = 0.14; // of an object's size

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
export function brush(stage, id, { clientX, clientY }, weights, by) {
  const mesh = stage.nodes.get(id)?.mesh;
  const [found] = mesh ? stage.ray(clientX, clientY).intersectObject(mesh, false) : [];
  if (!mesh || !found) return;
  const at = mesh.worldToLocal(found.point.clone());
  const { position } = mesh.geometry.attributes;
  mesh.geometry.computeBoundingSphere();
  const reach = BRUSH * (mesh.geometry.boundingSphere?.radius ?? 1);
  const point = new THREE.Vector3();
  for (let i = 0; i < position.count; i++) {
    const away = point.fromBufferAttribute(position, i).distanceTo(at);
    if (away < reach) weights[i] = clamp(weights[i] + by * (1 - away / reach), 0, 1);
  }
  stage.shade([[id, weights]]);
}
