// Compared curves looked at closely: with Ctrl the wheel zooms in time about the pointer, a drag moves along, a double
// click shows all of it again.

import { over, untilReleased } from "lazzik/lib/dom.js";
import { clamp, wheeled } from "lazzik/lib/numbers.js";

const CLOSEST = 400; // times
/** @type {Record<string, [times: number, along: number]>} */
const KEYS = { "+": [0.7, 0], "=": [0.7, 0], "-": [1 / 0.7, 0], ArrowLeft: [1, -0.2], ArrowRight: [1, 0.2] };

/** @param {Event} event */
const curveOf = (event) => over(event, ".compared svg", SVGSVGElement);

/** @param {string | null | undefined} box */
const numbers = (box) => (box ?? "0 0 1 1").split(" ").map(Number);

/** All of it. @param {SVGSVGElement} svg */
const whole = (svg) => numbers(svg.dataset.whole ??= svg.getAttribute("viewBox") ?? undefined);

/** What is seen of it. @param {SVGSVGElement} svg */
const view = (svg) => numbers(svg.getAttribute("viewBox"));

/**
 * @param {SVGSVGElement} svg
 * @param {number} from
 * @param {number} width
 */
function look(svg, from, width) {
  const [, top, all, height] = whole(svg);
  const shown = clamp(width, all / CLOSEST, all);
  svg.setAttribute("viewBox", `${clamp(from, 0, all - shown)} ${top} ${shown} ${height}`);
}

/** Begin to listen. */
export function listenToCurves() {
  document.addEventListener("wheel", (event) => {
    const svg = curveOf(event);
    if (!svg || !event.ctrlKey) return;
    event.preventDefault();
    const [from, , width] = view(svg);
    const box = svg.getBoundingClientRect();
    const next = width * wheeled(event.deltaY);
    look(svg, from + ((event.clientX - box.left) / box.width) * (width - next), next);
  }, { passive: false });
  document.addEventListener("pointerdown", (event) => {
    const svg = curveOf(event);
    if (!svg || event.button) return;
    const [from, , width] = view(svg);
    untilReleased((next) => look(svg, from - ((next.clientX - event.clientX) / svg.clientWidth) * width, width));
  });
  document.addEventListener("dblclick", (event) => {
    const svg = curveOf(event);
    if (svg) look(svg, 0, whole(svg)[2]);
  });
  document.addEventListener("keydown", (event) => {
    const svg = curveOf(event);
    const by = KEYS[event.key];
    if (!svg || !by) return;
    event.preventDefault();
    const [from, , width] = view(svg);
    look(svg, from + (width * (1 - by[0])) / 2 + width * by[1], width * by[0]);
  });
}
