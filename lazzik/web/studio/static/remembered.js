// What a scene was left with, to be found again in this browser: number and choice, playhead and view of time.

import { store } from "lazzik/lib/store.js";
import { show, viewed, zoomed } from "lazzik/timeline/timeaxis.js";

const LONG = 60 * 60 * 24 * 365; // seconds
const MOST = 12; // numbers beside the shown one that are remembered

const place = () => `lazzik-time-${store.scene}`;

// the number goes with every request for the page, so that the server draws it at once
function keepChoice() {
  const { at, also } = store.facts;
  if (!at) return;
  const shown = new URLSearchParams({ at });
  for (const other of also.slice(0, MOST)) shown.append("also", other);
  document.cookie = `shown=${encodeURIComponent(shown.toString())}; path=${store.url}; max-age=${LONG}; samesite=strict`;
}

function keepTime() {
  const view = zoomed() ? viewed() : null;
  sessionStorage.setItem(place(), JSON.stringify({ frame: store.frame, view }));
}

/** Begin to remember. */
export function remember() {
  store.subscribe("facts", keepChoice);
  window.addEventListener("pagehide", keepTime);
  keepChoice();
}

/** The frame that the scene was left at, its view of time shown again; the first one of a scene that is new here. */
export function recalledFrame() {
  const { frame = store.facts.first, view = null } = JSON.parse(sessionStorage.getItem(place()) ?? "{}");
  if (view) show(view[0], view[1]);
  return frame;
}
