// Handles that move and turn the chosen object on the stage: a bead on a stem for each axis, a bead on a ring for each
// turn. Axes are told by letter and line. Every handle changes the numbers of one axis, by as much as it was dragged.

import * as THREE from "three";
import { Change, follow } from "lazzik/studio/drags.js";
import { commit } from "lazzik/studio/history.js";
import { facts } from "lazzik/studio/session.js";

const SVG = "http://www.w3.org/2000/svg";
const AXES = ["x", "y", "z"];
const LENGTH = 78; // pixels of a stem
const RING = 62; // pixels of a ring's radius
const STEPS = { move: 0.05, turn: 5 }; // metres and degrees that snapping lands on
const FINE = { move: 0.01, turn: 1 }; // of an arrow key

// whether posing puts keys; with `flip` it changes
export function autoKeys(flip = false) {
  if (flip) sessionStorage.setItem("lazzik-auto-key", sessionStorage.getItem("lazzik-auto-key") ? "" : "on");
  return Boolean(sessionStorage.getItem("lazzik-auto-key"));
}

const make = (name, attributes, ...children) => {
  const item = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) item.setAttribute(key, value);
  item.append(...children);
  return item;
};

export class Gizmo {
  constructor(stage, frame) {
    this.stage = stage;
    this.frame = frame;
    this.way = sessionStorage.getItem("lazzik-gizmo") || null;
    this.snapping = false;
    this.layer = make("svg", { class: "handles gizmo", role: "group", "aria-label": "Handles of the chosen object" });
    stage.canvas.parentElement.append(this.layer);
    stage.drawn.push(() => this.place());
    this.layer.addEventListener("pointerdown", (event) => this.grab(event));
    this.layer.addEventListener("keydown", (event) => this.nudge(event));
  }

  show(node) {
    this.node = node;
    for (const way of ["move", "turn"]) document.querySelector(`[data-act=${way}-handles]`)?.setAttribute("aria-pressed", this.way === way);
    this.layer.replaceChildren();
    if (!this.way || !this.item) return;
    for (const axis of AXES) {
      const label = `${this.way === "move" ? "Move along" : "Turn about"} ${axis}`;
      this.layer.append(make("path", { class: `stem ${axis}` }), make("g", { class: "grip", "data-axis": axis, tabindex: 0, role: "slider", "aria-label": label, "aria-valuenow": 0 },
        make("circle", { r: 9 }), make("text", { "text-anchor": "middle", dy: "0.34em" }, axis)));
    }
    if (this.way === "move") this.layer.append(make("g", { class: "grip free", "data-axis": "free", tabindex: -1, role: "button", "aria-label": "Move within the picture" }, make("circle", { r: 6 })));
    this.place();
  }

  toggle(way) {
    this.way = this.way === way ? null : way;
    sessionStorage.setItem("lazzik-gizmo", this.way ?? "");
    this.show(this.node);
    this.stage.invalidate();
  }

  toggleSnap() { this.snapping = !this.snapping; return this.snapping; }

  get item() { return this.stage.nodes.get(this.node)?.item; }

  toScreen(point) {
    const { width, height } = this.stage.canvas.getBoundingClientRect();
    const seen = point.clone().project(this.stage.eye);
    return new THREE.Vector3(((seen.x + 1) / 2) * width, ((1 - seen.y) / 2) * height, seen.z);
  }

  // pixels on the screen for one metre of the scene at a place
  perMetre(origin) {
    const side = new THREE.Vector3(1, 0, 0).transformDirection(this.stage.eye.matrixWorld);
    return this.toScreen(origin.clone().add(side)).distanceTo(this.toScreen(origin));
  }

  // what an axis does: for a move one metre of the number as a vector of the scene, for a turn the axis turned about
  get frames() {
    const { item } = this;
    item.updateWorldMatrix(true, false);
    const origin = new THREE.Vector3().setFromMatrixPosition(item.matrixWorld);
    const above = item.parent.matrixWorld;
    const column = (matrix, i) => new THREE.Vector3().setFromMatrixColumn(matrix, i);
    if (this.way === "move") return { origin, axes: AXES.map((_, i) => column(above, i)) };
    // turned in the written order: the first about the axis of what is above, the last about the object's own
    const order = [...(facts.order ?? "xyz")].map((axis) => AXES.indexOf(axis));
    const first = column(above, order[0]).normalize();
    const last = column(item.matrixWorld, order[2]).normalize();
    const cyclic = (order[1] - order[0] + 3) % 3 === 1 ? 1 : -1;
    const middle = last.clone().cross(first).multiplyScalar(cyclic);
    const axes = [];
    for (const [place, axis] of [first, middle, last].entries()) axes[order[place]] = axis.lengthSq() > 0.01 ? axis.normalize() : null;
    return { origin, axes };
  }

