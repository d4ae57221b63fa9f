// Sky, ridges and fine ground lines, in the hues of the theme.

import * as THREE from "three";
import { ink } from "./ink.js";

/** @type {[distance: number, height: number, colour: string, waves: number][]} */
const RIDGES = [[150, 26, "--far", 3], [110, 15, "--mid", 5], [80, 7, "--near", 8]];

/**
 * A band around the horizon whose upper edge is a sum of a few waves: whole turns, so that it closes.
 * @param {number} distance
 * @param {number} height
 * @param {string} colour
 * @param {number} waves
 */
function ridge(distance, height, colour, waves) {
  const steps = 160;
  const points = [];
  for (let i = 0; i <= steps; i++) {
    const a = (i / steps) * Math.PI * 2;
    let top = 0.62;
    for (let k = 1; k <= 5; k++) top += Math.sin(a * (waves * k + k * k) + k * 2.4 * waves) * 0.3 / (k + 0.6);
    points.push([Math.sin(a) * distance, Math.max(0.05, top) * height, Math.cos(a) * distance]);
  }
  const corners = [];
  for (let i = 0; i < steps; i++) {
    const [a, b] = [points[i], points[i + 1]];
    corners.push(...a, a[0], -2, a[2], ...b, ...b, a[0], -2, a[2], b[0], -2, b[2]);
  }
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.Float32BufferAttribute(corners, 3));
  return new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ color: ink(colour), side: THREE.DoubleSide, fog: false }));
}

function sky() {
  const geometry = new THREE.SphereGeometry(400, 16, 24);
  const [high, low] = [ink("--sky-high"), ink("--sky-low")];
  const colours = [];
  const heights = geometry.attributes.position;
  for (let i = 0; i < heights.count; i++) {
    const t = THREE.MathUtils.clamp(heights.getY(i) / 150, 0, 1);
    colours.push(...low.clone().lerp(high, Math.sqrt(t)).toArray());
  }
  geometry.setAttribute("color", new THREE.Float32BufferAttribute(colours, 3));
  return new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ vertexColors: true, side: THREE.BackSide, depthWrite: false }));
}

/** All of it, in one group. */
export function backdrop() {
  const group = new THREE.Group();
  const plain = new THREE.Mesh(new THREE.CircleGeometry(120, 40), new THREE.MeshBasicMaterial({ color: ink("--near") }));
  plain.rotation.x = -Math.PI / 2;
  plain.position.y = -0.52;
  group.add(sky(), plain, ...RIDGES.map((entry) => ridge(...entry)));
  return group;
}

/** The sun, and the light of the sky. */
export const lights = () => {
  const sun = new THREE.DirectionalLight(ink("--sun"), 2.1);
  sun.position.set(-6, 8, 7);
  return [new THREE.HemisphereLight(ink("--fill"), ink("--ground"), 1.7), sun];
};
