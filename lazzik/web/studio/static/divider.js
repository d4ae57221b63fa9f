// The divider between stage and strata.

import { one, untilReleased } from "lazzik/lib/dom.js";
import { clamp } from "lazzik/lib/numbers.js";

const LEAST = 160; // pixels of either part
const STEP = 20; // pixels for an arrow key
const KEPT = "lazzik-strata";

/** @param {HTMLElement} work what it divides */
export function listenToDivider(work) {
  const divider = one("#divider");
  const set = (/** @type {number} */ height) => {
    const within = String(Math.round(clamp(height, LEAST, work.clientHeight - LEAST)));
    work.style.setProperty("--strata-height", `${within}px`);
    divider.setAttribute("aria-valuenow", within);
    localStorage.setItem(KEPT, within);
  };
  divider.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    untilReleased((next) => set(work.getBoundingClientRect().bottom - next.clientY));
  });
  divider.addEventListener("keydown", (event) => {
    const by = { ArrowUp: STEP, ArrowDown: -STEP }[event.key];
    if (by) { event.preventDefault(); set(Number(divider.getAttribute("aria-valuenow")) + by); }
  });
  const kept = localStorage.getItem(KEPT);
  if (kept) set(Number(kept));
}
