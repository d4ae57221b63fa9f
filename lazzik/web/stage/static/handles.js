// Handles of a deformer on the stage: where it sits, and where along its axis it begins and ends.

import * as THREE from "three";
import { follow } from "lazzik/studio/drags.js";

const AXES = { x: [0, 1, 2], y: [1, 2, 0], z: [2, 0, 1] };
const PIXELS = 7;
const REACH = 12; // metres along the axis
const SVG = "http://www.w3.org/2000/svg";

// the number of a handle that runs along the axis
const value = (point) => Math.max(point.sign * (point.at[0] - point.origin), point.length ? 0 : -Infinity);
const moveTo = (point, number) => { point.at[0] = point.origin + point.sign * number; };

export class Handles {
  constructor(stage, change) {
    this.stage = stage;
    this.change = change;
    this.layer = document.createElementNS(SVG, "svg");
    this.layer.setAttribute("class", "handles");
    this.layer.setAttribute("role", "group");
    this.layer.setAttribute("aria-label", "Handles of the open deformer");
    stage.canvas.parentElement.append(this.layer);
    stage.drawn.push(() => this.place());
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
    for (const point of this.shape.handles.points) {
      const free = point.sets.length > 1;
      const dot = document.createElementNS(SVG, free ? "rect" : "circle");
      dot.setAttribute("class", `handle at-${point.name}`);
      dot.setAttribute("tabindex", "0");
      dot.setAttribute("role", free ? "button" : "slider");
      dot.setAttribute("aria-label", point.label);
      dot.append(Object.assign(document.createElementNS(SVG, "title"), { textContent: point.label }));
      dot.dataset.handle = point.name;
      this.layer.append(dot);
    }
    this.place();
  }

  // the deformer's coordinates as a matrix within the object
  get matrix() {
    const { place, turn, axis, of } = this.shape.handles;
    const [x, y, z] = turn.map((degrees) => (degrees * Math.PI) / 180);
    const turned = new THREE.Matrix4().makeRotationFromEuler(new THREE.Euler(x, y, z, "XYZ"));
    const columns = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
    turned.extractBasis(...columns);
    const order = AXES[axis];
    const item = this.stage.nodes.get(this.shape.node)?.item;
    item?.updateWorldMatrix(true, false);
    const middle = new THREE.Vector3(...place);
    const other = this.stage.nodes.get(of)?.item; // the object that it was handed to
    if (item && other) middle.add(item.worldToLocal(other.getWorldPosition(new THREE.Vector3())));
    const own = new THREE.Matrix4().makeBasis(columns[order[0]], columns[order[1]], columns[order[2]]).setPosition(middle);
    return item ? item.matrixWorld.clone().multiply(own) : own;
  }

  point(name) { return this.shape.handles.points.find((point) => point.name === name); }

  // in the scene; what reaches beyond it is drawn at its rim
  at([u, v, w]) { return new THREE.Vector3(Math.min(Math.max(u, -REACH), REACH), v, w).applyMatrix4(this.matrix); }

  toScreen(point) {
    const { width, height } = this.stage.canvas.getBoundingClientRect();
    const seen = point.clone().project(this.stage.eye);
    return [((seen.x + 1) / 2) * width, ((1 - seen.y) / 2) * height, seen.z];
  }

  place() {
    if (!this.shape || !this.layer.childElementCount) return;
    // an open end has no handle: the axis is drawn for a metre from its place
    const on = (name, far) => this.toScreen(this.at(this.point(name)?.at ?? [far, 0, 0])).slice(0, 2).join(" ");
    this.layer.querySelector("path").setAttribute("d", `M${on("start", -1)}L${on("end", 1)}`);
    for (const dot of this.layer.querySelectorAll(".handle")) {
      const point = this.point(dot.dataset.handle);
      const [x, y, depth] = this.toScreen(this.at(point.at));
      dot.style.display = depth > 1 ? "none" : "";
      if (dot.tagName === "circle") {
        dot.setAttribute("aria-valuenow", value(point).toFixed(3));
        for (const [name, number] of [["cx", x], ["cy", y], ["r", PIXELS - 1]]) dot.setAttribute(name, number);
      } else {
        for (const [name, number] of [["x", x - PIXELS], ["y", y - PIXELS], ["width", 2 * PIXELS], ["height", 2 * PIXELS]]) dot.setAttribute(name, number);
        dot.setAttribute("transform", `rotate(45 ${x} ${y})`);
      }
    }
  }

  edits(point) {
    const path = `${this.shape.node}/deform.${this.shape.deformer}`;
    const numbers = point.sets.length > 1 ? (point.within ? this.shape.handles.place : point.at) : [value(point)];
    return point.sets.map((name, i) => ({ do: "set", address: `${path}.${name}`, value: Number(numbers[i].toFixed(4)) }));
  }

  grab(event) {
    const point = this.shape && this.point(event.target.dataset?.handle);
    if (!point || event.button) return;
    event.stopPropagation();
    const before = structuredClone(this.shape.handles);
    const change = this.change();
    const ray = new THREE.Raycaster();
    const box = this.stage.canvas.getBoundingClientRect();
    const aim = (x, y) => ray.setFromCamera(new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2), this.stage.eye);
    const inverse = this.matrix.invert();
    const origin = this.at(point.at);
    const [, v, w] = point.at;
    const line = [this.at([-REACH, v, w]), this.at([REACH, v, w])];
    const toObject = this.stage.nodes.get(this.shape.node)?.item.matrixWorld.clone().invert() ?? new THREE.Matrix4();
    const facing = new THREE.Plane().setFromNormalAndCoplanarPoint(this.stage.eye.getWorldDirection(new THREE.Vector3()), origin);
    follow(event, {
      move: (_dx, _dy, now) => {
        aim(now.clientX, now.clientY);
        const near = new THREE.Vector3();
        if (point.sets.length > 1) {
          if (!ray.ray.intersectPlane(facing, near)) return;
          if (point.within) this.shape.handles.place = near.applyMatrix4(toObject).toArray();
          else point.at = near.applyMatrix4(inverse).toArray();
        } else {
          // the place on the axis that is nearest to where the pointer aims
          ray.ray.distanceSqToSegment(...line, null, near);
          moveTo(point, value({ ...point, at: [near.applyMatrix4(inverse).x, v, w] }));
        }
        change.to(this.edits(point));
        this.place();
      },
      done: async (moved) => { if (moved) await change.land(); },
      gaveUp: async () => { this.shape.handles = before; this.place(); await change.giveUp(); },
    });
  }

  async nudge(event) {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    const point = by && this.shape && this.point(event.target.dataset?.handle);
    if (!point || point.sets.length > 1) return;
    event.preventDefault();
    event.stopPropagation();
    const change = this.change();
    moveTo(point, value(point) + by * (event.shiftKey ? 0.1 : 0.01));
    change.to(this.edits(point));
    await change.land();
    this.layer.querySelector(`[data-handle=${point.name}]`)?.focus();
  }
}
