// What a file changes over time beside places and shapes (KHR_animation_pointer): colours, glow, lights, angles of view.

import * as THREE from "three";

/** @import { Shown } from "./shown.js" */

/**
 * @typedef {object} Sampler as glTF 2.0 has it, section 3.11
 * @property {ArrayLike<number>} times seconds
 * @property {ArrayLike<number>} values
 * @property {"STEP" | "LINEAR" | "CUBICSPLINE"} interpolation
 */

/**
 * The value of a sampler at a time: as it is at its ends beyond them.
 * @param {Sampler} sampler
 * @param {number} time
 * @returns {number[]}
 */
export function valueAt({ times, values, interpolation }, time) {
  const count = times.length;
  const cubic = interpolation === "CUBICSPLINE";
  const width = values.length / count / (cubic ? 3 : 1);
  const at = (/** @type {number} */ key, /** @type {number} */ part, /** @type {number} */ k) =>
    values[(cubic ? 3 * key + part : key) * width + k];
  let next = 0;
  while (next < count && times[next] <= time) next++;
  const rows = Array.from({ length: width }, (_, k) => k);
  if (next === 0 || next === count) return rows.map((k) => at(next === 0 ? 0 : count - 1, 1, k));
  const [a, b] = [next - 1, next];
  if (interpolation === "STEP") return rows.map((k) => at(a, 1, k));
  const span = times[b] - times[a];
  const u = (time - times[a]) / span;
  if (!cubic) return rows.map((k) => at(a, 1, k) + u * (at(b, 1, k) - at(a, 1, k)));
  const [u2, u3] = [u * u, u * u * u];
  return rows.map((k) => (2 * u3 - 3 * u2 + 1) * at(a, 1, k) + span * (u3 - 2 * u2 + u) * at(a, 2, k)
    + (3 * u2 - 2 * u3) * at(b, 1, k) + span * (u3 - u2) * at(b, 0, k));
}

export class Pointer {
  /** @param {Sampler} sampler @param {(value: number[]) => void} put */
  constructor(sampler, put) {
    this.sampler = sampler;
    this.put = put;
  }

  /** @param {number} seconds */
  set(seconds) { this.put(valueAt(this.sampler, seconds)); }
}

/**
 * What a written place leads to; null for what is not drawn here.
 * @param {string} pointer
 * @param {Shown} shown
 * @param {{ cameras: THREE.Camera[], lights: Map<number, THREE.Light[]> }} has
 * @returns {((value: number[]) => void) | null}
 */
export function placeOf(pointer, shown, { cameras, lights }) {
  const number = Number(/\/(\d+)\//.exec(pointer)?.[1] ?? -1);
  if (pointer.startsWith("/materials/")) {
    const materials = shown.materials.get(number) ?? [];
    if (pointer.endsWith("/baseColorFactor")) return ([r, g, b]) => { for (const each of materials) each.color.setRGB(r, g, b); };
    if (pointer.endsWith("/emissiveFactor")) return ([r, g, b]) => { for (const each of materials) each.emissive.setRGB(r, g, b); };
    if (pointer.endsWith("/emissiveStrength")) return ([value]) => { for (const each of materials) each.emissiveIntensity = value; };
  }
  if (pointer.includes("/lights/")) {
    const own = lights.get(number) ?? [];
    if (pointer.endsWith("/intensity")) return ([value]) => { for (const each of own) each.intensity = value; };
    if (pointer.endsWith("/color")) return ([r, g, b]) => { for (const each of own) each.color.setRGB(r, g, b); };
  }
  const camera = cameras[number];
  if (pointer.endsWith("/yfov") && camera instanceof THREE.PerspectiveCamera) {
    return ([value]) => { camera.fov = THREE.MathUtils.radToDeg(value); };
  }
  return null;
}

/**
 * All of a file. @param {import("three/addons/loaders/GLTFLoader.js").GLTF} gltf @param {Shown} shown
 */
export async function pointersOf(gltf, shown) {
  const { parser } = gltf;
  /** @type {Map<number, THREE.Light[]>} */
  const lights = new Map();
  gltf.scene.traverse((item) => {
    const node = parser.json.nodes[/** @type {{ nodes?: number }} */ (parser.associations.get(item) ?? {}).nodes ?? -1];
    const number = node?.extensions?.KHR_lights_punctual?.light;
    const light = [item, ...item.children].find((each) => each instanceof THREE.Light);
    if (light instanceof THREE.Light && number !== undefined) lights.set(number, [...(lights.get(number) ?? []), light]);
  });
  const pointers = [];
  for (const { channels, samplers } of parser.json.animations ?? []) {
    for (const { sampler, target } of channels) {
      const pointer = target.extensions?.KHR_animation_pointer?.pointer;
      const put = pointer && placeOf(pointer, shown, { cameras: gltf.cameras, lights });
      if (!put) continue;
      const { input, output, interpolation = "LINEAR" } = samplers[sampler];
      const [times, values] = await Promise.all([input, output].map((number) => parser.getDependency("accessor", number)));
      pointers.push(new Pointer({ times: times.array, values: values.array, interpolation }, put));
    }
  }
  return pointers;
}