  // the ring about an axis as points of the scene, the nearest to the eye first
  ring(origin, axis, radius) {
    const toEye = this.stage.eye.getWorldPosition(new THREE.Vector3()).sub(origin);
    const near = toEye.clone().addScaledVector(axis, -toEye.dot(axis));
    if (near.lengthSq() < 1e-9) near.set(axis.y, axis.z, axis.x).cross(axis);
    near.normalize();
    const across = axis.clone().cross(near);
    return (angle) => origin.clone().addScaledVector(near, radius * Math.cos(angle)).addScaledVector(across, radius * Math.sin(angle));
  }

  place() {
    if (!this.way || !this.item || !this.layer.childElementCount) return;
    const { origin, axes } = this.frames;
    const middle = this.toScreen(origin);
    const behind = middle.z > 1;
    this.layer.style.display = behind ? "none" : "";
    if (behind) return;
    const perMetre = Math.max(1e-6, this.perMetre(origin));
    AXES.forEach((name, i) => {
      const stem = this.layer.querySelector(`.stem.${name}`);
      const grip = this.layer.querySelector(`[data-axis=${name}]`);
      stem.style.display = grip.style.display = axes[i] ? "" : "none";
      if (!axes[i]) return;
      let tip;
      if (this.way === "move") {
        tip = this.toScreen(origin.clone().addScaledVector(axes[i].clone().normalize(), LENGTH / perMetre));
        stem.setAttribute("d", `M${middle.x} ${middle.y}L${tip.x} ${tip.y}`);
      } else {
        const at = this.ring(origin, axes[i], RING / perMetre);
        tip = this.toScreen(at(0.6 * (i - 1)));
        stem.setAttribute("d", `M${Array.from({ length: 49 }, (_, k) => { const p = this.toScreen(at((k / 24) * Math.PI)); return `${p.x.toFixed(1)} ${p.y.toFixed(1)}`; }).join("L")}`);
      }
      grip.setAttribute("transform", `translate(${tip.x.toFixed(1)} ${tip.y.toFixed(1)})`);
    });
    this.layer.querySelector("[data-axis=free]")?.setAttribute("transform", `translate(${middle.x} ${middle.y})`);
  }

  edits(amounts, snap) {
    const part = this.way === "move" ? "position" : "rotation";
    const at = { frame: this.frame(), key: autoKeys(), snap: snap ? STEPS[this.way] : 0 };
    return Object.entries(amounts).map(([axis, by]) => ({ do: "nudge", address: `${this.node}/${part}.${axis}`, by: Number(by.toFixed(6)), ...at }));
  }

  grab(event) {
    const name = event.target.closest("[data-axis]")?.dataset.axis;
    if (!name || event.button) return;
    event.stopPropagation();
    const { origin, axes } = this.frames;
    const start = this.toScreen(origin);
    const change = new Change();
    const grip = this.layer.querySelector(`[data-axis=${name}]`);
    const amounts = this.measure(name, origin, axes, start);
    follow(event, {
      move: (dx, dy, now) => {
        const by = amounts(dx, dy);
        grip.setAttribute("aria-valuenow", Object.values(by)[0].toFixed(3));
        change.to(this.edits(by, this.snapping !== (now.ctrlKey || now.metaKey)));
      },
      done: async (moved) => { if (moved) await change.land(); },
      gaveUp: () => change.giveUp(),
    });
  }

  // (dx, dy) in pixels -> {axis: how much of its number}
  measure(name, origin, axes, start) {
    if (name === "free") {
      const inverse = this.item.parent.matrixWorld.clone().invert();
      const perMetre = this.perMetre(origin);
      return (dx, dy) => {
        const moved = new THREE.Vector3(dx / perMetre, -dy / perMetre, 0).transformDirection(this.stage.eye.matrixWorld).multiplyScalar(Math.hypot(dx, dy) / perMetre);
        const local = origin.clone().add(moved).applyMatrix4(inverse).sub(origin.clone().applyMatrix4(inverse));
        return { x: local.x, y: local.y, z: local.z };
      };
    }
    const i = AXES.indexOf(name);
    let along;
    if (this.way === "move") {
      const small = 0.01;
      along = this.toScreen(origin.clone().addScaledVector(axes[i], small)).sub(start).divideScalar(small);
    } else {
      const at = this.ring(origin, axes[i], RING / this.perMetre(origin));
      const angle = 0.6 * (i - 1);
      along = this.toScreen(at(angle + 0.01)).sub(this.toScreen(at(angle))).divideScalar(0.01 * (180 / Math.PI));
    }
    along.z = 0;
    const size = Math.max(along.lengthSq(), 1e-6);
    return (dx, dy) => ({ [name]: (dx * along.x + dy * along.y) / size });
  }

  async nudge(event) {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    const name = event.target.closest("[data-axis]")?.dataset.axis;
    if (!by || !name || name === "free") return;
    event.preventDefault();
    event.stopPropagation();
    const step = (this.snapping ? STEPS : FINE)[this.way];
    await commit(this.edits({ [name]: by * step * (event.shiftKey ? 10 : 1) }, this.snapping));
    this.layer.querySelector(`[data-axis=${name}]`)?.focus();
  }
}
