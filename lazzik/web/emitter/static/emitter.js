// Emitters as a person makes them, and what is told of the run of the open one.

import { act } from "lazzik/lib/actions.js";
import { maybe } from "lazzik/lib/dom.js";
import { apply } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet } from "lazzik/studio/sheets.js";

/** @import { Particles } from "lazzik/stage/particles.js" */

/** What the page can do with emitters. */
export function offerEmitters() {
  act({
    name: "emit",
    run: async (button) => {
      const landed = button && (await apply(button));
      if (!landed) return;
      closeSheet();
      if (landed.added?.[0]) await choose(`${landed.added[0]}/particles`, { moving: false, also: [] });
    },
  });
}

/**
 * How many live at the shown frame, and which frames are there.
 * @param {Particles} particles
 * @param {number} frame
 */
export function sayRun(particles, frame) {
  const note = maybe("#run-said");
  const node = maybe("[data-emitter]")?.dataset.emitter;
  if (!note || !node) return;
  const { there, count, alive, speed } = particles.told(node, frame);
  const now = alive === null ? "" : `· ${alive.toLocaleString("en")} live, half of them faster than ${speed.toFixed(1)} m/s`;
  note.textContent = there < count ? `${now} · ${Math.floor((100 * there) / count)} % of the frames are there` : now;
}
