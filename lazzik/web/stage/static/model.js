// What is drawn of one state of a scene: its geometry at rest, under the transforms that the server computed.

import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { floats } from "lazzik/lib/api.js";
import { clamp } from "lazzik/lib/numbers.js";
import { Alike, alikeAmong, TOGETHER } from "./alike.js";
import { dispose } from "./dispose.js";
import { creaseLines } from "./edges.js";
import { ink } from "./ink.js";
import { Leaves } from "./leaves.js";

const CREASE = 28; // degrees between two faces from which their edge is inked
const LEAST_SEEN = 0.02; // of a dot of a picture that lets through what is behind; less is not drawn at all

export const UNSEEN = 1; // a layer that no camera looks at

/** @typedef {THREE.Mesh<THREE.BufferGeometry, THREE.MeshLambertMaterial>} Surface */
/** @typedef {THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>} Lines */

/**
 * @typedef {object} Entry an object of the scene
 * @property {THREE.Object3D} item
 * @property {Surface | null} mesh
 * @property {Lines | null} lines its inked edges
 * @property {THREE.BufferGeometry | null} rest its geometry at rest, while it is drawn from another one
 * @property {THREE.PerspectiveCamera | null} lens
 * @property {THREE.Light | null} light
 * @property {Points | null} points that its surface was given last, if it moves
 * @property {number} place the row of its track that it was last put to; -1 before that. Models may share a track
 */

/**
 * @typedef {object} Track an object's motion; each array holds one row, or `per` a frame
 * @property {number} first
 * @property {number} per
 * @property {Float32Array} position
 * @property {Float32Array} orientation
 * @property {Float32Array} scale
 * @property {Record<string, Float32Array>} numbers
 * @property {number} rows the most that one of them holds
 */

/** @typedef {{ points: Float32Array, normals: Int8Array }} Points of a surface, x, y, z of each; normals of 127 */

/** @typedef {Record<string, { position: Uint8Array, orientation: Uint8Array, scale: Uint8Array, numbers: Record<string, Uint8Array> }>} Motion */

/** How many values one row of a number holds. @param {string} name */
const widthOf = (name) => (name === "look.picture" ? 4 : 1);

export class Model {
  /** @type {Map<string, Entry>} */
  nodes = new Map();
  /** @type {Map<string, Track>} */
  tracks = new Map();
  /** @type {Lines[]} */
  edges = [];
  /** @type {THREE.Object3D | null} */
  root = null;
  /** @type {(Entry & { lens: THREE.PerspectiveCamera }) | null} the scene's own camera */
  lens = null;
  /** @type {Alike[]} */
  alike = [];
  together = false; // whether objects that are alike are drawn in one go
  frame = 0;
  wires = false;
  asked = ""; // the file that was asked for last

  // what was loaded, with all that was made for it
  unload() {
    for (const { rest } of this.nodes.values()) rest?.dispose();
    for (const each of this.alike) each.dispose();
    this.root?.removeFromParent();
    dispose(this.root);
    for (const lines of this.edges) dispose(lines);
    this.nodes.clear();
    this.edges = [];
    this.alike = [];
    this.root = null;
    this.lens = null;
  }

  /**
   * Whether it was loaded: an older file that comes after a newer one was asked for is let go.
   * @param {string} url of a GLB
   * @param {() => void} unload what was there before
   */
  async load(url, unload = () => this.unload()) {
    this.asked = url;
    const { scene } = await new GLTFLoader().register((parser) => new Leaves(parser)).loadAsync(url);
    if (this.asked !== url) return dispose(scene), false;
    unload();
    this.root = scene;
    scene.traverse((item) => {
      if (item.userData.id) this.nodes.set(item.userData.id, { item, mesh: null, lines: null, rest: null, lens: null, light: null, points: null, place: -1 });
    });
    scene.traverse((item) => this.prepare(item));
    this.ink();
    for (const id of this.tracks.keys()) this.pose(id);
    return true;
  }

  /**
   * The nearest object that an item of the file belongs to.
   * @param {THREE.Object3D | null} item
   */
  owner(item) {
    while (item && !item.userData.id) item = item.parent;
    return item ? this.nodes.get(item.userData.id) : undefined;
  }

  /** @param {THREE.Object3D} item */
  prepare(item) {
    const entry = this.owner(item);
    if (!entry) return;
    if (item instanceof THREE.Mesh) {
      const from = item.material;
      from.dispose();
      // glow is a multiple of the surface's own colour
      const glow = (from.emissive.r / Math.max(from.color.r, 1e-6)) * from.emissiveIntensity;
      // each surface has a picture of its own to move; what it shows is shared
      const map = from.map?.clone() ?? null;
      item.material = new THREE.MeshLambertMaterial({ color: from.color, emissive: from.color, emissiveIntensity: glow, map, emissiveMap: map });
      if (from.transparent) Object.assign(item.material, { transparent: true, alphaTest: LEAST_SEEN });
      item.material.wireframe = this.wires;
      item.castShadow = item.receiveShadow = true;
      entry.mesh = /** @type {Surface} */ (item);
      if (entry.item.userData.unseen) item.layers.set(UNSEEN);
    }
    if (item instanceof THREE.Light) {
      entry.light = item;
      if (!(item instanceof THREE.PointLight)) item.intensity = 0; // the backdrop has a sun of its own
    }
    if (item instanceof THREE.PerspectiveCamera) {
      entry.lens = item;
      this.lens ??= { ...entry, lens: item };
    }
  }

