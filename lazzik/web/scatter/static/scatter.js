// Scatters as a person makes and thins them: the sheet that begins one, and the brush that takes copies away.

import { act, pressed } from "lazzik/lib/actions.js";
import { all, maybe, over, untilReleased } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { toast } from "lazzik/lib/toasts.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { apply, commit, send } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet, sheet } from "lazzik/studio/sheets.js";

/** @import { Stage } from "lazzik/stage/stage.js" */
/** @import { Crowds } from "lazzik/stage/crowds.js" */

const BRUSH = 28; // pixels about the pointer

/** Begin a scatter, and lay it open. @param {HTMLElement | null} button */
async function begin(button) {
  const landed = button && (await apply(button));
  if (!landed) return;
  closeSheet();
  if (landed.added?.[0]) await choose(`${landed.added[0]}/copies`, { moving: false, also: [] });
}

/** @typedef {"" | "take-copies" | "make-real"} Doing what a press on the stage does */

export class Thinning {
  /** @type {Doing} */
  on = "";

  /** @param {Stage} stage @param {Crowds} crowds */
  constructor(stage, crowds) {
    this.stage = stage;
    this.crowds = crowds;
    act(
      { name: "take-copies", run: () => this.toggle("take-copies"), label: "Brush copies of the open scatter away" },
      { name: "make-real", run: () => this.toggle("make-real"), label: "Make one copy of the open scatter an object of its own" },
      { name: "make-all-real", run: () => this.makeAllReal(), label: "Make all copies of the open scatter objects of their own" },
    );
    stage.canvas.addEventListener("pointerdown", (event) => this.stroke(event), true);
  }

  /** @param {Doing} what */
  toggle(what) {
    this.on = this.on === what ? "" : what;
    this.stage.controls.enabled = !this.on;
    this.press();
  }

  press() {
    pressed("take-copies", this.on === "take-copies");
    pressed("make-real", this.on === "make-real");
  }

  /** Another panel is open, or the same one anew. */
  changed() {
    if (this.on && !maybe("[data-act=take-copies]")) this.toggle(this.on);
    this.press();
  }

  /** @param {PointerEvent} event */
  stroke(event) {
    const node = maybe("[data-scatter]")?.dataset.scatter;
    if (!this.on || event.button || !node) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (this.on === "make-real") { this.makeReal(node, event); return; }
    /** @type {Set<number>} */
    const taken = new Set();
    const touch = (/** @type {PointerEvent} */ { clientX, clientY }) => {
      for (const id of this.crowds.near(node, clientX, clientY, BRUSH)) taken.add(id);
      this.crowds.hide(node, taken);
    };
    touch(event);
    untilReleased(touch, () => (taken.size ? commit([{ do: "take-copies", node, copies: [...taken] }]) : undefined));
  }

  makeAllReal() {
    const node = maybe("[data-scatter]")?.dataset.scatter;
    return node ? guard(() => send("make-real", { node })) : undefined;
  }

  /** The nearest copy becomes an object of its own. @param {string} node @param {PointerEvent} event */
  async makeReal(node, { clientX, clientY }) {
    const [nearest] = this.crowds.near(node, clientX, clientY, BRUSH);
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
