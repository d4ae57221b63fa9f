// Handles that move and turn the chosen object on the stage: a bead on a stem for each axis, a bead on a ring for each
// turn. Axes are told by letter and line. Every handle changes the numbers of one axis, by as much as it was dragged.

import * as THREE from "three";
import { pressed } from "lazzik/lib/actions.js";
import { all, maybe, over, put, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { store } from "lazzik/lib/store.js";
import { Change } from "lazzik/studio/change.js";
import { commit } from "lazzik/studio/history.js";
import { turnAxes } from "./geometry.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "./stage.js" */

/** @typedef {"move" | "turn"} Way */
/** @typedef {Record<string, number>} Amounts how much of its number by axis */

const AXES = ["x", "y", "z"];
const LENGTH = 78; // pixels of a stem
const RING = 62; // pixels of a ring's radius
const APART = 0.6; // radians between the beads of two rings
const STEPS = { move: 0.05, turn: 5 }; // metres and degrees that snapping lands on
const FINE = { move: 0.01, turn: 1 }; // of an arrow key
const WAY = "lazzik-gizmo";
const AUTO = "lazzik-auto-key";
/** @type {Record<string, number>} */
const ARROWS = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 };

/** Whether posing puts keys; with `flip` it changes. */
export function autoKeys(flip = false) {
  if (flip) sessionStorage.setItem(AUTO, sessionStorage.getItem(AUTO) ? "" : "on");
  return Boolean(sessionStorage.getItem(AUTO));
}

export class Gizmo {
  snapping = false;
  node = "";

  /** @param {Stage} stage */
  constructor(stage) {
    this.stage = stage;
    this.way = /** @type {Way | null} */ (sessionStorage.getItem(WAY) || null);
    this.layer = shape("svg", { class: "handles gizmo", role: "group", "aria-label": "Handles of the chosen object" });
    stage.canvas.parentElement?.append(this.layer);
    stage.drawn.push(() => this.place());
    this.layer.addEventListener("pointerdown", (event) => this.grab(event));
    this.layer.addEventListener("keydown", (event) => this.nudge(event));
  }

  /** @param {string} node */
  show(node) {
    this.node = node;
    for (const way of ["move", "turn"]) pressed(`${way}-handles`, this.way === way);
    this.layer.replaceChildren();
    if (!this.way || !this.item) return;
    for (const axis of AXES) {
      const label = `${this.way === "move" ? "Move along" : "Turn about"} ${axis}`;
      const said = { tabindex: 0, role: "slider", "aria-label": label, "aria-valuenow": 0 };
      this.layer.append(shape("path", { class: `stem ${axis}` }), shape("g", { class: "grip", "data-axis": axis, ...said },
        shape("circle", { r: 9 }), shape("text", { "text-anchor": "middle", dy: "0.34em" }, axis)));
    }
    if (this.way === "move") {
      const said = { tabindex: -1, role: "button", "aria-label": "Move within the picture" };
      this.layer.append(shape("g", { class: "grip free", "data-axis": "free", ...said }, shape("circle", { r: 6 })));
    }
    this.place();
  }

  /** @param {Way} way */
  toggle(way) {
    this.way = this.way === way ? null : way;
    sessionStorage.setItem(WAY, this.way ?? "");
    this.show(this.node);
    this.stage.invalidate();
  }

  toggleSnap() { this.snapping = !this.snapping; return this.snapping; }

  get item() { return this.stage.nodes.get(this.node)?.item; }

  // pixels on the screen for one metre of the scene at a place
  /** @param {THREE.Vector3} origin */
  perMetre(origin) {
    const side = new THREE.Vector3(1, 0, 0).transformDirection(this.stage.eye.matrixWorld);
    return this.stage.toScreen(origin.clone().add(side)).distanceTo(this.stage.toScreen(origin));
  }

