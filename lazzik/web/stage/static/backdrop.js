// Sky, ridges and ground, in the hues of the theme.

import * as THREE from "three";
import { ink, shown } from "./ink.js";

/** @type {[distance: number, height: number, colour: string, waves: number][]} */
const RIDGES = [[80, 7, "--near", 8], [110, 15, "--mid", 5], [150, 26, "--far", 3]];

// corners in colours as a canvas holds them
const PLAIN = {
  vertexShader: "out vec3 shade;\nvoid main() { shade = color; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
  fragmentShader: "in vec3 shade;\nout vec4 colour;\nvoid main() { colour = vec4(shade, 1.0); }",
};

const LIFT = 150; // metres above the ground at which the sky is as high as it gets

/** The corners of a shape's triangles, three numbers each. @param {THREE.BufferGeometry} geometry */
function cornersOf(geometry) {
  const each = geometry.index ? geometry.toNonIndexed() : geometry;
  return Array.from(each.attributes.position.array);
}

/**
 * A band around the horizon whose upper edge is a sum of a few waves: whole turns, so that it closes.
 * @param {number} distance
 * @param {number} height
 * @param {number} waves
 */
function ridge(distance, height, waves) {
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
  return corners;
}

/** @param {number[]} corners of a sky whose colour grows lighter toward the ground */
function skyColours(corners) {
  const colours = [];
  for (let y = 1; y < corners.length; y += 3) {
    const t = THREE.MathUtils.clamp(corners[y] / LIFT, 0, 1);
    colours.push(...shown(ink("--sky-low").clone().lerp(ink("--sky-high"), Math.sqrt(t))));
  }
  return colours;
}

/** All of it in one piece, the nearest first: what stands before something else is drawn before it, so that no dot of
 * the picture is worked out twice; and no dot has a light or a conversion to be worked out. Where there is no graphics
 * hardware the ground behind a scene took two thirds of the time of a picture. */
export function backdrop() {
  const plain = new THREE.CircleGeometry(120, 40).rotateX(-Math.PI / 2).translate(0, -0.52, 0);
  const sky = cornersOf(new THREE.SphereGeometry(400, 16, 48));
  /** @type {[corners: number[], colour: string][]} */
  const flat = [[cornersOf(plain), "--near"], ...RIDGES.map(([distance, height, colour, waves]) => (
    /** @type {[number[], string]} */ ([ridge(distance, height, waves), colour])
  ))];
  const geometry = new THREE.BufferGeometry();
  const [corners, colours] = [flat.flatMap(([each]) => each), flat.flatMap(([each, name]) => Array(each.length / 3).fill(shown(ink(name))).flat())];
  geometry.setAttribute("position", new THREE.Float32BufferAttribute([...corners, ...sky], 3));
  geometry.setAttribute("color", new THREE.Float32BufferAttribute([...colours, ...skyColours(sky)], 3));
  return new THREE.Mesh(geometry, new THREE.ShaderMaterial({ ...PLAIN, glslVersion: THREE.GLSL3, vertexColors: true, side: THREE.DoubleSide }));
}

/** The sun, and the light of the sky. */
export const lights = () => {
  const sun = new THREE.DirectionalLight(ink("--sun"), 2.1);
  sun.position.set(-6, 8, 7);
  return [new THREE.HemisphereLight(ink("--fill"), ink("--ground"), 1.7), sun];
};
