// Scatters as a person makes and thins them: the sheet that begins one, and the brush that takes copies away.

import { act, pressed } from "lazzik/lib/actions.js";
import { all, maybe, over, untilReleased } from "lazzik/lib/dom.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { apply, commit } from "lazzik/studio/history.js";
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

export class Thinning {
  on = false;

  /** @param {Stage} stage @param {Crowds} crowds */
  constructor(stage, crowds) {
    this.stage = stage;
    this.crowds = crowds;
    act({ name: "take-copies", run: () => this.toggle(), label: "Brush copies of the open scatter away" });
    stage.canvas.addEventListener("pointerdown", (event) => this.stroke(event), true);
  }

  toggle(on = !this.on) {
    this.on = on;
    this.stage.controls.enabled = !on;
    pressed("take-copies", on);
  }

  /** Another panel is open, or the same one anew. */
  changed() {
    if (this.on && !maybe("[data-act=take-copies]")) this.toggle(false);
    pressed("take-copies", this.on);
  }

  /** @param {PointerEvent} event */
  stroke(event) {
    const node = maybe("[data-scatter]")?.dataset.scatter;
    if (!this.on || event.button || !node) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    /** @type {Set<number>} */
    const taken = new Set();
    const touch = (/** @type {PointerEvent} */ { clientX, clientY }) => {
      for (const id of this.crowds.near(node, clientX, clientY, BRUSH)) taken.add(id);
      this.crowds.hide(node, taken);
    };
    touch(event);
    untilReleased(touch, () => (taken.size ? commit([{ do: "take-copies", node, copies: [...taken] }]) : undefined));
  }
}

/** What the page can do with scatters. */
export function offerScatters() {
  act(
    { name: "scatter", keys: ["Shift+B"], run: () => sheet("scatter-form", { node: chosenNodes() }), label: "Scatter the chosen objects …" },
    { name: "scatter-here", run: begin },
  );
  document.addEventListener("input", (event) => {
    const find = over(event, "#scatter-find", HTMLInputElement);
    const asked = find?.value.trim().toLowerCase() ?? "";
    if (find) for (const row of all("#scatter-list button")) row.hidden = !row.textContent?.toLowerCase().includes(asked);
  });
}
