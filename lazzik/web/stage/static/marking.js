// What marks are drawn with that are as wide on the screen from near as from afar: the outline of the chosen object and
// the dots of its path. One program, since without graphics hardware each of its own costs the first picture 30 ms.

import * as THREE from "three";
import { ink, shown } from "./ink.js";

// each point is pushed by a part of the picture's height, away from a surface or, for what lies over all, across the picture
const PUSHED = {
  vertexShader: "uniform float by;\nuniform bool over;\nvoid main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);\n"
    + " vec3 away = normalize(over ? normal : normalMatrix * normal); gl_Position.xy += (projectionMatrix * vec4(away, 0.0)).xy * by * gl_Position.w;\n"
    + " if (over) gl_Position.z = -0.9999 * gl_Position.w; }",
  fragmentShader: "uniform vec3 shade;\nout vec4 colour;\nvoid main() { colour = vec4(shade, 1.0); }",
};

export class Marking extends THREE.ShaderMaterial {
  /**
   * @param {number} by a part of the picture's height
   * @param {string} colour of the theme
   * @param {boolean} over whether it lies over all else, and its normals are directions in the picture
   */
  constructor(by, colour, over = false) {
    const uniforms = { by: { value: by }, shade: { value: [0, 0, 0] }, over: { value: over } };
    super({ ...PUSHED, uniforms, glslVersion: THREE.GLSL3, side: THREE.BackSide });
    this.colour = colour;
    this.dress();
  }

  // in the colours of the theme
  dress() { this.uniforms.shade.value = shown(ink(this.colour)); }
}