  /**
   * What an axis does: for a move one metre of the number as a vector of the scene, for a turn the axis turned about;
   * null of an axis that can't be told from the others.
   * @param {THREE.Object3D} item
   */
  frames(item) {
    item.updateWorldMatrix(true, false);
    const origin = new THREE.Vector3().setFromMatrixPosition(item.matrixWorld);
    const above = item.parent?.matrixWorld ?? new THREE.Matrix4();
    if (this.way === "turn") return { origin, axes: turnAxes(store.facts.order, above, item.matrixWorld) };
    /** @type {(THREE.Vector3 | null)[]} */
    const axes = AXES.map((_, i) => new THREE.Vector3().setFromMatrixColumn(above, i));
    return { origin, axes };
  }

  /**
   * The ring about an axis as points of the scene, the nearest to the eye first.
   * @param {THREE.Vector3} origin
   * @param {THREE.Vector3} axis
   * @param {number} radius
   */
  ring(origin, axis, radius) {
    const toEye = this.stage.eye.getWorldPosition(new THREE.Vector3()).sub(origin);
    const near = toEye.clone().addScaledVector(axis, -toEye.dot(axis));
    if (near.lengthSq() < 1e-9) near.set(axis.y, axis.z, axis.x).cross(axis);
    near.normalize();
    const across = axis.clone().cross(near);
    return (/** @type {number} */ angle) =>
      origin.clone().addScaledVector(near, radius * Math.cos(angle)).addScaledVector(across, radius * Math.sin(angle));
  }

  place() {
    const { stage, layer, item } = this;
    if (!this.way || !item || !layer.childElementCount) return;
    const { origin, axes } = this.frames(item);
    const middle = stage.toScreen(origin);
    const behind = middle.z > 1;
    layer.style.display = behind ? "none" : "";
    if (behind) return;
    const perMetre = Math.max(1e-6, this.perMetre(origin));
    AXES.forEach((name, i) => {
      const axis = axes[i];
      for (const part of all(`.stem.${name}, [data-axis=${name}]`, layer, SVGElement)) part.style.display = axis ? "" : "none";
      if (!axis) return;
      const { tip, line } = this.way === "move" ? this.stem(origin, middle, axis, perMetre) : this.bow(origin, axis, i, perMetre);
      layer.querySelector(`.stem.${name}`)?.setAttribute("d", line);
      layer.querySelector(`[data-axis=${name}]`)?.setAttribute("transform", `translate(${tip.x.toFixed(1)} ${tip.y.toFixed(1)})`);
    });
    layer.querySelector("[data-axis=free]")?.setAttribute("transform", `translate(${middle.x} ${middle.y})`);
  }

  /**
   * @param {THREE.Vector3} origin
   * @param {THREE.Vector3} middle
   * @param {THREE.Vector3} axis
   * @param {number} perMetre
   */
  stem(origin, middle, axis, perMetre) {
    const tip = this.stage.toScreen(origin.clone().addScaledVector(axis.clone().normalize(), LENGTH / perMetre));
    return { tip, line: `M${middle.x} ${middle.y}L${tip.x} ${tip.y}` };
  }

