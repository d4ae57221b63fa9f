// Streaks in the air: short ways that it went, as the server worked them out, faded in and out over their life.

import * as THREE from "three";
import { dispose } from "./dispose.js";
import { ink } from "./ink.js";

const TAIL = 7; // frames that a streak is long
const FADE = 0.25; // of its life, to either end

/**
 * @typedef {object} Streamed where streaks are
 * @property {number} from the first frame
 * @property {number} count
 * @property {number} life frames
 * @property {Float32Array} ages of each on the first frame, in frames
 * @property {Float32Array} places x, y, z of each, frame after frame
 */

export class Streaks {
  shows = true;
  /** @type {Streamed | null} */
  data = null;
  /** @type {THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial> | null} */
  drawn = null;

  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /** @param {Streamed | null} data */
  set(data) {
    this.data = data;
    if (!data) return this.dispose();
    const segments = data.count * TAIL;
    if (this.drawn && this.drawn.geometry.attributes.position.count === 2 * segments) return undefined;
    this.dispose();
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(segments * 6), 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(new Float32Array(segments * 8), 4));
    this.drawn = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ vertexColors: true, transparent: true, depthWrite: false }));
    this.drawn.frustumCulled = false;
    this.drawn.visible = this.shows;
    this.drawn.renderOrder = 5;
    this.scene.add(this.drawn);
    this.dress();
    return undefined;
  }

  // in the colours of the theme
  dress() { this.drawn?.material.color.copy(ink("--streak")); }

  /** The last frame that is there. */
  get last() { return this.data ? this.data.from + this.data.places.length / (3 * this.data.count) - 1 : -Infinity; }

  /** Whether any are seen, and so are others at another frame. @param {number} frame */
  show(frame) {
    const { data, drawn } = this;
    if (!data || !drawn || !this.shows) return false;
    const { from, count, life, ages, places } = data;
    const now = Math.min(Math.max(Math.round(frame), from), this.last) - from;
    const { position, color } = drawn.geometry.attributes;
    for (let k = 0; k < count; k++) {
      const age = (ages[k] + now) % life;
      const strength = Math.min(1, age / (FADE * life), (life - age) / (FADE * life));
      for (let i = 0; i < TAIL; i++) {
        // a tail never reaches back behind the birth
        const there = now - i > 0 && age - i > 0;
        const [a, b] = [now - (there ? i : 0), now - (there ? i + 1 : 0)];
        const at = 2 * (k * TAIL + i);
        for (let c = 0; c < 3; c++) {
          position.array[3 * at + c] = places[3 * (a * count + k) + c];
          position.array[3 * at + 3 + c] = places[3 * (b * count + k) + c];
        }
        color.array.set([1, 1, 1, strength * (1 - i / TAIL)], 4 * at);
        color.array.set([1, 1, 1, strength * (1 - (i + 1) / TAIL)], 4 * at + 4);
      }
    }
    position.needsUpdate = color.needsUpdate = true;
    return true;
  }

  toggle() {
    this.shows = !this.shows;
    if (this.drawn) this.drawn.visible = this.shows;
    return this.shows;
  }

  dispose() {
    this.drawn?.removeFromParent();
    dispose(this.drawn);
    this.drawn = null;
  }
}
