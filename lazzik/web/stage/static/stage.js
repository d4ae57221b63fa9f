// The stage: draws the geometry from rest.glb under the transforms that the server computed. It computes no motion.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { floats } from "lazzik/lib/api.js";
import { clamp } from "lazzik/lib/numbers.js";
import { AimLine } from "./aimline.js";
import { backdrop, lights } from "./backdrop.js";
import { dispose } from "./dispose.js";
import { creaseLines } from "./edges.js";
import { Grid, told } from "./grid.js";
import { hardware, smoothEdges } from "./hardware.js";
import { forgetInks, ink } from "./ink.js";
import { LampMark, lightUp } from "./lamps.js";
import { Outline } from "./outline.js";
import { castShadows, shadowsWanted, switchShadows } from "./shadows.js";
import { Shades } from "./shades.js";
import { Trail } from "./trail.js";

/** @import { Shaded } from "./shades.js" */

const COARSE = 1.5; // times fewer pixels each way while something is dragged
const CREASE = 28; // degrees between two faces from which their edge is inked
const LEAST_SEEN = 0.02; // of a dot of a picture that lets through what is behind; less is not drawn at all
const VIEW = "lazzik-view";

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
 */

/**
 * @typedef {object} Track an object's motion; each array holds one row, or `per` a frame
 * @property {number} first
 * @property {number} per
 * @property {Float32Array} position
 * @property {Float32Array} orientation
 * @property {Float32Array} scale
 * @property {Record<string, Float32Array>} numbers
 */

/** @typedef {{ points: Float32Array, normals: Int8Array }} Points of a surface, x, y, z of each; normals of 127 */

export class Stage {
  /** @type {Map<string, Entry>} */
  nodes = new Map();
  /** @type {Map<string, Track>} */
  tracks = new Map();
  /** @type {Lines[]} */
  edges = [];
  /** @type {THREE.Object3D[]} */
  around = [];
  /** @type {THREE.Object3D | null} */
  root = null;
  /** @type {(Entry & { lens: THREE.PerspectiveCamera }) | null} the scene's own camera */
  lens = null;
  /** @type {string | undefined} */
  chosen;
  /** @type {string | null} the object that is looked at alone */
  alone = null;
  /** @type {Float32Array | null} weights that are shaded on one surface */
  counts = null;
  frame = 0;
  frames = 0; // pictures drawn so far, for measuring
  through = false;
  wires = false;
  home = false;
  waiting = false;
  shadows = shadowsWanted();
  /** @type {(() => void)[]} called after each picture */
  drawn = [];
  outline = new Outline();
  shades = new Shades();

