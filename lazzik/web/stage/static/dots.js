// Particles drawn as dots that face the camera: crisp points, or soft puffs.

import * as THREE from "three";

/** @import { Drawing, Moment } from "./particles.js" */

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
    stage.scene.add(this.points);
  }

  /** @param {Moment} moment */
  draw({ places, sizes, colors }) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
    geometry.setAttribute("size", new THREE.BufferAttribute(sizes, 1));
    geometry.setAttribute("tint", new THREE.BufferAttribute(colors, 4, true));
    this.points.geometry.dispose();
    this.points.geometry = geometry;
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
