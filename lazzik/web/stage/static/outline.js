// The outline of the chosen object: its surface pushed out a little and seen from behind, so that it fits any shape.

import * as THREE from "three";
import { ink } from "./ink.js";

/** How far it is pushed out, and its colour: pine, and around it paper, so that it is seen before anything. */
const RINGS = /** @type {const} */ ([["0.0042", "--pine"], ["0.0068", "--paper"]]);

/** @param {string} by part of the picture's height */
const pushed = (by) => "#include <project_vertex>\n vec3 away = normalize(normalMatrix * normal);"
  + ` gl_Position.xy += (projectionMatrix * vec4(away, 0.0)).xy * ${by} * gl_Position.w;`;

/**
 * @param {string} by
 * @param {string} colour
 */
function material(by, colour) {
  const made = new THREE.MeshBasicMaterial({ color: ink(colour), side: THREE.BackSide });
  made.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader.replace("#include <project_vertex>", pushed(by))
      .replace("void main() {", "void main() { vec3 objectNormal = normal;");
  };
  made.customProgramCacheKey = () => by;
  return made;
}

export class Outline {
  /** @type {THREE.Mesh[]} the nearer ring first */
  drawn = [];

  /** @param {THREE.Mesh} mesh */
  around(mesh) {
    this.dispose();
    for (const [by, colour] of RINGS) {
      const ring = new THREE.Mesh(mesh.geometry, material(by, colour));
      ring.raycast = () => {};
      ring.frustumCulled = false;
      mesh.add(ring);
      this.drawn.push(ring);
    }
  }

  /** A surface is drawn from another geometry by now. @param {THREE.Mesh} mesh */
  follow(mesh) {
    for (const ring of this.drawn) if (ring.parent === mesh) ring.geometry = mesh.geometry;
  }

  dispose() {
    for (const ring of this.drawn) {
      ring.removeFromParent();
      for (const each of [ring.material].flat()) each.dispose(); // its geometry is the object's
    }
    this.drawn = [];
  }
}
