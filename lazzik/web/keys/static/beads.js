// Keys drawn as beads on the base's curve; of a few chosen ones also their slopes, around several a frame.

import { maybe, shape } from "lazzik/lib/dom.js";
import { near, tidy } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { chosenKeys, deskOpen, isChosen, tracks } from "./chosen.js";

/** @import { KeyFacts, TrackFacts } from "lazzik/lib/types.d.ts" */
/** @import { Scale, Strata } from "lazzik/stack/strata.js" */
/** @import { Pair } from "./chosen.js" */

/** @typedef {"in" | "out"} Side of a key */
/** @typedef {(track: TrackFacts, key: KeyFacts) => [frame: number, value: number]} Moved where a chosen key is during a drag */
/** @typedef {{ channel: string, frame: number, slope: number, sides: Side[] }} Sloped one key's slope during its own drag */

const CROWDED = 90; // keys from which they are drawn small
const SLOPED = 6; // chosen keys up to which the handles of their slopes are shown
const REACH = 34; // pixels from a bead to the handle of its slope
const BEYOND = 40; // pixels beyond the lane in which beads are still drawn

/** @type {[side: Side, sign: number][]} */
const SIDES = [["in", -1], ["out", 1]];

/**
 * @param {Strata} strata
 * @param {Moved | null} moved
 * @param {Sloped | null} sloped
 */
export function drawBeads(strata, moved = null, sloped = null) {
  const group = maybe("#lanes svg[data-lane=base] g.beads", document, SVGGElement);
  if (!group?.ownerSVGElement) return;
  const height = strata.height(group.ownerSVGElement);
  const picked = chosenKeys();
  const slopes = !moved && picked.length <= SLOPED && deskOpen();
  const items = [];
  for (const track of tracks()) {
    const scale = strata.baseScales.get(track.channel);
    if (!scale) continue;
    for (const key of track.keys) {
      const on = isChosen(track, key);
      const [frame, value] = moved && on ? moved(track, key) : [key.frame, key.value];
      const [x, y] = [strata.x(frame), scale.y(value)];
      if (x < -BEYOND || x > strata.width + BEYOND) continue;
      if (on && slopes && key.go !== "step") items.push(...slopesOf(strata, scale, { track, key }, [x, y], sloped));
      items.push(beadOf({ track, key }, [x, y], on, height));
    }
  }
  if (!moved && deskOpen() && picked.length > 1) items.unshift(...frameOf(strata, picked));
  group.replaceChildren(...items);
}

/**
 * @param {Pair} pair
 * @param {[number, number]} place
 * @param {boolean} on
 * @param {number} height
 */
function beadOf({ track, key }, [cx, cy], on, height) {
  const small = track.keys.length > CROWDED;
  const whose = tracks().length > 1 ? `, ${track.title}` : "";
  const bead = shape("g", {
    class: `bead${on ? " chosen" : ""}`, tabindex: small && !on ? -1 : 0, role: "button", "aria-pressed": on,
    "aria-label": `Key at frame ${key.frame}, ${tidy(key.value)} ${track.unit}${whose}`, "data-frame": key.frame, "data-channel": track.channel,
  });
  if (!small) bead.append(shape("line", { class: "stem", x1: cx, x2: cx, y1: cy, y2: height }));
  bead.append(shape("circle", { cx, cy, r: small ? 2.6 : 4.5 }));
  return bead;
}

/**
 * @param {Strata} strata
 * @param {Scale} scale
 * @param {Pair} pair
 * @param {[number, number]} place
 * @param {Sloped | null} sloped
 */
function slopesOf(strata, scale, { track, key }, [cx, cy], sloped) {
  const own = sloped && near(sloped.frame, key.frame) && sloped.channel === track.channel ? sloped : null;
  return SIDES.flatMap(([side, sign], i) => {
    const slope = own?.sides.includes(side) ? own.slope : key.settled[i];
    const [dx, dy] = toward(strata, scale, slope, sign);
    return [
      shape("line", { class: "arm", x1: cx, y1: cy, x2: cx + dx, y2: cy + dy }),
      shape("g", {
        class: "slope", tabindex: 0, role: "slider", "aria-label": `Slope ${side} at frame ${key.frame}`,
        "aria-valuenow": Number(slope.toFixed(4)), "data-frame": key.frame, "data-channel": track.channel, "data-side": side,
      }, shape("rect", { x: cx + dx - 3.5, y: cy + dy - 3.5, width: 7, height: 7 })),
    ];
  });
}

/**
 * Pixels from a bead toward the handle of a slope.
 * @param {Strata} strata
 * @param {Scale} scale
 * @param {number} slope
 * @param {number} sign
 */
function toward(strata, scale, slope, sign) {
  const [dx, dy] = [store.facts.fps / strata.perPixel, -slope / scale.perPixel];
  const length = Math.hypot(dx, dy);
  return [(sign * dx * REACH) / length, (sign * dy * REACH) / length];
}

/**
 * Where chosen keys lie, in pixels.
 * @param {Strata} strata
 * @param {Pair[]} picked
 */
export function boundsOf(strata, picked) {
  const xs = picked.map(({ key }) => strata.x(key.frame));
  const ys = picked.map(({ track, key }) => strata.baseScales.get(track.channel)?.y(key.value) ?? 0);
  return { left: Math.min(...xs), right: Math.max(...xs), top: Math.min(...ys), bottom: Math.max(...ys) };
}

/**
 * The frame around several chosen keys: its sides are dragged to draw them apart or together.
 * @param {Strata} strata
 * @param {Pair[]} picked
 */
function frameOf(strata, picked) {
  const { left, right, top, bottom } = boundsOf(strata, picked);
  const [x, y, width, height] = [left - 9, top - 9, right - left + 18, bottom - top + 18];
  /** @type {(name: string, label: string, box: Record<string, number>) => SVGElement} */
  const side = (name, label, box) => shape("g", {
    class: `side ${name}`, "data-side": name, role: "slider", tabindex: 0, "aria-label": label, "aria-valuenow": 1,
  }, shape("rect", box));
  return [
    shape("rect", { class: "around", x, y, width, height }),
    ...(right - left > 1 ? [
      side("left", "Draw the chosen keys out to the left", { x: x - 4, y, width: 8, height }),
      side("right", "Draw the chosen keys out to the right", { x: x + width - 4, y, width: 8, height }),
    ] : []),
    ...(bottom - top > 1 ? [
      side("top", "Make the chosen keys higher", { x, y: y - 4, width, height: 8 }),
      side("bottom", "Make the chosen keys lower", { x, y: y + height - 4, width, height: 8 }),
    ] : []),
  ];
}
