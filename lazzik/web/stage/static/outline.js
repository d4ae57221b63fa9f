// The outline of the chosen object: its surface pushed out a little and seen from behind, so that it fits any shape.

import * as THREE from "three";
import { ink, shown } from "./ink.js";

/** How far it is pushed out, and its colour: pine, and around it paper, so that it is seen before anything. */
const RINGS = /** @type {const} */ ([[0.0042, "--pine"], [0.0068, "--paper"]]);

// pushed by a part of the picture's height
const PUSHED = {
  vertexShader: "uniform float by;\nvoid main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);\n"
    + " vec3 away = normalize(normalMatrix * normal); gl_Position.xy += (projectionMatrix * vec4(away, 0.0)).xy * by * gl_Position.w; }",
  fragmentShader: "uniform vec3 shade;\nout vec4 colour;\nvoid main() { colour = vec4(shade, 1.0); }",
};

/**
 * One program for both rings, as short as can be.
 * @param {number} by
 * @param {string} colour
 */
function material(by, colour) {
  const uniforms = { by: { value: by }, shade: { value: shown(ink(colour)) } };
  return new THREE.ShaderMaterial({ ...PUSHED, uniforms, glslVersion: THREE.GLSL3, side: THREE.BackSide });
}

export class Outline {
  /** @type {THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>[]} the nearer ring first; they stay, since a program is built for each anew */
  rings = [];

  /** The rings that are to be seen. */
  get drawn() { return this.rings.filter(({ parent }) => parent); }

  /** @param {THREE.Mesh} mesh */
  around(mesh) {
    if (!this.rings.length) this.rings = RINGS.map(([by, colour]) => new THREE.Mesh(mesh.geometry, material(by, colour)));
    this.rings.forEach((ring, n) => {
      ring.geometry = mesh.geometry; // which is the object's
      ring.material.uniforms.shade.value = shown(ink(RINGS[n][1]));
      ring.raycast = () => {};
      ring.frustumCulled = false;
      mesh.add(ring);
    });
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
