// The outline of the chosen object: its surface pushed out a little and seen from behind, so that it fits any shape.

import * as THREE from "three";
import { Marking } from "./marking.js";

/** How far it is pushed out, and its colour: pine, and around it paper, so that it is seen before anything. */
const RINGS = /** @type {const} */ ([[0.0042, "--pine"], [0.0068, "--paper"]]);

export class Outline {
  /** @type {THREE.Mesh<THREE.BufferGeometry, Marking>[]} the nearer ring first; they stay, since a program is built for each anew */
  rings = [];

  /** The rings that are to be seen. */
  get drawn() { return this.rings.filter(({ parent }) => parent); }

  /** @param {THREE.Mesh} mesh */
  around(mesh) {
    if (!this.rings.length) this.rings = RINGS.map(([by, colour]) => new THREE.Mesh(mesh.geometry, new Marking(by, colour)));
    for (const ring of this.rings) {
      ring.geometry = mesh.geometry; // which is the object's
      ring.material.dress();
      ring.raycast = () => {};
      ring.frustumCulled = false;
      mesh.add(ring);
    }
  }

  /** A surface is drawn from another geometry by now. @param {THREE.Mesh} mesh */
  follow(mesh) {
    for (const ring of this.rings) if (ring.parent === mesh) ring.geometry = mesh.geometry;
  }

  /** Around nothing. */
  leave() { for (const ring of this.rings) ring.removeFromParent(); }

  dispose() {
    this.leave();
    for (const ring of this.rings) ring.material.dispose();
    this.rings = [];
  }
}
