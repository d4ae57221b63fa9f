// The shape of an object: deformers added, muted and removed, their handles on the stage, and where they act.

import { act, isPressed, pressed } from "lazzik/lib/actions.js";
import { floats, packed } from "lazzik/lib/api.js";
import { all, maybe, over } from "lazzik/lib/dom.js";
import { choosePicture } from "lazzik/lib/files.js";
import { guard } from "lazzik/lib/guard.js";
import { base64 } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { Handles } from "lazzik/stage/handles.js";
import { paintStroke, pickPoint } from "lazzik/stage/touch.js";
import { commit, send } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";

/** @import { ShapeFacts, SetPivot } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "lazzik/stage/stage.js" */

/** @typedef {"counts" | "lift"} Shading how much the open deformer counts, or how far it pushes */

/** The object whose shape is open. */
const node = () => maybe("#form")?.dataset.node ?? "";

/** The open deformer, as edits name it. */
const open = () => ({ node: store.facts.shape?.node ?? "", deformer: store.facts.shape?.deformer ?? "" });

export class ShapeForm {
  /** @type {Shading | ""} what the stage shades */
  where = "";
  painting = false;
  newest = 0; // an answer that comes late must not cover a newer one

  /**
   * @param {HTMLElement} root
   * @param {Stage | null} stage
   */
  constructor(root, stage) {
    this.root = root;
    this.stage = stage;
    this.handles = stage && new Handles(stage);
    root.addEventListener("special", (event) => { if (event instanceof CustomEvent) this.special(event); });
    stage?.canvas.addEventListener("pointerdown", (event) => this.stroke(event, stage));
    this.offer();
  }

  offer() {
    const deformer = (/** @type {HTMLElement | null} */ button) => button?.dataset.mute ?? "";
    act(
      { name: "add-deformer", run: (button) => this.add(button?.dataset.addDeformer ?? "") },
      { name: "mute-deformer", run: (button) => commit([{ do: "change-deformer", node: node(), deformer: deformer(button), muted: !isPressed(button) }]) },
      { name: "remove-deformer", run: () => commit([{ do: "remove-deformer", ...open(), node: node() }]) },
      { name: "permanent", run: () => this.permanent(), label: "Make the shape of this frame permanent" },
      { name: "paint", run: () => { this.where = "counts"; this.press(); return this.paint(!this.painting); }, label: "Paint where the open deformer acts" },
      { name: "wires", keys: ["X"], run: () => pressed("wires", this.stage?.toggleWires()), label: "See surfaces as wires" },
      { name: "where", keys: ["Z"], run: () => this.toggleWhere("counts"), label: "Shade where the open deformer acts" },
      { name: "height", run: () => this.toggleWhere("lift"), label: "Shade how far the open deformer pushes, up and down" },
    );
  }

  permanent() { return guard(() => send("permanent", { node: open().node, frame: store.frame })); }

  rows() { return all(".lane.form", this.root); }

  /** @param {string} kind */
  async add(kind) {
    const before = new Set(this.rows().map((row) => row.dataset.deformer));
    if (!(await commit([{ do: "add-deformer", node: node(), kind }]))) return;
    const added = this.rows().find((row) => !before.has(row.dataset.deformer));
    if (added) await choose(`${node()}/shape#${added.dataset.deformer}`);
  }

  // what needs more than a value: a point picked on the stage, a picture from a file, weights to paint
  /** @param {CustomEvent<string>} event */
  async special(event) {
    if (!node()) return; // the field is another panel's
    const select = over(event, ".knob")?.querySelector("select");
    await guard(() => {
      if (event.detail === "pick") return this.pickPivot();
      if (event.detail.startsWith("surface")) return this.putPicture();
      return event.detail === "picture" ? this.choosePicture() : this.startPainting();
    });
    if (select) select.value = select.querySelector("option[selected]")?.getAttribute("value") ?? "";
  }

  async pickPivot() {
    toast("Press the place on the object that it should turn about.");
    const point = this.stage && (await pickPoint(this.stage, node()));
    const stay = /** @type {SetPivot["stay"]} */ (maybe("[data-pivot]", this.root)?.dataset.stay);
    if (point) await commit([{ do: "set-pivot", node: node(), point, stay }]);
  }

  async choosePicture() {
    const picture = await choosePicture();
    if (picture) await commit([{ do: "change-deformer", ...open(), mask: { kind: "picture", ...picture } }]);
  }

  async putPicture() {
    const picture = await choosePicture();
    if (picture) await commit([{ do: "put-picture", node: node(), ...picture }]);
  }

  async startPainting() {
    const count = this.stage?.nodes.get(open().node)?.mesh?.geometry.attributes.position.count ?? 0;
    await send("paint", { ...open(), weights: base64(new Float32Array(count)) });
    this.where = "counts";
    await this.paint(true);
  }

  /** @param {boolean} on */
  paint(on) {
    this.painting = on;
    pressed("paint", on);
    if (this.stage) this.stage.controls.enabled = !on;
    return this.shade();
  }

  // the brush adds weight to the points near where it passes, and lands as one step
  /**
   * @param {PointerEvent} event
   * @param {Stage} stage
   */
  stroke(event, stage) {
    if (!this.painting) return;
    const shape = open();
    paintStroke(stage, shape.node, event, (weights) => guard(() => send("paint", { ...shape, weights: base64(weights) })));
  }

  press() {
    pressed("where", this.where === "counts");
    pressed("height", this.where === "lift");
  }

  /** @param {ShapeFacts | null} shape */
  async shade(shape = store.facts.shape) {
    const { stage, where } = this;
    if (!stage) return;
    const mine = ++this.newest;
    if (!where || !shape?.deformer) return stage.shade([]);
    const what = where === "lift" && shape.pushes ? "lift" : "counts";
    const asked = new URLSearchParams({ ...open(), frame: String(store.frame), what });
    await guard(async () => {
      /** @type {Record<string, Record<string, Uint8Array>>} */
      const told = await packed(`${store.url}/counts?${asked}`);
      if (mine === this.newest) stage.shade(Object.entries(told[what]).map(([id, values]) => [id, floats(values)]), what === "lift");
    }, (sentence) => {
      if (mine !== this.newest) return;
      stage.shade([]);
      toast(sentence);
    });
  }

  /** @param {Shading} what */
  toggleWhere(what) {
    this.where = this.where === what ? "" : what;
    this.press();
    return this.shade();
  }

  // another object or deformer is open, or it is another one by now
  changed() {
    this.handles?.show(store.facts.shape);
    if (this.painting && !maybe("[data-act=paint]")) this.paint(false);
    pressed("paint", this.painting);
    this.press();
    pressed("wires", this.stage?.model.wires);
    return this.shade();
  }
}
