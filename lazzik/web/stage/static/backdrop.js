// Sky, ridges and ground, in the hues of the theme.

import * as THREE from "three";
import { mergeGeometries } from "three/addons/utils/BufferGeometryUtils.js";
import { ink, shown } from "./ink.js";

/** @type {[distance: number, height: number, colour: string, waves: number][]} */
const RIDGES = [[80, 7, "--near", 8], [110, 15, "--mid", 5], [150, 26, "--far", 3]];

// corners in colours as a canvas holds them
const PLAIN = {
  vertexShader: "out vec3 shade;\nvoid main() { shade = color; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
  fragmentShader: "in vec3 shade;\nout vec4 colour;\nvoid main() { colour = vec4(shade, 1.0); }",
};

const LIFT = 150; // metres above the ground at which the sky is as high as it gets

const RIDGE_STEPS = 160;

/**
 * A band around the horizon whose upper edge is a sum of a few waves: whole turns, so that it closes.
 * @param {number} distance
 * @param {number} height
 * @param {number} waves
 */
function ridge(distance, height, waves) {
  const points = [];
  const faces = [];
  for (let i = 0; i <= RIDGE_STEPS; i++) {
    const a = (i / RIDGE_STEPS) * Math.PI * 2;
    let top = 0.62;
    for (let k = 1; k <= 5; k++) top += Math.sin(a * (waves * k + k * k) + k * 2.4 * waves) * 0.3 / (k + 0.6);
    const [x, z] = [Math.sin(a) * distance, Math.cos(a) * distance];
    points.push(x, Math.max(0.05, top) * height, z, x, -2, z);
    const here = 2 * i;
    if (i < RIDGE_STEPS) faces.push(here, here + 2, here + 1, here + 2, here + 3, here + 1);
  }
  return new THREE.BufferGeometry().setIndex(faces).setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
}

/**
 * A shape of which each point has a colour, and nothing else.
 * @param {THREE.BufferGeometry} geometry
 * @param {(height: number) => THREE.Color} colour of a point so high above the ground
 */
function painted(geometry, colour) {
  const { position } = geometry.attributes;
  const colours = new Float32Array(3 * position.count);
  for (let n = 0; n < position.count; n++) colours.set(shown(colour(position.getY(n))), 3 * n);
  return new THREE.BufferGeometry().setIndex(geometry.index)
    .setAttribute("position", position).setAttribute("color", new THREE.BufferAttribute(colours, 3));
}

/** All of it in one piece, the nearest first: what stands before something else is drawn before it, so that no dot of
 * the picture is worked out twice; and no dot has a light or a conversion to be worked out. Where there is no graphics
 * hardware the ground behind a scene took two thirds of the time of a picture. */
export function backdrop() {
  const [near, low, high, between] = [ink("--near"), ink("--sky-low"), ink("--sky-high"), new THREE.Color()];
  const plain = new THREE.CircleGeometry(120, 40).rotateX(-Math.PI / 2).translate(0, -0.52, 0);
  const pieces = [
    painted(plain, () => near),
    ...RIDGES.map(([distance, height, colour, waves]) => painted(ridge(distance, height, waves), () => ink(colour))),
    // lighter toward the ground
    painted(new THREE.SphereGeometry(400, 16, 48), (y) => between.lerpColors(low, high, Math.sqrt(THREE.MathUtils.clamp(y / LIFT, 0, 1)))),
  ];
  return new THREE.Mesh(mergeGeometries(pieces), new THREE.ShaderMaterial({ ...PLAIN, glslVersion: THREE.GLSL3, vertexColors: true, side: THREE.DoubleSide }));
}

/** The sun, and the light of the sky. */
export const lights = () => {
  const sun = new THREE.DirectionalLight(ink("--sun"), 2.1);
  sun.position.set(-6, 8, 7);
  return [new THREE.HemisphereLight(ink("--fill"), ink("--ground"), 1.7), sun];
};
