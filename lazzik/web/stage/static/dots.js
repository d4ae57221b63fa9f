// Particles drawn as dots that face the camera: crisp points, or soft puffs.

import * as THREE from "three";

/** @import { Drawing, Moment } from "./runs.js" */

const SOFT = { points: 0.2, puffs: 1 }; // the share of a dot over which it fades
const WIDER = { points: 1, puffs: 1.6 }; // a puff's rim is hardly seen, so it is drawn beyond its size

const VERTEX = `
  attribute float size;
  attribute vec4 tint;
  varying vec4 shade;
  uniform float pixels;
  uniform float wider;
  void main() {
    shade = tint;
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    gl_Position = projectionMatrix * seen;
    gl_PointSize = clamp(size * wider * pixels * projectionMatrix[1][1] / max(gl_Position.w, 1e-4), 1.5, 160.0);
  }`;

const FRAGMENT = `
  varying vec4 shade;
  uniform float soft;
  void main() {
    float away = length(gl_PointCoord - 0.5) * 2.0;
    float solid = shade.a * (1.0 - smoothstep(1.0 - soft, 1.0, away));
    if (solid < 0.01) discard;
    gl_FragColor = vec4(shade.rgb, solid);
  }`;

export class Dots {
  /** @param {Drawing} stage @param {"points" | "puffs"} drawn */
  constructor(stage, drawn) {
    this.stage = stage;
    const uniforms = { pixels: { value: 1 }, soft: { value: SOFT[drawn] }, wider: { value: WIDER[drawn] } };
    const material = new THREE.ShaderMaterial({ uniforms, vertexShader: VERTEX, fragmentShader: FRAGMENT, transparent: true, depthWrite: false });
    this.points = new THREE.Points(new THREE.BufferGeometry(), material);
    this.points.frustumCulled = false;
    this.points.raycast = () => {};
    this.room(1);
    this.points.geometry.setDrawRange(0, 0);
    stage.scene.add(this.points);
  }

  // buffers stay, and grow when more live: a frame is one upload of what it has
  /** @param {number} count */
  room(count) {
    const { position } = this.points.geometry.attributes;
    if (position && position.count >= count) return;
    const most = Math.max(1024, 2 ** Math.ceil(Math.log2(count)));
    const geometry = new THREE.BufferGeometry();
    /** @param {Float32Array | Uint8Array} values @param {number} each @param {boolean} [coded] */
    const buffer = (values, each, coded) => new THREE.BufferAttribute(values, each, coded).setUsage(THREE.DynamicDrawUsage);
    geometry.setAttribute("position", buffer(new Float32Array(3 * most), 3));
    geometry.setAttribute("size", buffer(new Float32Array(most), 1));
    geometry.setAttribute("tint", buffer(new Uint8Array(4 * most), 4, true));
    this.points.geometry.dispose();
    this.points.geometry = geometry;
  }

  /** What it is drawn by. */
  get items() { return [this.points]; }

  /** @param {Moment} moment */
  draw({ places, sizes, colors }) {
    this.room(sizes.length);
    const { geometry } = this.points;
    for (const [name, values] of /** @type {const} */ ([["position", places], ["size", sizes], ["tint", colors]])) {
      const attribute = /** @type {THREE.BufferAttribute} */ (geometry.attributes[name]);
      attribute.array.set(values);
      attribute.clearUpdateRanges();
      attribute.addUpdateRange(0, values.length);
      attribute.needsUpdate = true;
    }
    geometry.setDrawRange(0, sizes.length);
    this.points.visible = sizes.length > 0;
    this.points.material.uniforms.pixels.value = this.stage.canvas.height / 2;
  }

  hide() { this.points.visible = false; }

  attach() {}

  dispose() {
    this.points.removeFromParent();
    this.points.geometry.dispose();
    this.points.material.dispose();
  }
}
