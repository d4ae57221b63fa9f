// Windows on lanes and of sheaves: blocks that are moved, trimmed at their edges and faded at their corners.

import { maybe, over } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { store } from "lazzik/lib/store.js";
import { Change } from "lazzik/studio/change.js";
import { snappedBy, viewed } from "lazzik/timeline/timeaxis.js";
import { drawBlock, movedWindow, standsOn } from "./block.js";

/** @import { Edit, WindowFacts } from "lazzik/lib/types.d.ts" */
/** @import { Strata } from "./strata.js" */

/**
 * @typedef {object} Block a window that is drawn somewhere
 * @property {string} id of what it is the window of, as its svg names it
 * @property {WindowFacts} window
 * @property {string} look
 * @property {SVGElement} group that it is drawn in
 * @property {string} address of the layer; '' of a sheaf's own block
 * @property {string} sheaf whose window it is; '' of a layer's own
 * @property {() => void} open
 */

/** The window of a lane: its layer's own, or that of the sheaf that it is in. @param {SVGElement} svg @returns {Block | null} */
function ofLane(svg) {
  const lane = store.facts.lanes.find((item) => item.id === svg.dataset.lane);
  const group = maybe("g.window", svg, SVGGElement);
  if (!lane || !group) return null;
  const open = () => { if (!lane.chosen) maybe(`#lane-${CSS.escape(lane.id)} a.lane-name`)?.click(); };
  return { id: lane.id, window: lane.window, look: `hatch ${lane.family}`, group, address: lane.address, sheaf: lane.sheaf, open };
}

/** @param {string | undefined} id @returns {Block | null} */
function ofSheaf(id) {
  const sheaf = store.facts.sheaves.find((item) => item.id === id);
  const group = maybe(`#sheaves svg[data-sheaf-block="${id}"] g.window`, document, SVGGElement);
  if (!sheaf || !group) return null;
  const open = () => maybe(`#sheaf-${CSS.escape(sheaf.id)} a.lane-name`)?.click();
  return { id: sheaf.label, window: sheaf.window, look: "", group, address: "", sheaf: sheaf.id, open };
}

/** The block that a grip is of. @param {SVGElement | null} grip */
function blockOf(grip) {
  const svg = grip?.closest("svg");
  return svg && (svg.dataset.sheafBlock ? ofSheaf(svg.dataset.sheafBlock) : ofLane(svg));
}

/** How high the picture is that a block is drawn in; 0 where it is not shown. @param {Strata} strata @param {Block} block */
const heightOf = (strata, { group }) => (group.ownerSVGElement ? strata.height(group.ownerSVGElement) : 0);

/** @param {Strata} strata @param {Block} block @param {WindowFacts} window */
function draw(strata, block, window, height = heightOf(strata, block)) {
  const { group, look, id: name } = block;
  const { first, last } = store.facts;
  const shows = [JSON.stringify(window), first, last, ...viewed(), strata.width, height, look, name];
  if (!height || !strata.redraw.differs(group, shows)) return;
  drawBlock(group, window, { x: (frame) => strata.x(frame), width: strata.width, height: height - 1, look, name });
}

/** All blocks in sight as they are stored. @param {Strata} strata */
export function drawWindows(strata) {
  const seen = strata.shown.filter((svg) => !strata.owed.has(svg));
  const blocks = [...seen.map(ofLane), ...store.facts.sheaves.map((sheaf) => ofSheaf(sheaf.id))].flatMap((block) => block ?? []);
  // all sizes before anything is drawn: reading between writes would lay the page out again each time
  const heights = blocks.map((block) => heightOf(strata, block));
  for (const [i, block] of blocks.entries()) draw(strata, block, block.window, heights[i]);
}

/**
 * A block that is moved takes the motion along in a sheaf, or with Alt goes alone; everything else is the window's own.
 * @param {Block} block
 * @param {WindowFacts} window as it would be
 * @param {string | undefined} what is moved
 * @param {number} by frames
 * @param {boolean} alone
 * @returns {Edit[]}
 */
function editsOf({ address, sheaf }, window, what, by, alone) {
  if (!sheaf) return [{ do: "change-layer", address, ...window }];
  if (what === "window") return [{ do: "move-sheaf", sheaf, by: Math.round(by), alone }];
  return [{ do: "change-sheaf", sheaf, ...window }];
}

/**
 * @param {HTMLElement} root
 * @param {Strata} strata
 */
export function listenToWindows(root, strata) {
  root.addEventListener("pointerdown", (event) => {
    const grip = over(event, "[data-grip]", SVGElement);
    const block = blockOf(grip);
    if (!grip || !block || event.button) return;
    const what = grip.dataset.grip;
    const change = new Change();
    const { perPixel } = strata;
    follow(event, {
      move: (dx, _, at) => {
        const by = snappedBy(dx * perPixel, standsOn(block.window, what), strata.width);
        const window = movedWindow(block.window, what, by);
        draw(strata, block, window);
        change.to(editsOf(block, window, what, by, at.altKey));
      },
      done: (didMove) => (didMove ? change.land() : block.open()),
      gaveUp: async () => { await change.giveUp(); drawWindows(strata); },
    });
  });

  root.addEventListener("keydown", async (event) => {
    const grip = over(event, "[data-grip][tabindex]", SVGElement);
    const block = blockOf(grip);
    if (!grip || !block || !["ArrowLeft", "ArrowRight"].includes(event.key)) return;
    event.preventDefault();
    const by = (event.key === "ArrowRight" ? 1 : -1) * (event.shiftKey ? 10 : 1);
    const what = grip.dataset.grip;
    const change = new Change();
    change.to(editsOf(block, movedWindow(block.window, what, by), what, by, event.altKey));
    await change.land();
    const next = block.group.querySelector(`[data-grip="${what}"]`);
    if (next instanceof SVGElement) next.focus();
  });
}
