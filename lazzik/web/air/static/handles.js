// Handles of the chosen field on the stage: an arrow as long as it is fast, which turns a wind too, and how far it reaches.

import * as THREE from "three";
import { all, maybe, over, put, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { Change } from "lazzik/studio/change.js";

/** @import { Edit, FieldFacts } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "lazzik/stage/stage.js" */

const LONG = 0.3; // metres of the arrow for a metre per second
const LEAST = 0.6; // metres of it at least, so that it can be taken hold of
const CIRCLE = 48;
/** @type {Record<string, number>} */
const ARROWS = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 };

/** How long the arrow is, and how fast that is. @param {number} speed */
const long = (speed) => (speed < 0 ? -1 : 1) * Math.max(LONG * Math.abs(speed), LEAST);
/** @param {number} metres */
const fast = (metres) => (Math.abs(metres) <= LEAST ? 0 : metres / LONG);

export class AirHandles {
  /** @type {FieldFacts | null} */
  field = null;

  /** @param {Stage} stage */
  constructor(stage) {
    this.stage = stage;
    this.layer = shape("svg", { class: "air-handles", role: "group", "aria-label": "Handles of the chosen field" });
    stage.canvas.parentElement?.append(this.layer);
    stage.drawn.push(() => this.place());
    this.layer.addEventListener("pointerdown", (event) => this.grab(event));
    this.layer.addEventListener("keydown", (event) => this.nudge(event));
  }

  /** @param {FieldFacts | null} facts */
  show(facts) {
    this.field = facts && structuredClone(facts);
    this.layer.replaceChildren();
    const { field } = this;
    if (!field) return;
    const told = (/** @type {string} */ name, /** @type {string} */ said) => shape(
      "circle", { class: "handle", r: 7, tabindex: 0, role: "slider", "data-air": name, "aria-label": said }, shape("title", {}, said),
    );
    this.layer.append(
      ...field.radii.map(([name]) => shape("path", { class: "sphere", "data-sphere": name })),
      shape("path", { class: "way" }), shape("path", { class: "arrow" }), shape("text", { "data-speed": "" }),
      told("speed", field.directed ? "How fast it blows, and which way" : "How fast it moves the air"),
      ...field.radii.map(([name]) => told(name, `${name} radius`)),
    );
    this.place();
  }

  /** @param {FieldFacts} field */
  frame({ node }) {
    const item = this.stage.nodes.get(node)?.item;
    item?.updateWorldMatrix(true, false);
    const [place, turn] = [new THREE.Vector3(), new THREE.Quaternion()];
    item?.matrixWorld.decompose(place, turn, new THREE.Vector3());
    return { place, x: new THREE.Vector3(1, 0, 0).applyQuaternion(turn), z: new THREE.Vector3(0, 0, 1).applyQuaternion(turn), item };
  }

  place() {
    const { field, layer, stage } = this;
    if (!field || !layer.childElementCount) return;
    const { place, x, z } = this.frame(field);
    const seen = (/** @type {THREE.Vector3} */ point) => stage.toScreen(point);
    const tip = place.clone().addScaledVector(x, long(field.speed));
    const [a, b] = [seen(place), seen(tip)];
    layer.style.display = a.z > 1 || b.z > 1 ? "none" : "";
    layer.querySelector(".way")?.setAttribute("d", `M${a.x} ${a.y}L${b.x} ${b.y}`);
    const ahead = new THREE.Vector2(b.x - a.x, b.y - a.y).normalize();
    const side = new THREE.Vector2(-ahead.y, ahead.x);
    const barb = (/** @type {number} */ way) => `${b.x - 22 * ahead.x + way * 6 * side.x} ${b.y - 22 * ahead.y + way * 6 * side.y}`;
    const point = `${b.x - 11 * ahead.x} ${b.y - 11 * ahead.y}`;
    layer.querySelector(".arrow")?.setAttribute("d", `M${barb(1)}L${point}L${barb(-1)}`);
    const text = layer.querySelector("[data-speed]");
    if (text) { put(text, { x: b.x + 13, y: b.y + 4 }); text.textContent = `${field.speed.toFixed(1)} m/s`; }
    for (const [name, radius] of field.radii) this.circle(name, radius, place, z);
    const handle = maybe("[data-air=speed]", layer, SVGElement);
    if (handle) put(handle, { cx: b.x, cy: b.y, "aria-valuenow": field.speed.toFixed(2) });
  }

