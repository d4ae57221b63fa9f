// The path of the chosen object: a dot for each frame.

import * as THREE from "three";
import { sameNumbers } from "lazzik/lib/numbers.js";
import { repeatedIndex } from "./copies.js";
import { Marking } from "./marking.js";

const LEAST = 1e-3; // metres; what moves less shows no path
const WIDE = 2.4; // pixels of the page that a dot is wide
const CORNERS = [[-1, -1], [1, -1], [1, 1], [-1, 1]];
const SQUARE = { array: [0, 2, 1, 0, 3, 2] }; // seen from behind, as outlines are

/** A square about each point, whose corners are pushed apart across the picture. @param {Float32Array} points x, y, z of each */
function squares(points) {
  const count = points.length / 3;
  const [places, directions] = [new Float32Array(12 * count), new Float32Array(12 * count)];
  for (let n = 0, at = 0; n < count; n++) {
    for (const [x, y] of CORNERS) {
      for (let k = 0; k < 3; k++) places[at + k] = points[3 * n + k];
      directions[at] = x;
      directions[at + 1] = y;
      at += 3;
    }
  }
  return new THREE.BufferGeometry().setIndex(repeatedIndex(SQUARE, CORNERS.length, count))
    .setAttribute("position", new THREE.BufferAttribute(places, 3)).setAttribute("normal", new THREE.BufferAttribute(directions, 3));
}

export class Trail {
  shows = true;
  /** @type {THREE.Mesh<THREE.BufferGeometry, Marking> | null} */
  drawn = null;
  /** @type {Float32Array} */
  points = new Float32Array(0);
  // it stays, since a program is built for each anew
  material = new Marking(0, "--ink", true);

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
    this.dress();
    this.drawn = new THREE.Mesh(squares(points), this.material);
    this.drawn.renderOrder = 10;
    this.drawn.visible = this.shows;
    this.scene.add(this.drawn);
    return true;
  }

  /**
   * As wide as it is meant to be in a picture so high.
   * @param {THREE.PerspectiveCamera} eye
   * @param {number} height pixels of the page
   */
  suit({ projectionMatrix }, height) { this.material.uniforms.by.value = (Math.SQRT2 * WIDE) / (height * projectionMatrix.elements[5]); }

  toggle() {
    this.shows = !this.shows;
    if (this.drawn) this.drawn.visible = this.shows;
    return this.shows;
  }

  // in the colours of the theme
  dress() { this.material.dress(); }

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
