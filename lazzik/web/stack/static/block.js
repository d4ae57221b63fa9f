// A window drawn as a block over the time axis, with grips at its edges and at the ends of its fades.

import { shape } from "lazzik/lib/dom.js";
import { clamp } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";

/** @import { WindowFacts } from "lazzik/lib/types.d.ts" */

const GRIP = 7; // pixels across

/** Where it begins and ends, an open end at the end of the range. @param {WindowFacts} window */
const endsOf = ({ start, end }) => ({ start: start ?? store.facts.first, end: end ?? store.facts.last });

/**
 * Draw a block into a group.
 * @param {SVGElement} group
 * @param {WindowFacts} window
 * @param {{ x: (frame: number) => number, width: number, height: number, look: string, name: string }} how
 */
export function drawBlock(group, window, { x, width, height, look, name }) {
  const { start, end } = endsOf(window);
  const [a, d] = [x(start), x(end)];
  const b = x(start + (window.start === null ? 0 : window.fade_in));
  const c = x(end - (window.end === null ? 0 : window.fade_out));
  const low = Math.min(9, height / 3);
  /** @type {(kind: string, at: number, what: string, value: number) => SVGElement} */
  const grip = (kind, at, what, value) => shape("rect", {
    class: kind, tabindex: 0, role: "slider", "aria-label": `${what} of ${name}`, "aria-valuenow": value, "data-grip": what,
    x: clamp(at - GRIP / 2, 0, width - GRIP), width: GRIP, y: kind === "edge" ? low : 0.5, height: kind === "edge" ? height - low : GRIP,
  });
  const middle = (b + c) / 2;
  const top = `L${Math.min(b, c > b ? b : middle)} 1L${Math.max(c, c > b ? c : middle)} 1`;
  group.replaceChildren(
    shape("path", { class: `block ${look}`, d: `M${a} ${height}${top}L${d} ${height}Z`, "data-grip": "window" }),
    grip("edge", a, "start", start), grip("edge", d, "end", end),
    grip("corner", b, "fade in", window.fade_in), grip("corner", c, "fade out", window.fade_out),
  );
}

/**
 * The frames that a grip moves.
 * @param {WindowFacts} window
 * @param {string | undefined} what
 */
export function standsOn(window, what) {
  const { start, end } = endsOf(window);
  const frames = { window: [start, end], start: [start], end: [end], "fade in": [start + window.fade_in], "fade out": [end - window.fade_out] };
  return frames[/** @type {keyof typeof frames} */ (what)] ?? [];
}

/**
 * The window after a grip was moved by so many frames; lengths stay inside the window and on whole frames.
 * @param {WindowFacts} window
 * @param {string | undefined} what
 * @param {number} by
 * @returns {WindowFacts}
 */
export function movedWindow(window, what, by) {
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
