// A dashed line from the chosen object to what it aims at.

import * as THREE from "three";
import { dispose } from "./dispose.js";
import { ink } from "./ink.js";

/** @import { AimFacts } from "lazzik/lib/types.d.ts" */
/** @import { Entry } from "./model.js" */

const DASH = 0.012; // of the way from the eye to what is aimed at

export class AimLine {
  /** @type {THREE.Line<THREE.BufferGeometry, THREE.LineDashedMaterial> | null} */
  drawn = null;
  /** @type {AimFacts | null} */
  aim = null;

  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /** Whether it is another aim than it was. @param {AimFacts | null} aim */
  set(aim) {
    if (JSON.stringify(aim) === JSON.stringify(this.aim)) return false;
    this.aim = aim;
    if (!aim) this.dispose();
    if (!aim || this.drawn) return true; // a line that is there stays until it is placed anew
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(6), 3));
    const material = new THREE.LineDashedMaterial({ color: ink("--ink"), depthTest: false, transparent: true, opacity: 0.7 });
    this.drawn = new THREE.Line(geometry, material);
    this.drawn.renderOrder = 10;
    this.drawn.frustumCulled = false;
    this.scene.add(this.drawn);
    return true;
  }

  /**
   * From where the object is to where its target is.
   * @param {Map<string, Entry>} nodes
   * @param {THREE.Vector3} eye
   */
  place(nodes, eye) {
    const from = this.aim && nodes.get(this.aim.node)?.item;
    if (!this.drawn || !this.aim || !from) return;
    const to = new THREE.Vector3(...this.aim.point);
    if (this.aim.target !== null) {
      const target = nodes.get(this.aim.target)?.item;
      target?.updateWorldMatrix(true, false);
      if (target) to.applyMatrix4(target.matrixWorld);
    }
    from.updateWorldMatrix(true, false);
    const { position } = this.drawn.geometry.attributes;
    position.array.set([...new THREE.Vector3().setFromMatrixPosition(from.matrixWorld).toArray(), ...to.toArray()]);
    position.needsUpdate = true;
    this.drawn.material.dashSize = this.drawn.material.gapSize = DASH * eye.distanceTo(to);
    this.drawn.computeLineDistances();
  }

  // in the colours of the theme
  dress() { this.drawn?.material.color.copy(ink("--ink")); }

  dispose() {
    this.drawn?.removeFromParent();
    dispose(this.drawn);
    this.drawn = null;
  }
}
