// The path of the chosen object: a point for each frame.

import * as THREE from "three";
import { sameNumbers } from "lazzik/lib/numbers.js";
import { dispose } from "./dispose.js";
import { ink } from "./ink.js";

const LEAST = 1e-3; // metres; what moves less shows no path

export class Trail {
  shows = true;
  /** @type {THREE.Points<THREE.BufferGeometry, THREE.PointsMaterial> | null} */
  drawn = null;
  /** @type {Float32Array} */
  points = new Float32Array(0);

  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /** Whether it is another path than it was. @param {Float32Array} points x, y, z of each frame */
  set(points) {
    if (sameNumbers(points, this.points)) return false;
    this.points = points;
    this.dispose();
    let reach = 0;
    for (let i = 3; i < points.length; i++) reach = Math.max(reach, Math.abs(points[i] - points[i % 3]));
    if (reach <= LEAST) return true;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
    const small = { size: 2.4, sizeAttenuation: false, depthTest: false, transparent: true };
    this.drawn = new THREE.Points(geometry, new THREE.PointsMaterial({ color: ink("--ink"), ...small }));
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
  dress() { this.drawn?.material.color.copy(ink("--ink")); }

  dispose() {
    this.drawn?.removeFromParent();
    dispose(this.drawn);
    this.drawn = null;
  }
}
