// A layer's window on its lane: a block that is moved, trimmed at its edges and faded at its corners.

import { maybe, over, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { clamp } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { Change } from "lazzik/studio/change.js";

/** @import { ChangeLayer, LaneFacts, WindowFacts } from "lazzik/lib/types.d.ts" */
/** @import { Strata } from "./strata.js" */

const GRIP = 7;

/** @param {Strata} strata */
export function drawWindows(strata) {
  for (const lane of store.facts.lanes) {
    const group = maybe(`#lanes svg[data-lane="${lane.id}"] g.window`, document, SVGGElement);
    if (group?.ownerSVGElement && strata.heights.has(group.ownerSVGElement)) draw(strata, lane, group, lane.window);
  }
}

/** Where it begins and ends, an open end at the end of the range. @param {WindowFacts} window */
const endsOf = ({ start, end }) => ({ start: start ?? store.facts.first, end: end ?? store.facts.last });

/**
 * @param {Strata} strata
 * @param {LaneFacts} lane
 * @param {SVGElement} group
 * @param {WindowFacts} window
 */
function draw(strata, lane, group, window) {
  if (!group.ownerSVGElement) return;
  const height = strata.height(group.ownerSVGElement) - 1;
  const { start, end } = endsOf(window);
  const x = (/** @type {number} */ frame) => strata.x(frame);
  const [a, d] = [x(start), x(end)];
  const b = x(start + (window.start === null ? 0 : window.fade_in));
  const c = x(end - (window.end === null ? 0 : window.fade_out));
  /** @type {(kind: string, at: number, what: string, value: number) => SVGElement} */
  const grip = (kind, at, what, value) => shape("rect", {
    class: kind, tabindex: 0, role: "slider", "aria-label": `${what} of ${lane.id}`, "aria-valuenow": value, "data-grip": what,
    x: clamp(at - GRIP / 2, 0, strata.width - GRIP), width: GRIP, y: kind === "edge" ? 9 : 0.5, height: kind === "edge" ? height - 9 : GRIP,
  });
  const middle = (b + c) / 2;
  const top = `L${Math.min(b, c > b ? b : middle)} 1L${Math.max(c, c > b ? c : middle)} 1`;
  group.replaceChildren(
    shape("path", { class: `block hatch ${lane.family}`, d: `M${a} ${height}${top}L${d} ${height}Z`, "data-grip": "window" }),
    grip("edge", a, "start", start), grip("edge", d, "end", end),
    grip("corner", b, "fade in", window.fade_in), grip("corner", c, "fade out", window.fade_out),
  );
}

/**
 * The window after a grip was moved by so many frames; lengths stay inside the window and on whole frames.
 * @param {WindowFacts} window
 * @param {string | undefined} what
 * @param {number} by
 */
function moved(window, what, by) {
  const out = { ...window };
  const { start, end } = endsOf(window);
  const within = (/** @type {number} */ value, /** @type {number} */ low, /** @type {number} */ high) => clamp(Math.round(value), low, high);
  if (what === "window") [out.start, out.end] = [start + Math.round(by), end + Math.round(by)];
  if (what === "start") { out.start = within(start + by, -1e6, end); out.fade_in = Math.min(window.fade_in, end - out.start); }
  if (what === "end") { out.end = within(end + by, start, 1e6); out.fade_out = Math.min(window.fade_out, out.end - start); }
  if (what === "fade in") [out.start, out.fade_in] = [start, within(window.fade_in + by, 0, end - start)];
  if (what === "fade out") [out.end, out.fade_out] = [end, within(window.fade_out - by, 0, end - start)];
  return out;
}

/** @param {LaneFacts} lane @param {WindowFacts} window @returns {ChangeLayer[]} */
const edit = (lane, window) => [{ do: "change-layer", address: lane.address, ...window }];

/** @param {SVGElement} grip */
const laneOf = (grip) => store.facts.lanes.find((lane) => lane.id === grip.closest("svg")?.dataset.lane);

/**
 * @param {HTMLElement} root
 * @param {Strata} strata
 */
export function listenToWindows(root, strata) {
  root.addEventListener("pointerdown", (event) => {
    const grip = over(event, "[data-grip]", SVGElement);
    const lane = grip && laneOf(grip);
    const group = grip?.closest("g");
    if (!grip || !lane || !group || event.button) return;
    const what = grip.dataset.grip;
    const change = new Change();
    const { perPixel } = strata;
    follow(event, {
      move: (dx) => {
        const window = moved(lane.window, what, dx * perPixel);
        draw(strata, lane, group, window);
        change.to(edit(lane, window));
      },
      done: async (didMove) => {
        if (didMove) await change.land();
        else if (!lane.chosen) maybe(`#lane-${CSS.escape(lane.id)} a.lane-name`)?.click();
      },
      gaveUp: async () => { await change.giveUp(); drawWindows(strata); },
    });
  });

  root.addEventListener("keydown", async (event) => {
    const grip = over(event, "[data-grip][tabindex]", SVGElement);
    const lane = grip && laneOf(grip);
    if (!lane || !["ArrowLeft", "ArrowRight"].includes(event.key)) return;
    event.preventDefault();
    const by = (event.key === "ArrowRight" ? 1 : -1) * (event.shiftKey ? 10 : 1);
    const what = grip.dataset.grip;
    const change = new Change();
    change.to(edit(lane, moved(lane.window, what, by)));
    await change.land();
    maybe(`#lanes svg[data-lane="${lane.id}"] [data-grip="${what}"]`, document, SVGElement)?.focus();
  });
}
