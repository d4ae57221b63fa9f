// Shades on surfaces: from paper (nothing) to pine (full) where something acts; with a sign, from brick (one way) over
// paper to pine (the other).

import * as THREE from "three";
import { disposeOwn } from "./dispose.js";
import { ink } from "./ink.js";

/** @typedef {[mesh: THREE.Mesh, values: Float32Array]} Shaded a surface with a value for each of its points */

/** @param {Float32Array} values */
const largest = (values) => values.reduce((most, value) => Math.max(most, Math.abs(value)), 0);

export class Shades {
  /** @type {THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>[]} */
  drawn = [];

  /**
   * @param {Shaded[]} surfaces all that are shaded from now on
   * @param {boolean} signed
   */
  set(surfaces, signed) {
    this.dispose();
    const full = signed ? Math.max(1e-9, ...surfaces.map(([, values]) => largest(values))) : 1;
    this.drawn = surfaces.map(([mesh, values]) => shade(mesh, colours(values, full, signed)));
  }

  dispose() {
    for (const shaded of this.drawn) {
      shaded.removeFromParent();
      shaded.material.dispose();
      disposeOwn(shaded.geometry, ["position", "index"]);
    }
    this.drawn = [];
  }
}

/**
 * @param {Float32Array} values
 * @param {number} full the value that is shown in full
 * @param {boolean} signed
 */
function colours(values, full, signed) {
  const [none, above, below] = [ink("--paper"), ink("--pine"), ink("--brick")];
  const out = new Float32Array(values.length * 3);
  values.forEach((value, i) => {
    none.clone().lerp(signed && value < 0 ? below : above, Math.min(1, Math.abs(value) / full)).toArray(out, i * 3);
  });
  return out;
}

/**
 * @param {THREE.Mesh} mesh
 * @param {Float32Array} colors
 */
function shade(mesh, colors) {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", mesh.geometry.attributes.position);
  geometry.setAttribute("color", new THREE.BufferAttribute(colors, 3));
  geometry.setIndex(mesh.geometry.index);
  const nearer = { polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -1 };
  const shaded = new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ vertexColors: true, ...nearer }));
  shaded.raycast = () => {};
  shaded.frustumCulled = false;
  mesh.add(shaded);
  return shaded;
}