  /** A level circle about the field. @param {string} name @param {number} radius @param {THREE.Vector3} place @param {THREE.Vector3} z */
  circle(name, radius, place, z) {
    const rim = Array.from({ length: CIRCLE + 1 }, (_, i) => {
      const turn = (i / CIRCLE) * 2 * Math.PI;
      const { x, y } = this.stage.toScreen(new THREE.Vector3(Math.cos(turn), 0, Math.sin(turn)).multiplyScalar(radius).add(place));
      return `${x.toFixed(1)} ${y.toFixed(1)}`;
    });
    maybe(`[data-sphere=${name}]`, this.layer, SVGElement)?.setAttribute("d", `M${rim.join("L")}`);
    const { x, y } = this.stage.toScreen(place.clone().addScaledVector(z, radius));
    const handle = maybe(`[data-air=${name}]`, this.layer, SVGElement);
    if (handle) put(handle, { cx: x, cy: y, "aria-valuenow": radius.toFixed(2) });
  }

  /** @param {FieldFacts} field @param {string} name @returns {Edit[]} */
  edits({ node, directed, strongest, speed, turned, radii }, name) {
    const set = (/** @type {string} */ path, /** @type {number} */ value) => (
      /** @type {Edit} */ ({ do: "set", address: `${node}/${path}`, value: Number(value.toFixed(3)) })
    );
    if (name !== "speed") return [set(`field.${name}`, Math.max(0, radii.find(([own]) => own === name)?.[1] ?? 0))];
    const how = set(`field.${strongest}`, strongest === "strength" ? Math.max(0, speed) : speed);
    return directed ? [how, set("rotation.y", turned)] : [how];
  }

  /** @param {PointerEvent} event */
  grab(event) {
    const name = over(event, "[data-air]", SVGElement)?.dataset.air;
    const { field, stage } = this;
    if (!field || !name || event.button) return;
    event.stopPropagation();
    const before = structuredClone(field);
    const change = new Change();
    const { place, x } = this.frame(field);
    const level = new THREE.Plane().setFromNormalAndCoplanarPoint(new THREE.Vector3(0, 1, 0), place);
    const facing = stage.eye.getWorldDirection(new THREE.Vector3());
    // seen nearly from the side, the level plane is no help: then the one that faces the eye
    const plane = Math.abs(facing.y) > 0.12 ? level : new THREE.Plane().setFromNormalAndCoplanarPoint(facing, place);
    const heading = Math.atan2(-x.z, x.x);
    follow(event, {
      move: (_dx, _dy, now) => {
        const at = stage.ray(now.clientX, now.clientY).ray.intersectPlane(plane, new THREE.Vector3())?.sub(place);
        if (!at) return;
        if (name === "speed") this.point(field, before, at, heading, x);
        else field.radii = field.radii.map(([own, radius]) => [own, own === name ? at.length() : radius]);
        change.to(this.edits(field, name));
        this.place();
      },
      done: async (moved) => { if (moved) await change.land(); },
      gaveUp: async () => { this.field = before; this.place(); await change.giveUp(); },
    });
  }

  /**
   * The arrow's tip is somewhere else.
   * @param {FieldFacts} field
   * @param {FieldFacts} before
   * @param {THREE.Vector3} at
   * @param {number} heading
   * @param {THREE.Vector3} x
   */
  point(field, before, at, heading, x) {
    if (!field.directed) { field.speed = fast(at.dot(x)); return; }
    field.speed = fast(Math.hypot(at.x, at.z));
    const turn = THREE.MathUtils.radToDeg(Math.atan2(-at.z, at.x) - heading);
    field.turned = before.turned + ((turn + 540) % 360) - 180;
  }

  /** @param {KeyboardEvent} event */
  async nudge(event) {
    const by = ARROWS[event.key];
    const name = over(event, "[data-air]", SVGElement)?.dataset.air;
    const { field } = this;
    if (!by || !name || !field) return;
    event.preventDefault();
    event.stopPropagation();
    const step = by * (event.shiftKey ? 1 : 0.1);
    if (name === "speed") field.speed += step;
    else field.radii = field.radii.map(([own, radius]) => [own, own === name ? radius + step : radius]);
    const change = new Change();
    change.to(this.edits(field, name));
    await change.land();
    all("[data-air]", this.layer, SVGElement).find((handle) => handle.dataset.air === name)?.focus();
  }
}
