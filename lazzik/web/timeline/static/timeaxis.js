// The one time axis that ruler, lanes and playhead share: which frames are in view.

import { facts } from "lazzik/studio/session.js";

const LEAST = 4; // frames that can still be told apart
let view = null; // [from, to] in frames; null is the whole range
const listeners = [];
export const onView = (act) => listeners.push(act);

export const viewed = () => view ?? [facts.first, facts.last];
export const span = () => { const [from, to] = viewed(); return to - from; };
export const zoomed = () => view !== null;
export const toX = (frame, width) => ((frame - viewed()[0]) / span()) * width;
export const toFrame = (x, width) => viewed()[0] + (x / width) * span();

function set(from, to) {
  const whole = facts.last - facts.first;
  const length = Math.min(Math.max(to - from, LEAST), whole);
  const start = Math.min(Math.max(from, facts.first), facts.last - length);
  view = length >= whole - 1e-9 ? null : [start, start + length];
  for (const act of listeners) act();
}

export const wholeRange = () => set(facts.first, facts.last);
export const zoom = (factor, about) => {
  const [from, to] = viewed();
  set(about - (about - from) * factor, about + (to - about) * factor);
};
export const pan = (frames) => { const [from, to] = viewed(); set(from + frames, to + frames); };

// the wheel over anything that shows time: with Ctrl it zooms about the pointer, with Shift it moves along
export function wheelsTime(element, left, width, plain = false) {
  element.addEventListener("wheel", (event) => {
    const along = event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY);
    if (!plain && !event.ctrlKey && !along) return;
    event.preventDefault();
    const by = event.deltaY || event.deltaX;
    if (along && !event.ctrlKey) return pan((by / width()) * span());
    zoom(1.0015 ** by, toFrame(event.clientX - left(), width()));
  }, { passive: false });
}
