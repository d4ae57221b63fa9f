// The outline of the chosen object: its surface pushed out a little and seen from behind, so that it fits any shape.

import * as THREE from "three";
import { ink } from "./ink.js";

const PUSHED = "#include <project_vertex>\n vec3 away = normalize(normalMatrix * normal);"
  + " gl_Position.xy += (projectionMatrix * vec4(away, 0.0)).xy * 0.0035 * gl_Position.w;";

export class Outline {
  /** @type {THREE.Mesh | null} */
  drawn = null;

  /** @param {THREE.Mesh} mesh */
  around(mesh) {
    this.dispose();
    const material = new THREE.MeshBasicMaterial({ color: ink("--pine"), side: THREE.BackSide });
    material.onBeforeCompile = (shader) => {
      shader.vertexShader = shader.vertexShader.replace("#include <project_vertex>", PUSHED)
        .replace("void main() {", "void main() { vec3 objectNormal = normal;");
    };
    this.drawn = new THREE.Mesh(mesh.geometry, material);
    this.drawn.raycast = () => {};
    this.drawn.frustumCulled = false;
    mesh.add(this.drawn);
  }

  /** A surface is drawn from another geometry by now. @param {THREE.Mesh} mesh */
  follow(mesh) {
    if (this.drawn?.parent === mesh) this.drawn.geometry = mesh.geometry;
  }

  dispose() {
    this.drawn?.removeFromParent();
    for (const material of [this.drawn?.material ?? []].flat()) material.dispose(); // its geometry is the object's
    this.drawn = null;
  }
}