  /**
   * @param {THREE.Vector3} origin
   * @param {THREE.Vector3} axis
   * @param {number} i
   * @param {number} perMetre
   */
  bow(origin, axis, i, perMetre) {
    const at = this.ring(origin, axis, RING / perMetre);
    const points = Array.from({ length: 49 }, (_, k) => this.stage.toScreen(at((k / 24) * Math.PI)));
    return { tip: this.stage.toScreen(at(APART * (i - 1))), line: `M${points.map((p) => `${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join("L")}` };
  }

  /**
   * @param {Amounts} amounts
   * @param {boolean} snap
   * @returns {Edit[]}
   */
  edits(amounts, snap) {
    const way = this.way ?? "move";
    const part = way === "move" ? "position" : "rotation";
    const at = { frame: store.frame, key: autoKeys(), snap: snap ? STEPS[way] : 0 };
    return Object.entries(amounts).map(([axis, by]) => ({ do: "nudge", address: `${this.node}/${part}.${axis}`, by: Number(by.toFixed(6)), ...at }));
  }

  /** @param {PointerEvent} event */
  grab(event) {
    const grip = over(event, "[data-axis]", SVGElement);
    const { item } = this;
    if (!grip || !item || event.button) return;
    event.stopPropagation();
    const amounts = this.measure(grip.dataset.axis ?? "", item);
    const change = new Change();
    follow(event, {
      move: (dx, dy, now) => {
        const by = amounts(dx, dy);
        put(grip, { "aria-valuenow": Object.values(by)[0].toFixed(3) });
        change.to(this.edits(by, this.snapping !== (now.ctrlKey || now.metaKey)));
      },
      done: async (moved) => { if (moved) await change.land(); },
      gaveUp: () => change.giveUp(),
    });
  }

  /**
   * What a drag by pixels does.
   * @param {string} name of the axis, or 'free'
   * @param {THREE.Object3D} item
   * @returns {(dx: number, dy: number) => Amounts}
   */
  measure(name, item) {
    const { origin, axes } = this.frames(item);
    const perMetre = this.perMetre(origin);
    if (name === "free") return this.measureFree(origin, perMetre, item);
    const i = AXES.indexOf(name);
    const axis = axes[i] ?? new THREE.Vector3();
    const along = this.way === "move" ? this.perNumber(origin, axis) : this.perDegree(origin, axis, i, perMetre);
    along.z = 0;
    const size = Math.max(along.lengthSq(), 1e-6);
    return (dx, dy) => ({ [name]: (dx * along.x + dy * along.y) / size });
  }

  // pixels for one metre of a number
  /** @param {THREE.Vector3} origin @param {THREE.Vector3} axis */
  perNumber(origin, axis) {
    const small = 0.01;
    const start = this.stage.toScreen(origin);
    return this.stage.toScreen(origin.clone().addScaledVector(axis, small)).sub(start).divideScalar(small);
  }

  // pixels for one degree, at the ring's bead
  /** @param {THREE.Vector3} origin @param {THREE.Vector3} axis @param {number} i @param {number} perMetre */
  perDegree(origin, axis, i, perMetre) {
    const at = this.ring(origin, axis, RING / perMetre);
    const [angle, small] = [APART * (i - 1), 0.01];
    return this.stage.toScreen(at(angle + small)).sub(this.stage.toScreen(at(angle))).divideScalar(THREE.MathUtils.radToDeg(small));
  }

  /**
   * @param {THREE.Vector3} origin
   * @param {number} perMetre
   * @param {THREE.Object3D} item
   * @returns {(dx: number, dy: number) => Amounts}
   */
  measureFree(origin, perMetre, item) {
    const inverse = (item.parent?.matrixWorld ?? new THREE.Matrix4()).clone().invert();
    const eye = this.stage.eye.matrixWorld;
    return (dx, dy) => {
      const moved = new THREE.Vector3(dx / perMetre, -dy / perMetre, 0).transformDirection(eye).multiplyScalar(Math.hypot(dx, dy) / perMetre);
      const { x, y, z } = origin.clone().add(moved).applyMatrix4(inverse).sub(origin.clone().applyMatrix4(inverse));
      return { x, y, z };
    };
  }

  /** @param {KeyboardEvent} event */
  async nudge(event) {
    const by = ARROWS[event.key];
    const name = over(event, "[data-axis]", SVGElement)?.dataset.axis;
    if (!by || !name || name === "free" || !this.way) return;
    event.preventDefault();
    event.stopPropagation();
    const step = (this.snapping ? STEPS : FINE)[this.way];
    await commit(this.edits({ [name]: by * step * (event.shiftKey ? 10 : 1) }, this.snapping));
    maybe(`[data-axis=${name}]`, this.layer, SVGElement)?.focus();
  }
}
