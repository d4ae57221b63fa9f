// One version of the scene, as three.js draws it.

import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { creaseLines } from "lazzik/stage/edges.js";
import { ink } from "lazzik/stage/ink.js";
import { pack } from "./parts.js";
import { pointersOf } from "./pointers.js";

/** @import { Version } from "./parts.js" */
/** @import { Pointer } from "./pointers.js" */

const CREASE = 30; // degrees by which faces turn at a crisp edge
const FOUR = 4; // parts of a .glb begin at multiples of so many bytes
const [GLB, JSON_PART, BINARY] = [0x46546c67, 0x4e4f534a, 0x004e4942];

/** A version as a .glb (glTF 2.0, section 4), put together from its pieces. @param {Version} version */
async function glbOf(version) {
  const head = await pack(version.head);
  const padded = Math.ceil(head.length / FOUR) * FOUR;
  const length = version.pieces.reduce((sum, [, , size]) => sum + Math.ceil(size / FOUR) * FOUR, 0);
  const glb = new Uint8Array(12 + 8 + padded + 8 + length);
  const view = new DataView(glb.buffer);
  [GLB, 2, glb.length, padded, JSON_PART].forEach((value, k) => view.setUint32(FOUR * k, value, true));
  glb.fill(0x20, 20, 20 + padded);
  glb.set(head, 20);
  [length, BINARY].forEach((value, k) => view.setUint32(20 + padded + FOUR * k, value, true));
  let at = 28 + padded;
  for (const [number, from, size] of version.pieces) {
    glb.set((await pack(number)).subarray(from, from + size), at);
    at += Math.ceil(size / FOUR) * FOUR;
  }
  return glb.buffer;
}

export class Shown {
  /** @type {THREE.PerspectiveCamera | null} the scene's own camera, if one looks through it */
  through = null;

  /** @param {Version} version */
  static async of(version) {
    const loader = new GLTFLoader();
    const gltf = await loader.parseAsync(await glbOf(version), "");
    const shown = new Shown(version, gltf);
    shown.pointers = await pointersOf(gltf, shown);
    return shown;
  }

  /** @param {Version} version @param {import("three/addons/loaders/GLTFLoader.js").GLTF} gltf */
  constructor(version, gltf) {
    this.version = version;
    this.scene = new THREE.Scene();
    this.root = gltf.scene;
    this.scene.add(gltf.scene);
    const [lens] = gltf.cameras;
    this.lens = lens instanceof THREE.PerspectiveCamera ? lens : null;
    this.mixer = new THREE.AnimationMixer(gltf.scene);
    this.actions = gltf.animations.map((clip) => {
      const action = this.mixer.clipAction(clip);
      action.setLoop(THREE.LoopOnce, 1).clampWhenFinished = true;
      return action.play();
    });
    /** @type {Pointer[]} */
    this.pointers = [];
    /** @type {Map<number, THREE.MeshLambertMaterial[]>} by the file's own numbers */
    this.materials = new Map();
    gltf.scene.traverse((item) => {
      item.frustumCulled = false; // what bends may leave the box it was given
      if (item instanceof THREE.Mesh) this.dress(item, gltf.parser.associations);
    });
  }

  /**
   * Draw a surface as the studio does: flat, with its crisp edges.
   * @param {THREE.Mesh} mesh
   * @param {Map<unknown, { materials?: number }>} numbers
   */
  dress(mesh, numbers) {
    const from = /** @type {THREE.MeshStandardMaterial} */ (mesh.material);
    const { color, emissive, emissiveIntensity, map, emissiveMap, transparent, opacity, side, alphaTest } = from;
    const material = new THREE.MeshLambertMaterial({ color, emissive, emissiveIntensity, map, emissiveMap, transparent, opacity, side, alphaTest });
    const number = numbers.get(from)?.materials;
    if (number !== undefined) this.materials.set(number, [...(this.materials.get(number) ?? []), material]);
    mesh.material = material;
    if (!mesh.geometry.index || mesh instanceof THREE.InstancedMesh) return;
    const lines = creaseLines(mesh.geometry, CREASE, ink("--ink"));
    if (mesh.morphTargetInfluences) {
      Object.assign(lines.geometry, { morphAttributes: { position: mesh.geometry.morphAttributes.position }, morphTargetsRelative: true });
      lines.morphTargetInfluences = mesh.morphTargetInfluences;
    }
    mesh.add(lines);
  }

  /** All of it as it is at a frame. @param {number} frame */
  pose(frame) {
    const { first, last, fps } = this.version;
    const seconds = (Math.min(Math.max(frame, first), last) - first) / fps;
    for (const action of this.actions) {
      Object.assign(action, { time: Math.min(seconds, action.getClip().duration), paused: false, enabled: true });
    }
    this.mixer.update(0);
    for (const pointer of this.pointers) pointer.set(seconds);
  }

  /** Look through the scene's own camera, if it has one. @param {boolean} on */
  look(on) {
    this.through = on ? this.lens : null;
  }

  bounds() {
    const sphere = new THREE.Box3().setFromObject(this.root).getBoundingSphere(new THREE.Sphere());
    return sphere.radius > 0 ? sphere : new THREE.Sphere(new THREE.Vector3(), 1);
  }
}
