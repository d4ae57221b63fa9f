// Particles drawn as balls, each as large as it is.

import * as THREE from "three";
import { Copies } from "./copies.js";

/** @import { Drawing, Moment } from "./runs.js" */

export class Balls {
  /** @param {Drawing} stage @param {number} roughness */
  constructor(stage, roughness) {
    this.stage = stage;
    this.material = new THREE.MeshStandardMaterial({ roughness, metalness: 0 });
    this.geometry = new THREE.IcosahedronGeometry(0.5, 2);
    this.mesh = this.room(1024);
  }

  /** @param {number} most that there is room for */
  room(most) {
    const mesh = new Copies(this.geometry, this.material, most);
    mesh.show(0);
    mesh.castShadow = true;
    mesh.receiveShadow = true;
    this.stage.scene.add(mesh);
    return mesh;
  }

  /** What it is drawn by. */
  get items() { return [this.mesh]; }

  /** @param {Moment} moment */
  draw({ places, sizes, colors }) {
    const count = sizes.length;
    if (count > this.mesh.most) {
      this.release();
      this.mesh = this.room(2 ** Math.ceil(Math.log2(count)));
    }
    const { mesh } = this;
    const [matrix, tint] = [new THREE.Matrix4(), new THREE.Color()];
    for (let n = 0; n < count; n++) {
      matrix.makeScale(sizes[n], sizes[n], sizes[n]).setPosition(places[3 * n], places[3 * n + 1], places[3 * n + 2]);
      mesh.setMatrixAt(n, matrix);
      mesh.setColorAt(n, tint.setRGB(colors[4 * n] / 255, colors[4 * n + 1] / 255, colors[4 * n + 2] / 255, THREE.SRGBColorSpace));
    }
    mesh.show(count);
    mesh.visible = count > 0;
  }

  hide() { this.mesh.visible = false; }

  attach() {}

  release() {
    this.mesh.removeFromParent();
    this.mesh.dispose();
  }

  dispose() {
    this.release();
    this.geometry.dispose();
    this.material.dispose();
  }
}