  // the edges of each surface, or of those that are alike
  ink() {
    for (const entries of this.together ? alikeAmong(this.nodes.values()) : []) {
      const alike = new Alike(entries, (surface) => this.edgesOf(surface), (entry) => this.part(entry));
      this.alike.push(alike);
      if (this.root) alike.join(this.root);
    }
    for (const entry of this.nodes.values()) if (entry.mesh && !entry.mesh.layers.isEnabled(TOGETHER)) this.inkAlone(entry, entry.mesh);
  }

  /** @param {{ geometry: THREE.BufferGeometry }} surface */
  edgesOf({ geometry }) {
    const lines = creaseLines(geometry, CREASE, ink("--ink"));
    this.edges.push(lines);
    return lines;
  }

  /** From here on an object is drawn alone. @param {Entry} entry */
  part(entry) {
    const { mesh } = entry;
    if (!mesh?.layers.isEnabled(TOGETHER)) return;
    mesh.layers.set(0);
    this.inkAlone(entry, mesh);
  }

  /** @param {Entry} entry @param {Surface} mesh */
  inkAlone(entry, mesh) {
    entry.lines = this.edgesOf(mesh);
    entry.lines.layers.mask = mesh.layers.mask;
    mesh.add(entry.lines);
    entry.lines.updateMatrixWorld();
  }

  /**
   * @param {Motion} motion
   * @param {number} first the frame that it begins with
   * @param {number} per moments of a frame
   */
  setMotion(motion, first, per = 1) {
    for (const [id, track] of Object.entries(motion)) {
      const [position, orientation, scale] = [floats(track.position), floats(track.orientation), floats(track.scale)];
      const numbers = Object.fromEntries(Object.entries(track.numbers).map(([name, bytes]) => [name, floats(bytes)]));
      const widest = Math.max(0, ...Object.entries(numbers).map(([name, values]) => values.length / widthOf(name)));
      const rows = Math.max(position.length / 3, orientation.length / 4, scale.length / 3, widest);
      this.tracks.set(id, { first, per, position, orientation, scale, numbers, rows });
      const entry = this.nodes.get(id);
      if (entry) entry.place = -1;
      this.pose(id);
    }
  }

  /** Whether a surface has these very points already. @param {string} id @param {Points} points */
  has(id, points) { return this.nodes.get(id)?.points === points; }

  /**
   * The points of a surface; its edges share them. Several objects may share one geometry at rest. Gives the mesh if it
   * moves from here on.
   * @param {string} id
   * @param {Points} shape
   */
  setShape(id, shape) {
    const { points, normals } = shape;
    const entry = this.nodes.get(id);
    const mesh = entry?.mesh;
    if (!entry || !mesh || mesh.geometry.attributes.position.count * 3 !== points.length) return null;
    entry.points = shape;
    const begun = !entry.rest;
    this.part(entry);
    if (!entry.rest) {
      entry.rest = mesh.geometry;
      mesh.geometry = mesh.geometry.clone();
      mesh.frustumCulled = false;
      entry.lines?.geometry.setAttribute("position", mesh.geometry.attributes.position);
      entry.rest.dispose(); // it is drawn no longer; the graphics card gets it anew should it be
      mesh.geometry.setAttribute("normal", new THREE.BufferAttribute(new Int8Array(normals.length), 3, true));
    }
    const { position, normal } = mesh.geometry.attributes;
    position.array.set(points);
    normal.array.set(normals);
    position.needsUpdate = normal.needsUpdate = true;
    mesh.geometry.boundingSphere = mesh.geometry.boundingBox = null;
    return begun ? mesh : null;
  }

  /** Whether it moved until now. @param {string} id */
  restShape(id) {
    const entry = this.nodes.get(id);
    if (!entry?.rest || !entry.mesh) return false;
    const moved = entry.mesh.geometry;
    entry.mesh.geometry = entry.rest;
    entry.rest = entry.points = null;
    entry.lines?.geometry.setAttribute("position", entry.mesh.geometry.attributes.position);
    moved.dispose();
    return true;
  }

  toggleWires() {
    this.wires = !this.wires;
    for (const { mesh } of this.nodes.values()) if (mesh) mesh.material.wireframe = this.wires;
    return this.wires;
  }

  /** Whether anything stands elsewhere at this frame. @param {number} frame */
  show(frame) {
    this.frame = frame;
    let moved = false;
    for (const id of this.tracks.keys()) moved = this.pose(id) || moved;
    return moved;
  }

  /** Put an object where its track has it; whether it was elsewhere. @param {string} id */
  pose(id) {
    const [track, entry] = [this.tracks.get(id), this.nodes.get(id)];
    if (!entry || !track) return false;
    const place = clamp(Math.round((this.frame - track.first) * track.per), 0, track.rows - 1);
    if (place === entry.place) return false;
    entry.place = place;
    /** @type {(values: Float32Array, width: number) => number} */
    const row = (values, width) => clamp(place, 0, values.length / width - 1) * width;
    entry.item.position.fromArray(track.position, row(track.position, 3));
    entry.item.quaternion.fromArray(track.orientation, row(track.orientation, 4));
    entry.item.scale.fromArray(track.scale, row(track.scale, 3));
    const { "look.glow": glow, "camera.view": view, "light.intensity": intensity, "look.picture": picture } = track.numbers;
    const map = entry.mesh?.material.map;
    if (picture && map) {
      const at = row(picture, 4);
      map.offset.fromArray(picture, at);
      map.repeat.fromArray(picture, at + 2);
    }
    if (glow && entry.mesh) entry.mesh.material.emissiveIntensity = Math.max(0, glow[row(glow, 1)]);
    if (intensity && entry.light instanceof THREE.PointLight) entry.light.intensity = Math.max(0, intensity[row(intensity, 1)]);
    if (view && entry.lens) entry.lens.fov = view[row(view, 1)];
    return true;
  }
}
