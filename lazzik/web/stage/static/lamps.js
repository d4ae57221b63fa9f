// The lamps of a scene: how far the chosen one reaches, and which of many are lit.

import * as THREE from "three";
import { dispose } from "./dispose.js";
import { ink } from "./ink.js";

/** @import { Entry } from "./model.js" */

const MOST = 8; // lamps that light surfaces at once: each costs every dot of the picture
const EDGE = 1; // lux, where a lamp's reach is drawn
const RAY = 1.6; // metres of a sun's ray

/** The strongest lamps are lit, the others dark. @param {Iterable<Entry>} entries */
export function lightUp(entries) {
  const lamps = [...entries].flatMap(({ light }) => (light instanceof THREE.PointLight ? [light] : []));
  lamps.sort((a, b) => b.intensity - a.intensity).forEach((lamp, place) => { lamp.visible = place < MOST; });
}

/** A circle of radius 1 about an axis, as a line. @param {"x" | "y" | "z"} axis */
function circle(axis) {
  const points = Array.from({ length: 65 }, (_, i) => new THREE.Vector3(Math.cos((i / 32) * Math.PI), Math.sin((i / 32) * Math.PI), 0));
  const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints(points), plain());
  if (axis === "x") line.rotation.y = Math.PI / 2;
  if (axis === "y") line.rotation.x = Math.PI / 2;
  return line;
}

const plain = () => new THREE.LineBasicMaterial({ color: ink("--ink"), transparent: true, opacity: 0.55, depthTest: false });

/** Five rays along −z, as a sun sends them. */
function rays() {
  const starts = [[0, 0], [0.3, 0], [-0.3, 0], [0, 0.3], [0, -0.3]];
  const points = starts.flatMap(([x, y]) => [new THREE.Vector3(x, y, 0), new THREE.Vector3(x, y, -RAY)]);
  return new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(points), plain());
}

export class LampMark {
  /** @type {THREE.Group | null} */
  drawn = null;
  /** @type {Entry | null} */
  of = null;

  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /** Mark the light of an object, if it is one. @param {Entry | undefined} entry */
  set(entry) {
    this.dispose();
    if (!entry?.light) return;
    this.of = entry;
    this.drawn = new THREE.Group();
    this.drawn.add(...(entry.light instanceof THREE.PointLight ? [circle("x"), circle("y"), circle("z")] : [rays()]));
    this.drawn.traverse((item) => { item.renderOrder = 10; });
    this.scene.add(this.drawn);
  }

  // where it is now, and as large as it reaches
  place() {
    const light = this.of?.light;
    if (!this.drawn || !this.of || !light) return;
    const { item } = this.of;
    item.updateWorldMatrix(true, false);
    this.drawn.position.setFromMatrixPosition(item.matrixWorld);
    if (light instanceof THREE.PointLight) this.drawn.scale.setScalar(Math.max(0.05, Math.sqrt(light.intensity / EDGE)));
    else this.drawn.quaternion.setFromRotationMatrix(new THREE.Matrix4().extractRotation(item.matrixWorld));
  }

  dispose() {
    this.drawn?.removeFromParent();
    dispose(this.drawn);
    this.drawn = this.of = null;
  }
}
