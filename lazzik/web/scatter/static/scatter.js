// Scatters as a person makes and thins them: the sheet that begins one, and the brush that paints where copies are dense,
// takes some away or makes one an object of its own.

import { Vector3 } from "three";
import { act, pressed } from "lazzik/lib/actions.js";
import { floats, packed } from "lazzik/lib/api.js";
import { all, maybe, over, untilReleased } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { base64 } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { choosePicture } from "lazzik/lib/files.js";
import { paintStroke } from "lazzik/stage/touch.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { apply, commit, send } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet, sheet } from "lazzik/studio/sheets.js";

/** @import { Stage } from "lazzik/stage/stage.js" */
/** @import { Crowds } from "lazzik/stage/crowds.js" */

const BRUSH = 28; // pixels about the pointer
const FEW = 25; // points of a surface on which nothing can be painted

/** Begin a scatter, and lay it open. @param {HTMLElement | null} button */
async function begin(button) {
  const landed = button && (await apply(button));
  if (!landed) return;
  closeSheet();
  if (landed.added?.[0]) await choose(`${landed.added[0]}/copies`, { moving: false, also: [] });
}

/** @typedef {"" | "take-copies" | "make-real" | "paint-density"} Doing what a press on the stage does */

export class CopyBrush {
  /** @type {Doing} */
  on = "";
  surface = "";

  /** @param {Stage} stage @param {Crowds} crowds */
  constructor(stage, crowds) {
    this.stage = stage;
    this.crowds = crowds;
    act(
      { name: "take-copies", run: () => this.toggle("take-copies"), label: "Brush copies of the open scatter away" },
      { name: "make-real", run: () => this.toggle("make-real"), label: "Make one copy of the open scatter an object of its own" },
      { name: "paint-density", run: () => this.toggle("paint-density"), label: "Paint where copies of the open scatter are dense" },
      { name: "make-all-real", run: () => this.makeAllReal(), label: "Make all copies of the open scatter objects of their own" },
    );
    stage.canvas.addEventListener("pointerdown", (event) => this.stroke(event), true);
    document.addEventListener("special", (event) => { if (event instanceof CustomEvent) this.special(event); });
  }

  /** The open scatter. */
  get node() { return maybe("[data-scatter]")?.dataset.scatter ?? ""; }

  // what tells where they are dense, where that is more than a value: a picture from a file, or what is painted
  /** @param {CustomEvent<string>} event */
  async special({ detail }) {
    const { node } = this;
    if (!node) return;
    await guard(async () => {
      if (detail === "picture") {
        const picture = await choosePicture();
        if (picture) await commit([{ do: "change-scatter", node, mask: { kind: "picture", ...picture } }]);
      } else if (detail === "weights") {
        const { surface, weights } = await this.density(node);
        if (weights.length < FEW) {
          toast(`Its surface has ${weights.length} points, too few to tell one place from another: give it a finer mesh first.`, ["Its mesh", () => choose(`${surface}/shape`)]);
          return;
        }
        await send("paint-density", { node, weights: base64(weights) });
        if (this.on !== "paint-density") await this.toggle("paint-density");
      }
    });
    const select = maybe("#sc-mask", document, HTMLSelectElement);
    if (select) select.value = select.querySelector("option[selected]")?.getAttribute("value") ?? "";
  }

  // where not all are drawn
  say() {
    const note = maybe("#copies-drawn");
    const { drawn, all: count } = this.crowds.drawn(this.node);
    if (note) note.textContent = drawn < count ? `· ${drawn.toLocaleString("en")} drawn` : "";
  }

  /** How dense they are at the points of their surface. @param {string} node */
  async density(node) {
    const { surface, weights } = await packed(`${store.url}/density?${new URLSearchParams({ node })}`);
    return { surface, weights: floats(weights) };
  }

  // while it is painted, the surface shows it
  async shade() {
    if (this.on !== "paint-density") return this.stage.shade([]);
    const { surface, weights } = await this.density(this.node);
    this.surface = surface;
    if (this.on === "paint-density") this.stage.shade([[surface, weights]]);
  }

  /** @param {Doing} what */
  async toggle(what) {
    const painted = this.on === "paint-density" || what === "paint-density";
    this.on = this.on === what ? "" : what;
    this.stage.controls.enabled = !this.on;
    this.press();
    if (painted) await guard(() => this.shade());
  }

  press() {
    pressed("take-copies", this.on === "take-copies");
    pressed("make-real", this.on === "make-real");
    pressed("paint-density", this.on === "paint-density");
  }

  /** Another panel is open, or the same one anew. */
  async changed() {
    this.say();
    if (this.on && !maybe(`[data-act=${this.on}]`)) return this.toggle(this.on);
    this.press();
    if (this.on === "paint-density") await guard(() => this.shade());
  }

  /** @param {PointerEvent} event */
  stroke(event) {
    const { node } = this;
    if (!this.on || event.button || !node) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (this.on === "paint-density") {
      paintStroke(this.stage, this.surface, event, (weights) => guard(() => send("paint-density", { node, weights: base64(weights) })));
      return;
    }
    if (this.on === "make-real") { this.makeReal(node, event); return; }
    /** @type {Set<number>} */
    const taken = new Set();
    const touch = (/** @type {PointerEvent} */ { clientX, clientY }) => {
      for (const id of this.near(node, clientX, clientY, BRUSH)) taken.add(id);
      this.crowds.hide(node, taken);
    };
    touch(event);
    untilReleased(touch, () => (taken.size ? commit([{ do: "take-copies", node, copies: [...taken] }]) : undefined));
  }

  /**
   * Numbers of the copies that are seen near a point of the page, the nearest first.
   * @param {string} node
   * @param {number} x
   * @param {number} y
   * @param {number} pixels
   */
  near(node, x, y, pixels) {
    const [crowd, item] = [this.crowds.crowds.get(node), this.stage.nodes.get(node)?.item];
    const box = this.stage.canvas.getBoundingClientRect();
    const point = new Vector3();
    if (!crowd || !item) return [];
    const away = [...crowd.ids].map((id, k) => {
      const seen = this.stage.toScreen(point.fromArray(crowd.places, 3 * k).applyMatrix4(item.matrixWorld));
      return { id, pixels: seen.z < 1 ? Math.hypot(seen.x - (x - box.left), seen.y - (y - box.top)) : Infinity };
    });
    return away.filter((each) => each.pixels < pixels).sort((a, b) => a.pixels - b.pixels).map(({ id }) => id);
  }

  makeAllReal() {
    const { node } = this;
    return node ? guard(() => send("make-real", { node })) : undefined;
  }

  /** The nearest copy becomes an object of its own. @param {string} node @param {PointerEvent} event */
  async makeReal(node, { clientX, clientY }) {
    const [nearest] = this.near(node, clientX, clientY, BRUSH);
    if (nearest === undefined) { toast("There is no copy so near; press closer to the foot of one."); return; }
    this.toggle("make-real");
    await guard(() => send("make-real", { node, copies: [nearest] }));
  }
}

/** What the page can do with scatters. */
export function offerScatters() {
  act(
    { name: "scatter", keys: ["."], run: () => sheet("scatter-form", { node: chosenNodes() }), label: "Scatter the chosen objects …" },
    { name: "scatter-here", run: begin },
  );
  document.addEventListener("input", (event) => {
    const find = over(event, "#scatter-find", HTMLInputElement);
    const asked = find?.value.trim().toLowerCase() ?? "";
    if (find) for (const row of all("#scatter-list button")) row.hidden = !row.textContent?.toLowerCase().includes(asked);
  });
}
