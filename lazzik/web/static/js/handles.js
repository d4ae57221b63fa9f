// Handles of a deformer on the stage: where it sits, and where along its axis it begins and ends.

import * as THREE from "three";
import { follow } from "./drags.js";

const AXES = { x: [0, 1, 2], y: [1, 2, 0], z: [2, 0, 1] };
const PIXELS = 7;
const SVG = "http://www.w3.org/2000/svg";

export class Handles {
  constructor(stage, change) {
    this.stage = stage;
    this.change = change;
    this.layer = document.createElementNS(SVG, "svg");
    this.layer.setAttribute("class", "handles");
    this.layer.setAttribute("role", "group");
    this.layer.setAttribute("aria-label", "Handles of the open deformer");
    stage.canvas.parentElement.append(this.layer);
    stage.onDraw = () => this.place();
    this.layer.addEventListener("pointerdown", (event) => this.grab(event));
    this.layer.addEventListener("keydown", (event) => this.nudge(event));
  }

  show(shape) {
    this.shape = shape?.handles ? shape : null;
    this.layer.replaceChildren();
    if (!this.shape) return;
    const line = document.createElementNS(SVG, "path");
    line.setAttribute("class", "axis-line");
    this.layer.append(line);
    const named = { start: "Start of the span", end: "End of the span", place: "Place of the deformer" };
    for (const which of this.shape.handles.held ? ["start", "end", "place"] : ["start", "end"]) {
      const dot = document.createElementNS(SVG, which === "place" ? "rect" : "circle");
      dot.setAttribute("class", `handle ${which}`);
      dot.setAttribute("tabindex", "0");
      dot.setAttribute("role", which === "place" ? "button" : "slider");
      dot.setAttribute("aria-label", named[which]);
      dot.dataset.handle = which;
      this.layer.append(dot);
    }
    this.place();
  }

  // the deformer's coordinates as a matrix within the object
  get matrix() {
    const { place, turn, axis } = this.shape.handles;
    const [x, y, z] = turn.map((degrees) => (degrees * Math.PI) / 180);
    const turned = new THREE.Matrix4().makeRotationFromEuler(new THREE.Euler(x, y, z, "XYZ"));
    const columns = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
    turned.extractBasis(...columns);
    const order = AXES[axis];
    const own = new THREE.Matrix4().makeBasis(columns[order[0]], columns[order[1]], columns[order[2]]).setPosition(...place);
    const item = this.stage.nodes.get(this.shape.node)?.item;
    item?.updateWorldMatrix(true, false);
    return item ? item.matrixWorld.clone().multiply(own) : own;
  }

  // spans that reach beyond the scene are drawn at its rim
  get span() {
    const reach = 12;
    return this.shape.handles.span.map((u) => Math.min(Math.max(u, -reach), reach));
  }

  at(u) { return new THREE.Vector3(u, 0, 0).applyMatrix4(this.matrix); }

  toScreen(point) {
    const { width, height } = this.stage.canvas.getBoundingClientRect();
    const seen = point.clone().project(this.stage.eye);
    return [((seen.x + 1) / 2) * width, ((1 - seen.y) / 2) * height, seen.z];
  }

  place() {
    if (!this.shape || !this.layer.childElementCount) return;
    const [start, end] = this.span;
    const points = { start: this.toScreen(this.at(start)), end: this.toScreen(this.at(end)), place: this.toScreen(this.at(0)) };
    this.layer.querySelector("path").setAttribute("d", `M${points.start[0]} ${points.start[1]}L${points.end[0]} ${points.end[1]}`);
    for (const dot of this.layer.querySelectorAll(".handle")) {
      const [x, y, depth] = points[dot.dataset.handle];
      if (dot.dataset.handle !== "place") dot.setAttribute("aria-valuenow", (dot.dataset.handle === "start" ? start : end).toFixed(3));
      dot.style.display = depth > 1 ? "none" : "";
      if (dot.tagName === "circle") { dot.setAttribute("cx", x); dot.setAttribute("cy", y); dot.setAttribute("r", PIXELS - 1); }
      else { dot.setAttribute("x", x - PIXELS); dot.setAttribute("y", y - PIXELS); dot.setAttribute("width", 2 * PIXELS); dot.setAttribute("height", 2 * PIXELS); dot.setAttribute("transform", `rotate(45 ${x} ${y})`); }
    }
  }

  edits(which, value) {
    const path = `${this.shape.node}/deform.${this.shape.deformer}`;
    const set = (name, number) => ({ do: "set", address: `${path}.${name}`, value: Number(number.toFixed(4)) });
    if (which === "place") return ["x", "y", "z"].map((axis, i) => set(`placement.${axis}`, value[i]));
    return [set(which, value)];
  }

  grab(event) {
    const which = event.target.dataset?.handle;
    if (!which || event.button) return;
    event.stopPropagation();
    const { handles } = this.shape;
    const before = structuredClone(handles);
    const change = this.change();
    const ray = new THREE.Raycaster();
    const box = this.stage.canvas.getBoundingClientRect();
    const aim = (x, y) => ray.setFromCamera(new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2), this.stage.eye);
    const matrix = this.matrix;
    const inverse = matrix.clone().invert();
    const origin = new THREE.Vector3().setFromMatrixPosition(matrix);
    const toObject = this.stage.nodes.get(this.shape.node)?.item.matrixWorld.clone().invert() ?? new THREE.Matrix4();
    const facing = new THREE.Plane().setFromNormalAndCoplanarPoint(this.stage.eye.getWorldDirection(new THREE.Vector3()), origin);
    follow(event, {
      move: (_dx, _dy, now) => {
        aim(now.clientX, now.clientY);
        if (which === "place") {
          const hit = ray.ray.intersectPlane(facing, new THREE.Vector3());
          if (!hit) return;
          handles.place = hit.applyMatrix4(toObject).toArray();
        } else {
          // the place on the axis that is nearest to where the pointer aims
          const [a, b] = [this.at(0), this.at(1)];
          const near = new THREE.Vector3();
          ray.ray.distanceSqToSegment(a.clone().addScaledVector(b.clone().sub(a), -40), a.clone().addScaledVector(b.clone().sub(a), 40), null, near);
          handles.span[which === "start" ? 0 : 1] = near.applyMatrix4(inverse).x;
        }
        change.to(this.edits(which, which === "place" ? handles.place : handles.span[which === "start" ? 0 : 1]));
        this.place();
      },
      done: async (moved) => { if (moved) await change.land(); },
      gaveUp: async () => { Object.assign(handles, before); this.place(); await change.giveUp(); },
    });
  }

  async nudge(event) {
    const which = event.target.dataset?.handle;
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    if (!which || !by || which === "place") return;
    event.preventDefault();
    event.stopPropagation();
    const change = this.change();
    change.to(this.edits(which, this.shape.handles.span[which === "start" ? 0 : 1] + by * (event.shiftKey ? 0.1 : 0.01)));
    await change.land();
    this.layer.querySelector(`[data-handle=${which}]`)?.focus();
  }
}

