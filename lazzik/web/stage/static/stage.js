// The stage: draws a state of the scene, with the view, the light and what helps while working. It computes no motion.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { AimLine } from "./aimline.js";
import { TOGETHER } from "./alike.js";
import { backdrop, lights } from "./backdrop.js";
import { dispose } from "./dispose.js";
import { Grid, told } from "./grid.js";
import { hardware, smoothEdges } from "./hardware.js";
import { forgetInks, ink } from "./ink.js";
import { KeptPicture } from "./kept.js";
import { LampMark, lightUp } from "./lamps.js";
import { Model } from "./model.js";
import { Outline } from "./outline.js";
import { castShadows, shadowsWanted, switchShadows } from "./shadows.js";
import { Shades } from "./shades.js";
import { Streaks } from "./streaks.js";
import { Trail } from "./trail.js";

/** @import { Motion, Points } from "./model.js" */
/** @import { Shaded } from "./shades.js" */
/** @import { Streamed } from "./streaks.js" */

const COARSE = 1.5; // times fewer pixels each way while something is dragged
const VIEW = "lazzik-view";

export class Stage {
  model = Object.assign(new Model(), { together: true });
  /** @type {THREE.Object3D[]} */
  around = [];
  /** @type {string | undefined} */
  chosen;
  /** @type {string | null} the object that is looked at alone */
  alone = null;
  /** @type {Float32Array | null} weights that are shaded on one surface */
  counts = null;
  frames = 0; // pictures drawn so far, for measuring
  through = false;
  home = false;
  waiting = false;
  stale = true; // whether more is to be drawn anew than what is marked
  early = false; // whether something is still awaited before the first picture
  /** @type {KeptPicture | null} */
  kept = null;
  shadows = shadowsWanted();
  /** @type {(() => void)[]} called after each picture */
  drawn = [];
  /** @type {Map<string, THREE.Mesh>} shells of swarms, by object */
  shells = new Map();
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
    this.renderer.debug.checkShaderErrors = false; // each program would be waited for
    this.ratio = size ? 1 : Math.min(devicePixelRatio, 2);
    this.renderer.setPixelRatio(this.ratio);
    this.scene = new THREE.Scene();
    this.trail = new Trail(this.scene);
    this.grid = new Grid(this.scene);
    this.aimLine = new AimLine(this.scene);
    this.lampMark = new LampMark(this.scene);
    this.streaks = new Streaks(this.scene);
    this.camera = new THREE.PerspectiveCamera(36, 1, 0.05, 900);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.maxDistance = 60;
    this.controls.minDistance = 0.5;
    this.controls.addEventListener("change", () => this.invalidate());
    this.controls.addEventListener("end", () => this.keepView());
    // a driver that was reset, or a machine that slept: all that was drawn is gone
    canvas.addEventListener("webglcontextrestored", () => this.invalidate());
    canvas.style.visibility = "hidden"; // nothing is read back of it before it has a picture
    this.dress();
    this.observer = new ResizeObserver(() => this.resize());
    if (!size && canvas.parentElement) this.observer.observe(canvas.parentElement);
    this.resize();
  }

  get nodes() { return this.model.nodes; }
  get tracks() { return this.model.tracks; }
  get root() { return this.model.root; }
  get lens() { return this.model.lens; }
  get frame() { return this.model.frame; }

  // shaded surfaces as they are drawn, for measuring
  get shaded() { return this.shades.drawn; }

  // without graphics hardware a drag stays at hand by fewer pixels, and by drawing only what it changes. A shadow falls on what stays
  /** @param {boolean} on */
  dragging(on) {
    if (hardware()) return;
    this.kept?.hold(on && !this.shadows && !this.through);
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
    this.streaks.dress();
    this.trail.dress();
    this.aimLine.dress();
    for (const edges of this.model.edges) edges.material.color = ink("--ink");
    this.mark();
    this.invalidate();
  }

  undress() {
    for (const item of this.around) {
      item.removeFromParent();
      dispose(item);
      if (item instanceof THREE.Light) item.dispose();
    }
  }

  unload() {
    this.shade([]);
    this.outline.leave();
    this.lampMark.dispose();
    this.model.unload();
  }

  dispose() {
    this.unload();
    this.outline.dispose();
    this.trail.dispose();
    this.aimLine.dispose();
    this.lampMark.dispose();
    this.streaks.dispose();
    this.grid.dispose();
    this.undress();
    this.observer.disconnect();
    this.kept?.dispose();
    this.controls.dispose();
    this.renderer.dispose();
  }

  /** @param {string} url of a GLB */
  async load(url) {
    if (!(await this.model.load(url, () => this.unload()))) return;
    if (this.root) this.scene.add(this.root);
    if (!this.home) this.reset();
    lightUp(this.nodes.values());
    this.mark();
    this.hideOthers();
    this.invalidate();
  }

  /**
   * @param {Motion} motion
   * @param {number} first the frame that it begins with
   * @param {number} per moments of a frame
   */
  setMotion(motion, first, per = 1) {
    this.model.setMotion(motion, first, per);
    for (const id of Object.keys(motion)) if (this.nodes.has(id)) this.invalidate(id);
  }

  /** @param {string} id @param {Points} points */
  setShape(id, points) {
    if (this.model.has(id, points)) return;
    const begun = this.model.setShape(id, points);
    if (begun) this.outline.follow(begun);
    this.invalidate(id);
  }

  /** @param {string} id */
  restShape(id) {
    if (!this.model.restShape(id)) return;
    this.mark();
    this.invalidate(id);
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
    this.invalidate(id);
  }

  toggleShadows() {
    switchShadows();
    this.shadows = shadowsWanted();
    castShadows(this.renderer, this.around, this.shadows);
    for (const { mesh } of this.nodes.values()) if (mesh) mesh.material.needsUpdate = true;
    for (const { surfaces } of this.model.alike) surfaces.material.needsUpdate = true;
    this.invalidate();
  }

  toggleWires() {
    const on = this.model.toggleWires();
    this.invalidate();
    return on;
  }

  /** @param {number} frame */
  show(frame) {
    const moved = this.model.show(frame);
    if (this.streaks.show(frame) || moved) this.invalidate();
  }

  /** @param {string | undefined} id */
  select(id) {
    if (id === this.chosen) return;
    this.chosen = id;
    this.mark();
  }

  // what is loaded or dressed anew loses its marks
  mark() {
    this.outline.leave();
    const entry = this.chosen === undefined ? undefined : this.nodes.get(this.chosen);
    if (entry?.mesh) this.outline.around(entry.mesh);
    this.lampMark.set(entry);
    this.remark();
  }

  /** @param {Float32Array} points */
  setPath(points) { if (this.trail.set(points)) this.remark(); }

  /** The point of the scene under one of the page: of a surface, or of the ground. @param {number} x @param {number} y */
  spot(x, y) {
    const ray = this.ray(x, y);
    const hit = this.root && ray.intersectObject(this.root, true)[0];
    return hit ? hit.point : ray.ray.intersectPlane(new THREE.Plane(new THREE.Vector3(0, 1, 0)), new THREE.Vector3());
  }

  /** @param {Streamed | null} streaks */
  setStreaks(streaks) {
    this.streaks.set(streaks);
    this.streaks.show(this.frame);
    this.invalidate(this.streaks.drawn ?? undefined);
  }

  /** @param {import("lazzik/lib/types.d.ts").AimFacts | null} aim of the chosen object */
  setAim(aim) { if (this.aimLine.set(aim)) this.remark(); }

  togglePath() {
    this.remark();
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
    ray.layers.enable(TOGETHER);
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
    const seen = [...(this.root ? [this.root] : []), ...this.shells.values()].filter(({ visible }) => visible);
    const hit = this.ray(x, y).intersectObjects(seen, true)[0];
    if (!hit) return null;
    return [...this.shells].find(([, mesh]) => mesh === hit.object)?.[0] ?? this.model.owner(hit.object)?.item.userData.id ?? null;
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

  // the picture itself; whoever shows more than one state paints otherwise
  paint() { this.renderer.render(this.scene, this.eye); }

  /**
   * Something in the scene is to be seen otherwise.
   * @param {string | THREE.Object3D} [only] an object with all it holds, or what else that is, where no other does
   */
  invalidate(only) {
    const item = typeof only === "string" ? this.nodes.get(only)?.item : only;
    if (!item || !this.kept?.changes(item)) {
      this.stale = true;
      this.kept?.forget();
    }
    this.remark();
  }

  /** Draw marks over pictures that are kept: without graphics hardware one of thousands of objects takes half a second. */
  keepPictures() { if (!hardware()) this.kept = new KeptPicture(this.renderer); }

  // what marks it is, or more if that is stale
  remark() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => this.drawWaiting());
  }

  // what waits for the next frame of the page, at once
  drawWaiting() {
    if (!this.waiting) return;
    this.waiting = false;
    this.draw(this.stale);
  }

  /** What is drawn over the scene and is no part of it. */
  get marks() {
    return [...this.outline.drawn, this.trail.drawn, this.aimLine.drawn, this.lampMark.drawn].flatMap((item) => item ?? []);
  }

  // the camera that is looked through
  get eye() { return this.through && this.lens ? this.lens.lens : this.camera; }

  // the ground's squares suit the distance, and what one of them is long is told
  suitGrid() {
    if (!this.grid.suit(this.camera.position.distanceTo(this.controls.target), this.controls.target)) return;
    const scale = document.getElementById("grid-scale");
    if (scale && !this.size) scale.textContent = told(this.grid.square);
  }

  /** Nothing more is awaited: from here on what is there is drawn. */
  begin() {
    if (!this.early) return;
    this.early = false;
    this.draw();
  }

  draw(whole = true) {
    if (!this.root || this.early) return;
    this.canvas.style.visibility = "";
    const { eye, kept } = this;
    this.suitGrid();
    this.lampMark.place();
    this.aimLine.place(this.nodes, eye.getWorldPosition(new THREE.Vector3()));
    if (eye !== this.camera) {
      eye.aspect = this.camera.aspect;
      eye.updateProjectionMatrix();
    }
    this.trail.suit(eye, this.renderer.getSize(new THREE.Vector2()).y);
    if (!whole && kept && (kept.valid || kept.held)) {
      if (!kept.valid) kept.take(this.scene, eye, this.marks);
      kept.paint(this.scene, eye, this.marks);
    } else {
      this.paint();
      this.stale = false;
      kept?.drawn(this.nodes.size, () => [this.scene, this.eye, this.marks]);
    }
    this.frames += 1;
    for (const act of this.drawn) act();
  }

  /**
   * Draw the scene alone, without what only helps while working, and do something with the picture before it goes.
   * @param {() => void} act
   */
  bare(act) {
    const helpers = [...this.marks, this.grid.drawn].flatMap((item) => (item?.visible ? [item] : []));
    for (const item of helpers) item.visible = false;
    this.paint();
    act();
    for (const item of helpers) item.visible = true;
    this.paint();
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
    if (!found.length && !this.shaded.length) return;
    this.shades.set(found, signed);
    this.invalidate();
  }
}

/**
 * A stage on a canvas; null, and why, where the browser can't draw one.
 * @param {HTMLCanvasElement} canvas
 * @param {HTMLElement} note where it is said
 */
export function begunStage(canvas, note) {
  try {
    return new Stage(canvas);
  } catch {
    note.textContent = "This browser can't draw in three dimensions (WebGL 2 is off). Curves and numbers work all the same.";
    return null;
  }
}
