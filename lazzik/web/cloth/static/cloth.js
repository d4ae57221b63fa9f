// Cloth as a person makes it, and the brush that paints where it is held.

import { act, pressed } from "lazzik/lib/actions.js";
import { floats, packed } from "lazzik/lib/api.js";
import { maybe } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { base64 } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { paintStroke } from "lazzik/stage/touch.js";
import { commit, send } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";

/** @import { Stage } from "lazzik/stage/stage.js" */

/** What the page can do with cloth. */
export function offerCloth() {
  act(
    { name: "drape", run: drape, label: "Make the chosen object cloth" },
    {
      name: "undrape",
      run: async (button) => {
        const node = button?.dataset.node ?? maybe("[data-run-of]")?.dataset.runOf;
        if (node && (await commit([{ do: "undrape", node }]))) await choose(`${node}/shape`, { moving: false, also: [] });
      },
    },
  );
}

/** @param {HTMLElement | null} button */
async function drape(button) {
  const node = button?.dataset.node ?? store.facts.at.split("/")[0];
  if (!node) return toast("Choose an object first.");
  if (await commit([{ do: "drape", node }])) await choose(`${node}/cloth`, { moving: false, also: [] });
}

/** Where cloth is held, as it is painted: with Shift it is let go. */
export class PinBrush {
  /** @type {{ node: string, pin: string } | null} what is painted now */
  on = null;

  /** @param {Stage} stage */
  constructor(stage) {
    this.stage = stage;
    act({ name: "paint-pin", run: (button) => this.toggle(button) });
    stage.canvas.addEventListener("pointerdown", (event) => this.stroke(event), true);
  }

  /** @param {HTMLElement | null} button */
  async toggle(button) {
    const { node = "", pin = "" } = button?.dataset ?? {};
    const same = this.on?.node === node && this.on.pin === pin;
    this.end();
    if (!node || same) return;
    this.on = { node, pin };
    this.stage.controls.enabled = false;
    if (!pin) toast("Brush onto the cloth where it is held; with Shift take away.");
    await this.changed();
  }

  end() {
    if (!this.on) return;
    this.on = null;
    this.stage.controls.enabled = true;
    this.stage.shade([]);
    pressed("paint-pin", false);
  }

  /** Another panel is open, or the same one anew. */
  async changed() {
    if (!this.on) return;
    if (!maybe(`[data-run-of="${this.on.node}"]`)) return this.end();
    pressed("paint-pin", this.on.pin !== "");
    await guard(() => this.shade());
  }

  async shade() {
    const painting = this.on;
    if (!painting) return;
    const { node, weights } = await packed(`${store.url}/pin-weights?${new URLSearchParams(painting)}`);
    if (this.on === painting) this.stage.shade([[node, floats(weights)]]);
  }

  /** @param {PointerEvent} event */
  stroke(event) {
    const painting = this.on;
    if (!painting || event.button) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    paintStroke(this.stage, painting.node, event, (weights) => guard(() => this.keep(painting, weights)));
  }

  /** @param {{ node: string, pin: string }} painting @param {Float32Array} weights */
  async keep(painting, weights) {
    const landed = await send("paint-pin", { ...painting, weights: base64(weights) });
    if (!landed || painting.pin) return;
    const buttons = document.querySelectorAll("[data-act=paint-pin][data-pin]:not([data-pin=''])");
    const last = buttons[buttons.length - 1];
    if (last instanceof HTMLElement) this.on = { node: painting.node, pin: last.dataset.pin ?? "" };
    await this.changed();
  }
}
