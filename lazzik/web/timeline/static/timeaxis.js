// The one time axis that ruler, lanes and playhead share: which frames are in view.

import { clamp, wheeled } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";

const LEAST = 4; // frames that can still be told apart
const SNAP = 6; // pixels from a mark at which a drag ends on it

/** @type {[from: number, to: number] | null} in frames; null is the whole range */
let view = null;
/** @type {(() => void)[]} */
const listeners = [];

/** Called when other frames are in view. @param {() => void} act */
export const onView = (act) => listeners.push(act);

/** @returns {[from: number, to: number]} */
export const viewed = () => view ?? [store.facts.first, store.facts.last];
export const span = () => { const [from, to] = viewed(); return to - from; };
export const zoomed = () => view !== null;

/** Pixels from the left of a frame. @param {number} frame @param {number} width */
export const toX = (frame, width) => ((frame - viewed()[0]) / span()) * width;

/** The frame at so many pixels from the left. @param {number} x @param {number} width */
export const toFrame = (x, width) => viewed()[0] + (x / width) * span();

/**
 * The frame of the mark that a frame lies beside; null if it lies beside none.
 * @param {number} frame
 * @param {number} width of the time axis in pixels
 */
function markBeside(frame, width) {
  const away = (/** @type {{ frame: number }} */ mark) => Math.abs(mark.frame - frame);
  const beside = store.facts.marks.filter((mark) => away(mark) <= (SNAP / width) * span());
  return beside.sort((a, b) => away(a) - away(b))[0]?.frame ?? null;
}

/**
 * The whole frame where something is let go: that of a mark beside it, if there is one.
 * @param {number} frame
 * @param {number} width of the time axis in pixels
 */
export const snapped = (frame, width) => markBeside(frame, width) ?? Math.round(frame);

/**
 * By how many frames something is moved that stands on some: whole ones, or what brings one of them onto a mark.
 * @param {number} by
 * @param {number[]} frames
 * @param {number} width of the time axis in pixels
 */
export function snappedBy(by, frames, width) {
  for (const frame of frames) {
    const mark = markBeside(frame + by, width);
    if (mark !== null) return mark - frame;
  }
  return Math.round(by);
}

/** Bring frames into view. @param {number} from @param {number} to */
export function show(from, to) {
  const { first, last } = store.facts;
  const whole = last - first;
  const length = Math.min(Math.max(to - from, LEAST), whole);
  const start = clamp(from, first, last - length);
  view = length >= whole - 1e-9 ? null : [start, start + length];
  for (const act of listeners) act();
}

export const wholeRange = () => show(store.facts.first, store.facts.last);

/** @param {number} factor below 1 is closer @param {number} about the frame that stays where it is */
export const zoom = (factor, about) => {
  const [from, to] = viewed();
  show(about - (about - from) * factor, about + (to - about) * factor);
};

/** @param {number} frames */
export const pan = (frames) => { const [from, to] = viewed(); show(from + frames, to + frames); };

/**
 * The wheel over anything that shows time: with Ctrl it zooms about the pointer, with Shift it moves along.
 * @param {HTMLElement} element
 * @param {() => number} left of the time axis on the page
 * @param {() => number} width
 * @param {boolean} plain whether it zooms without Ctrl too
 */
export function wheelsTime(element, left, width, plain = false) {
  element.addEventListener("wheel", (event) => {
    const along = event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY);
    if (!plain && !event.ctrlKey && !along) return;
    event.preventDefault();
    const by = event.deltaY || event.deltaX;
    if (along && !event.ctrlKey) return pan((by / width()) * span());
    zoom(wheeled(by), toFrame(event.clientX - left(), width()));
  }, { passive: false });
}
