// Fine lines on the ground whose squares suit the distance they are seen from: a millimetre to a hundred metres.

import * as THREE from "three";
import { dispose } from "./dispose.js";
import { ink } from "./ink.js";

const SQUARES = 24; // from side to side
const SEEN = 9; // squares that the distance to what is looked at is about as long as

/** How long one square is, in metres, seen from so far away. @param {number} away */
export const squareFor = (away) => 10 ** Math.min(2, Math.max(-3, Math.round(Math.log10(Math.max(away, 1e-6) / SEEN))));

/** A length in the unit that suits it. @param {number} metres */
export const told = (metres) => (metres >= 1 ? `${metres} m` : metres >= 0.01 ? `${Math.round(metres * 100)} cm` : `${Math.round(metres * 1000)} mm`);

/** Lines of a square sheet on the ground, x, y and z of both ends of each. @param {number} square */
function lines(square) {
  const half = (SQUARES * square) / 2;
  const points = [];
  for (let n = 0; n <= SQUARES; n++) {
    const at = n * square - half;
    points.push(-half, 0, at, half, 0, at, at, 0, -half, at, 0, half);
  }
  return points;
}

export class Grid {
  /** @type {THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial> | null} */
  drawn = null;
  square = 0;

  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /**
   * Suit the distance, and lie about what is looked at; true if its squares are others than before.
   * @param {number} away metres from what is looked at
   * @param {THREE.Vector3} target
   */
  suit(away, target) {
    const square = squareFor(away);
    const [x, z] = [target.x, target.z].map((at) => Math.round(at / square) * square);
    if (square === this.square && this.drawn) {
      this.drawn.position.setX(x).setZ(z);
      return false;
    }
    this.dispose();
    this.square = square;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(lines(square), 3));
    // of one colour, as edges are: without graphics hardware a program of its own would cost the first picture 30 ms
    const look = { color: ink("--ink-2"), transparent: true, opacity: 0.18, depthWrite: false };
    this.drawn = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial(look));
    this.drawn.position.set(x, 0.006 * Math.min(1, square), z);
    this.scene.add(this.drawn);
    return true;
  }

  dispose() {
    this.drawn?.removeFromParent();
    dispose(this.drawn);
    this.drawn = null;
  }
}
