// The path of the chosen object: a point for each frame.

import * as THREE from "three";
import { sameNumbers } from "lazzik/lib/numbers.js";
import { ink } from "./ink.js";

const LEAST = 1e-3; // metres; what moves less shows no path

export class Trail {
  shows = true;
  /** @type {THREE.Points<THREE.BufferGeometry, THREE.PointsMaterial> | null} */
  drawn = null;
  /** @type {Float32Array} */
  points = new Float32Array(0);
  // it stays, since a program is built for each anew
  material = new THREE.PointsMaterial({ size: 2.4, sizeAttenuation: false, depthTest: false, transparent: true });

  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /** Whether another path is to be seen than was. @param {Float32Array} points x, y, z of each frame */
  set(points) {
    if (sameNumbers(points, this.points)) return false;
    this.points = points;
    const was = this.drawn;
    this.leave();
    let reach = 0;
    for (let i = 3; i < points.length; i++) reach = Math.max(reach, Math.abs(points[i] - points[i % 3]));
    if (reach <= LEAST) return was !== null;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
    this.dress();
    this.drawn = new THREE.Points(geometry, this.material);
    this.drawn.renderOrder = 10;
    this.drawn.visible = this.shows;
    this.scene.add(this.drawn);
    return true;
  }

  toggle() {
    this.shows = !this.shows;
    if (this.drawn) this.drawn.visible = this.shows;
    return this.shows;
  }

  // in the colours of the theme
  dress() { this.material.color.copy(ink("--ink")); }

  leave() {
    this.drawn?.removeFromParent();
    this.drawn?.geometry.dispose();
    this.drawn = null;
  }

  dispose() {
    this.leave();
    this.material.dispose();
  }
}
