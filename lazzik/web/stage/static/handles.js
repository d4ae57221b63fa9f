// Handles of a deformer on the stage: where it sits, and where along its axis it begins and ends.

import * as THREE from "three";
import { all, maybe, over, put, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { clamp } from "lazzik/lib/numbers.js";
import { Change } from "lazzik/studio/change.js";
import { placed } from "./geometry.js";

/** @import { Edit, HandleFacts, PlacedHandles, ShapeFacts } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "./stage.js" */

/** @typedef {ShapeFacts & { handles: PlacedHandles }} Handled */

const PIXELS = 7;
const REACH = 12; // metres along the axis
/** @type {Record<string, number>} */
const ARROWS = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 };

/** The number of a handle that runs along the axis. @param {HandleFacts} point */
const value = (point) => Math.max(point.sign * (point.at[0] - point.origin), point.length ? 0 : -Infinity);

/** @param {HandleFacts} point @param {number} number */
const moveTo = (point, number) => { point.at[0] = point.origin + point.sign * number; };

/** @param {HandleFacts} point */
const isFree = (point) => point.sets.length > 1;

export class Handles {
  /** @type {Handled | null} */
  shape = null;

  /** @param {Stage} stage */
  constructor(stage) {
    this.stage = stage;
    this.layer = shape("svg", { class: "handles", role: "group", "aria-label": "Handles of the open deformer" });
    stage.canvas.parentElement?.append(this.layer);
    stage.drawn.push(() => this.place());
    this.layer.addEventListener("pointerdown", (event) => this.grab(event));
    this.layer.addEventListener("keydown", (event) => this.nudge(event));
  }

  /** @param {ShapeFacts | null} facts */
  show(facts) {
    this.shape = facts?.handles ? { ...facts, handles: structuredClone(facts.handles) } : null;
    this.layer.replaceChildren();
    if (!this.shape) return;
    this.layer.append(shape("path", { class: "axis-line" }));
    for (const point of this.shape.handles.points) {
      const said = { class: `handle at-${point.name}`, tabindex: 0, "aria-label": point.label, "data-handle": point.name };
      const title = shape("title", {}, point.label);
      this.layer.append(isFree(point) ? shape("rect", { ...said, role: "button" }, title) : shape("circle", { ...said, role: "slider" }, title));
    }
    this.place();
  }

  /**
   * The deformer's coordinates as a matrix of the scene.
   * @param {Handled} handled
   */
  matrix({ node, handles: { place, turn, axis, of } }) {
    const item = this.stage.nodes.get(node)?.item;
    item?.updateWorldMatrix(true, false);
    const middle = new THREE.Vector3(...place);
    const other = of && this.stage.nodes.get(of)?.item; // the object that it was handed to
    if (item && other) middle.add(item.worldToLocal(other.getWorldPosition(new THREE.Vector3())));
    const own = placed(middle.toArray(), turn, axis);
    return item ? item.matrixWorld.clone().multiply(own) : own;
  }

  /** @param {string | undefined} name */
  point(name) { return this.shape?.handles.points.find((point) => point.name === name); }

  /**
   * In the scene; what reaches beyond it is drawn at its rim.
   * @param {Handled} handled
   * @param {[number, number, number]} point
   */
  at(handled, [u, v, w]) { return new THREE.Vector3(clamp(u, -REACH, REACH), v, w).applyMatrix4(this.matrix(handled)); }

  place() {
    const { shape: handled, layer, stage } = this;
    if (!handled || !layer.childElementCount) return;
    // an open end has no handle: the axis is drawn for a metre from its place
    const on = (/** @type {string} */ name, /** @type {number} */ far) => {
      const { x, y } = stage.toScreen(this.at(handled, this.point(name)?.at ?? [far, 0, 0]));
      return `${x} ${y}`;
    };
    layer.querySelector("path")?.setAttribute("d", `M${on("start", -1)}L${on("end", 1)}`);
    for (const dot of all(".handle", layer, SVGElement)) {
      const point = this.point(dot.dataset.handle);
      if (!point) continue;
      const { x, y, z } = stage.toScreen(this.at(handled, point.at));
      dot.style.display = z > 1 ? "none" : "";
      if (isFree(point)) put(dot, { x: x - PIXELS, y: y - PIXELS, width: 2 * PIXELS, height: 2 * PIXELS, transform: `rotate(45 ${x} ${y})` });
      else put(dot, { cx: x, cy: y, r: PIXELS - 1, "aria-valuenow": value(point).toFixed(3) });
    }
  }

  /**
   * @param {Handled} handled
   * @param {HandleFacts} point
   * @returns {Edit[]}
   */
  edits({ node, deformer, handles }, point) {
    const numbers = isFree(point) ? (point.within ? handles.place : point.at) : [value(point)];
    return point.sets.map((name, i) => ({ do: "set", address: `${node}/deform.${deformer}.${name}`, value: Number(numbers[i].toFixed(4)) }));
  }

  /** @param {PointerEvent} event */
  grab(event) {
    const handled = this.shape;
    const point = this.point(over(event, "[data-handle]", SVGElement)?.dataset.handle);
    if (!handled || !point || event.button) return;
    event.stopPropagation();
    const { stage } = this;
    const before = structuredClone(handled.handles);
    const change = new Change();
    const inverse = this.matrix(handled).invert();
    const origin = this.at(handled, point.at);
    const [, v, w] = point.at;
    const [from, to] = [this.at(handled, [-REACH, v, w]), this.at(handled, [REACH, v, w])];
    const toObject = stage.nodes.get(handled.node)?.item.matrixWorld.clone().invert() ?? new THREE.Matrix4();
    const facing = new THREE.Plane().setFromNormalAndCoplanarPoint(stage.eye.getWorldDirection(new THREE.Vector3()), origin);
    follow(event, {
      move: (_dx, _dy, now) => {
        const { ray } = stage.ray(now.clientX, now.clientY);
        const near = new THREE.Vector3();
        if (isFree(point)) {
          if (!ray.intersectPlane(facing, near)) return;
          if (point.within) handled.handles.place = near.applyMatrix4(toObject).toArray();
          else point.at = near.applyMatrix4(inverse).toArray();
        } else {
          // the place on the axis that is nearest to where the pointer aims
          ray.distanceSqToSegment(from, to, undefined, near);
          moveTo(point, value({ ...point, at: [near.applyMatrix4(inverse).x, v, w] }));
        }
        change.to(this.edits(handled, point));
        this.place();
      },
      done: async (moved) => { if (moved) await change.land(); },
      gaveUp: async () => { handled.handles = before; this.place(); await change.giveUp(); },
    });
  }

  /** @param {KeyboardEvent} event */
  async nudge(event) {
    const by = ARROWS[event.key];
    const handled = this.shape;
    const point = this.point(over(event, "[data-handle]", SVGElement)?.dataset.handle);
    if (!by || !handled || !point || isFree(point)) return;
    event.preventDefault();
    event.stopPropagation();
    const change = new Change();
    moveTo(point, value(point) + by * (event.shiftKey ? 0.1 : 0.01));
    change.to(this.edits(handled, point));
    await change.land();
    maybe(`[data-handle=${point.name}]`, this.layer, SVGElement)?.focus();
  }
}
