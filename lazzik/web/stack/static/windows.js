// A layer's window on its lane: a block that is moved, trimmed at its edges and faded at its corners.

import { Change, follow } from "lazzik/studio/drags.js";
import { facts } from "lazzik/studio/session.js";
import { make } from "./strata.js";

const GRIP = 7;

export function drawWindows(strata) {
  for (const lane of facts.lanes) {
    const group = document.querySelector(`#lanes svg[data-lane="${lane.id}"] g.window`);
    if (group && strata.heights.has(group.ownerSVGElement)) draw(strata, lane, group, lane.window);
  }
}

function draw(strata, lane, group, window) {
  const height = strata.height(group.ownerSVGElement) - 1;
  const start = window.start ?? facts.first;
  const end = window.end ?? facts.last;
  const x = (frame) => strata.x(frame);
  const [a, b, c, d] = [x(start), x(start + (window.start === null ? 0 : window.fade_in)), x(end - (window.end === null ? 0 : window.fade_out)), x(end)];
  const grip = (cls, at, what, value) => {
    const shared = { class: cls, tabindex: 0, role: "slider", "aria-label": `${what} of ${lane.id}`, "aria-valuenow": value, "data-grip": what };
    return cls === "edge"
      ? make("rect", { ...shared, x: Math.min(Math.max(at - GRIP / 2, 0), strata.width - GRIP), y: 9, width: GRIP, height: height - 9 })
      : make("rect", { ...shared, x: Math.min(Math.max(at - GRIP / 2, 0), strata.width - GRIP), y: 0.5, width: GRIP, height: GRIP });
  };
  const block = make("path", { class: `block hatch ${lane.family}`, d: `M${a} ${height}L${Math.min(b, c > b ? b : (b + c) / 2)} 1L${Math.max(c, c > b ? c : (b + c) / 2)} 1L${d} ${height}Z`, "data-grip": "window" });
  group.replaceChildren(block, grip("edge", a, "start", start), grip("edge", d, "end", end), grip("corner", b, "fade in", window.fade_in), grip("corner", c, "fade out", window.fade_out));
}

// the window after a grip was moved by so many frames; lengths stay inside the window and on whole frames
function moved(window, what, by) {
  const out = { ...window };
  const start = window.start ?? facts.first;
  const end = window.end ?? facts.last;
  const within = (value, low, high) => Math.min(Math.max(Math.round(value), low), high);
  if (what === "window") [out.start, out.end] = [start + Math.round(by), end + Math.round(by)];
  if (what === "start") { out.start = within(start + by, -1e6, end); out.fade_in = Math.min(window.fade_in, end - out.start); }
  if (what === "end") { out.end = within(end + by, start, 1e6); out.fade_out = Math.min(window.fade_out, out.end - start); }
  if (what === "fade in") [out.start, out.fade_in] = [start, within(window.fade_in + by, 0, end - start)];
  if (what === "fade out") [out.end, out.fade_out] = [end, within(window.fade_out - by, 0, end - start)];
  return out;
}

export function listenToWindows(root, strata) {
  const laneOf = (grip) => facts.lanes.find((lane) => lane.id === grip.closest("svg").dataset.lane);
  const edit = (lane, window) => [{ do: "change-layer", address: lane.address, ...window }];

  root.addEventListener("pointerdown", (event) => {
    const grip = event.target.closest("[data-grip]");
    if (!grip || event.button) return;
    const lane = laneOf(grip);
    const group = grip.parentElement;
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
        else if (!lane.chosen) document.querySelector(`#lane-${CSS.escape(lane.id)} a.lane-name`)?.click();
      },
      gaveUp: async () => { await change.giveUp(); drawWindows(strata); },
    });
  });

  root.addEventListener("keydown", async (event) => {
    const grip = event.target.closest?.("[data-grip][tabindex]");
    if (!grip || !["ArrowLeft", "ArrowRight"].includes(event.key)) return;
    event.preventDefault();
    const lane = laneOf(grip);
    const by = (event.key === "ArrowRight" ? 1 : -1) * (event.shiftKey ? 10 : 1);
    const what = grip.dataset.grip;
    const change = new Change();
    change.to(edit(lane, moved(lane.window, what, by)));
    await change.land();
    document.querySelector(`#lanes svg[data-lane="${lane.id}"] [data-grip="${what}"]`)?.focus();
  });
}