  /**
   * @param {HTMLCanvasElement} canvas
   * @param {[width: number, height: number] | null} size of the picture; without it, it fills what is around it
   */
  constructor(canvas, size = null) {
    this.canvas = canvas;
    this.size = size;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: smoothEdges() });
    this.ratio = size ? 1 : Math.min(devicePixelRatio, 2);
    this.renderer.setPixelRatio(this.ratio);
    this.scene = new THREE.Scene();
    this.trail = new Trail(this.scene);
    this.grid = new Grid(this.scene);
    this.aimLine = new AimLine(this.scene);
    this.lampMark = new LampMark(this.scene);
    this.camera = new THREE.PerspectiveCamera(36, 1, 0.05, 900);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.maxDistance = 60;
    this.controls.minDistance = 0.5;
    this.controls.addEventListener("change", () => this.invalidate());
    this.controls.addEventListener("end", () => this.keepView());
    this.dress();
    this.observer = new ResizeObserver(() => this.resize());
    if (!size && canvas.parentElement) this.observer.observe(canvas.parentElement);
    this.resize();
  }

  // shaded surfaces as they are drawn, for measuring
  get shaded() { return this.shades.drawn; }

  // without graphics hardware a picture takes half as long with this many fewer pixels, so that a drag stays at hand
  /** @param {boolean} on */
  dragging(on) {
    if (hardware()) return;
    this.renderer.setPixelRatio(on ? this.ratio / COARSE : this.ratio);
    this.draw();
  }

  dress() {
    forgetInks();
    this.undress();
    this.grid.dispose();
    this.around = [backdrop(), ...lights()];
    this.scene.add(...this.around);
    castShadows(this.renderer, this.around, this.shadows);
    for (const edges of this.edges) edges.material.color = ink("--ink");
    this.invalidate();
  }

  undress() {
    for (const item of this.around) {
      item.removeFromParent();
      dispose(item);
      if (item instanceof THREE.Light) item.dispose();
    }
  }

  // what was loaded, with all that was made for it
  unload() {
    this.shade([]);
    this.outline.dispose();
    this.lampMark.dispose();
    for (const { rest } of this.nodes.values()) rest?.dispose();
    this.root?.removeFromParent();
    dispose(this.root);
    for (const lines of this.edges) dispose(lines);
    this.nodes.clear();
    this.edges = [];
    this.lens = null;
  }

  dispose() {
    this.unload();
    this.trail.dispose();
    this.aimLine.dispose();
    this.lampMark.dispose();
    this.grid.dispose();
    this.undress();
    this.observer.disconnect();
    this.controls.dispose();
    this.renderer.dispose();
  }

  /** @param {string} url of a GLB */
  async load(url) {
    const { scene } = await new GLTFLoader().loadAsync(url);
    this.unload();
    this.root = scene;
    scene.traverse((item) => {
      if (item.userData.id) this.nodes.set(item.userData.id, { item, mesh: null, lines: null, rest: null, lens: null, light: null });
    });
    scene.traverse((item) => this.prepare(item));
    this.scene.add(scene);
    if (!this.home) this.reset();
    for (const id of this.tracks.keys()) this.pose(id);
    lightUp(this.nodes.values());
    this.select(this.chosen);
    this.hideOthers();
    this.invalidate();
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
      entry.lines = creaseLines(item.geometry, CREASE, ink("--ink"));
      this.edges.push(entry.lines);
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

  /**
   * @param {Record<string, { position: Uint8Array, orientation: Uint8Array, scale: Uint8Array, numbers: Record<string, Uint8Array> }>} motion
   * @param {number} first the frame that it begins with
   * @param {number} per moments of a frame
   */
  setMotion(motion, first, per = 1) {
    for (const [id, track] of Object.entries(motion)) {
      this.tracks.set(id, {
        first,
        per,
        position: floats(track.position),
        orientation: floats(track.orientation),
        scale: floats(track.scale),
        numbers: Object.fromEntries(Object.entries(track.numbers).map(([name, bytes]) => [name, floats(bytes)])),
      });
      this.pose(id);
    }
    this.invalidate();
  }

  /**
   * The points of a surface; its edges and its outline share them. Several objects may share one geometry at rest.
   * @param {string} id
   * @param {Points} shape
   */
  setShape(id, { points, normals }) {
    const entry = this.nodes.get(id);
    const mesh = entry?.mesh;
    if (!entry || !mesh || mesh.geometry.attributes.position.count * 3 !== points.length) return;
    if (!entry.rest) {
      entry.rest = mesh.geometry;
      mesh.geometry = mesh.geometry.clone();
      mesh.frustumCulled = false;
      entry.lines?.geometry.setAttribute("position", mesh.geometry.attributes.position);
      entry.rest.dispose(); // it is drawn no longer; the graphics card gets it anew should it be
      mesh.geometry.setAttribute("normal", new THREE.BufferAttribute(new Int8Array(normals.length), 3, true));
      this.outline.follow(mesh);
    }
    const { position, normal } = mesh.geometry.attributes;
    position.array.set(points);
    normal.array.set(normals);
    position.needsUpdate = normal.needsUpdate = true;
    mesh.geometry.boundingSphere = mesh.geometry.boundingBox = null;
    this.invalidate();
  }

  /** @param {string} id */
  restShape(id) {
    const entry = this.nodes.get(id);
    if (!entry?.rest || !entry.mesh) return;
    const moved = entry.mesh.geometry;
    entry.mesh.geometry = entry.rest;
    entry.rest = null;
    entry.lines?.geometry.setAttribute("position", entry.mesh.geometry.attributes.position);
    moved.dispose();
    this.select(this.chosen);
  }

  /**
   * Show a surface in another colour until it is loaded anew.
   * @param {string} id
   * @param {string} hex
   */
  tint(id, hex) {
    const material = this.nodes.get(id)?.mesh?.material;
    material?.color.set(hex);
    material?.emissive.set(hex);
    this.invalidate();
  }

  toggleShadows() {
    switchShadows();
    this.shadows = shadowsWanted();
    castShadows(this.renderer, this.around, this.shadows);
    for (const { mesh } of this.nodes.values()) if (mesh) mesh.material.needsUpdate = true;
    this.invalidate();
  }

  toggleWires() {
    this.wires = !this.wires;
    for (const { mesh } of this.nodes.values()) if (mesh) mesh.material.wireframe = this.wires;
    this.invalidate();
    return this.wires;
  }

  /** @param {number} frame */
  show(frame) {
    this.frame = frame;
    for (const id of this.tracks.keys()) this.pose(id);
    this.invalidate();
  }

  /** @param {string} id */
  pose(id) {
    const [track, entry] = [this.tracks.get(id), this.nodes.get(id)];
    if (!entry || !track) return;
    const place = Math.round((this.frame - track.first) * track.per);
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
  }

  /** @param {string | undefined} id */
  select(id) {
    this.chosen = id;
    this.outline.dispose();
    for (const { mesh, lines } of this.nodes.values()) if (lines) mesh?.add(lines);
    const mesh = id && this.nodes.get(id)?.mesh;
    if (mesh) this.outline.around(mesh);
    this.lampMark.set(id ? this.nodes.get(id) : undefined);
    this.invalidate();
  }

  /** @param {Float32Array} points */
  setPath(points) {
    this.trail.set(points);
    this.invalidate();
  }

  /** @param {import("lazzik/lib/types.d.ts").AimFacts | null} aim of the chosen object */
  setAim(aim) {
    this.aimLine.set(aim);
    this.invalidate();
  }

  togglePath() {
    this.invalidate();
    return this.trail.toggle();
  }

  toggleCamera() {
    this.through = !this.through && Boolean(this.lens);
    this.controls.enabled = !this.through;
    this.invalidate();
    return this.through;
  }

  reset() {
    const camera = this.lens?.item;
    if (camera) {
      camera.updateWorldMatrix(true, false);
      camera.getWorldPosition(this.camera.position);
      const ahead = new THREE.Vector3(0, 0, -1).transformDirection(camera.matrixWorld);
      this.controls.target.copy(this.camera.position).addScaledVector(ahead, this.camera.position.length());
    } else {
      const box = this.root ? new THREE.Box3().setFromObject(this.root) : new THREE.Box3();
      const size = box.isEmpty() ? 4 : box.getSize(new THREE.Vector3()).length();
      const middle = box.isEmpty() ? new THREE.Vector3() : box.getCenter(new THREE.Vector3());
      this.controls.target.copy(middle);
      this.camera.position.copy(middle).add(new THREE.Vector3(0.25, 0.32, 1).multiplyScalar(size));
    }
    this.home = true;
    this.controls.update();
    this.invalidate();
  }

  keepView() {
    sessionStorage.setItem(VIEW, JSON.stringify([this.camera.position.toArray(), this.controls.target.toArray()]));
  }

  // the view that the studio was left with
  recall() {
    const kept = JSON.parse(sessionStorage.getItem(VIEW) ?? "null");
    if (!kept) return;
    this.camera.position.fromArray(kept[0]);
    this.controls.target.fromArray(kept[1]);
    this.controls.update();
  }

  /**
   * A ray from the eye through a point of the page.
   * @param {number} x
   * @param {number} y
   */
  ray(x, y) {
    const box = this.canvas.getBoundingClientRect();
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2), this.eye);
    return ray;
  }

  /**
   * A point of the scene in pixels of the picture; z is beyond 1 behind the eye.
   * @param {THREE.Vector3} point
   */
  toScreen(point) {
    const { width, height } = this.canvas.getBoundingClientRect();
    const seen = point.clone().project(this.eye);
    return new THREE.Vector3(((seen.x + 1) / 2) * width, ((1 - seen.y) / 2) * height, seen.z);
  }

  /**
   * Everything but one object, and what it holds, out of sight; or all again.
   * @param {string} id
   */
  isolate(id) {
    this.alone = this.alone === id ? null : id;
    this.hideOthers();
    this.invalidate();
    return Boolean(this.alone);
  }

  hideOthers() {
    if (this.alone !== null && !this.nodes.has(this.alone)) this.alone = null;
    for (const { mesh, item } of this.nodes.values()) {
      if (!mesh) continue;
      let inside = false;
      /** @type {THREE.Object3D | null} */
      let above = item;
      for (; above; above = above.parent) if (above.userData.id === this.alone) inside = true;
      mesh.visible = !this.alone || inside;
    }
  }

  /**
   * The object under a point of the page.
   * @param {number} x
   * @param {number} y
   * @returns {string | null}
   */
  pick(x, y) {
    const hit = this.root && this.ray(x, y).intersectObject(this.root, true)[0];
    return hit ? this.owner(hit.object)?.item.userData.id ?? null : null;
  }

  resize() {
    const around = this.canvas.parentElement;
    const [width, height] = this.size ?? [around?.clientWidth, around?.clientHeight];
    if (!width || !height) return;
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  invalidate() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => { this.waiting = false; this.draw(); });
  }

  // the camera that is looked through
  get eye() { return this.through && this.lens ? this.lens.lens : this.camera; }

  // the ground's squares suit the distance, and what one of them is long is told
  suitGrid() {
    if (!this.grid.suit(this.camera.position.distanceTo(this.controls.target), this.controls.target)) return;
    const scale = document.getElementById("grid-scale");
    if (scale && !this.size) scale.textContent = told(this.grid.square);
  }

  draw() {
    const { eye } = this;
    this.suitGrid();
    this.lampMark.place();
    this.aimLine.place(this.nodes, eye.getWorldPosition(new THREE.Vector3()));
    if (eye !== this.camera) {
      eye.aspect = this.camera.aspect;
      eye.updateProjectionMatrix();
    }
    this.renderer.render(this.scene, eye);
    this.frames += 1;
    for (const act of this.drawn) act();
  }

  /**
   * Draw the scene alone, without what only helps while working, and do something with the picture before it goes.
   * @param {() => void} act
   */
  bare(act) {
    const all = [...this.outline.drawn, this.trail.drawn, this.grid.drawn, this.aimLine.drawn, this.lampMark.drawn];
    const helpers = all.flatMap((item) => (item?.visible ? [item] : []));
    for (const item of helpers) item.visible = false;
    this.renderer.render(this.scene, this.eye);
    act();
    for (const item of helpers) item.visible = true;
    this.renderer.render(this.scene, this.eye);
  }

  /**
   * Shade surfaces, [id, values] each, and no others.
   * @param {[id: string, values: Float32Array][]} rows
   * @param {boolean} signed
   */
  shade(rows, signed = false) {
    const found = rows.flatMap(([id, values]) => {
      const mesh = this.nodes.get(id)?.mesh;
      return mesh ? [/** @type {Shaded} */ ([mesh, values])] : [];
    });
    this.counts = found.length === 1 && !signed ? found[0][1] : null;
    this.shades.set(found, signed);
    this.invalidate();
  }
}
