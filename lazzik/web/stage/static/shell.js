// A swarm drawn as one surface: another mesh at every moment.

import * as THREE from "three";

/** @import { Drawing, Moment } from "./runs.js" */

export class Shell {
  /** @param {Drawing} stage @param {string} id of the object @param {number} roughness */
  constructor(stage, id, roughness) {
    this.stage = stage;
    this.id = id;
    const material = new THREE.MeshStandardMaterial({ roughness, metalness: 0 });
    this.mesh = new THREE.Mesh(new THREE.BufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.mesh.castShadow = true;
    this.mesh.receiveShadow = true;
    this.mesh.visible = false;
    stage.scene.add(this.mesh);
    stage.shells?.set(id, this.mesh);
  }

  /** What it is drawn by. */
  get items() { return [this.mesh]; }

  /** @param {Moment} moment */
  draw({ places, normals, colors, corners }) {
    if (!normals || !corners) return;
    // buffers can't change their length: a mesh that does is a new one
    this.mesh.geometry.dispose();
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
    geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 3, true));
    geometry.setIndex(new THREE.BufferAttribute(corners, 1));
    this.mesh.geometry = geometry;
    if (colors.length) this.mesh.material.color.setRGB(colors[0] / 255, colors[1] / 255, colors[2] / 255, THREE.SRGBColorSpace);
    this.mesh.visible = corners.length > 0;
  }

  hide() { this.mesh.visible = false; }

  attach() {}

  dispose() {
    this.stage.shells?.delete(this.id);
    this.mesh.removeFromParent();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
