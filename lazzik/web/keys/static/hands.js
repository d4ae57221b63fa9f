// Hands on the beads: chosen by press, Shift or box, dragged in frame and value, their slopes turned, drawn apart.

import { maybe, over, put, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { near } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { Change } from "lazzik/studio/change.js";
import { snappedBy } from "lazzik/timeline/timeaxis.js";
import { boundsOf, drawBeads } from "./beads.js";
import { carried, chooseKeys, chosenKeys, commitKeys, editsOn, isChosen, pairsOf, putKey, removeKeys, trackOf, tracks } from "./chosen.js";

/** @import { MoveKeys, ScaleKeys, ShapeKeys, TrackFacts } from "lazzik/lib/types.d.ts" */
/** @import { Strata } from "lazzik/stack/strata.js" */
/** @import { Side } from "./beads.js" */
/** @import { Pair } from "./chosen.js" */

const LEAST = 0.01; // times as long as before, drawn together
const TURNED = -20; // times as high as before, drawn through itself
const STEP = 0.05; // times longer for an arrow key
const TURN = 0.1; // steps of the number per frame, for an arrow key

/** @type {Record<string, [frames: number, steps: number]>} */
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** The key that a bead or a slope is of. @param {SVGElement} item @returns {Pair | undefined} */
function pairOf(item) {
  const track = trackOf(item.dataset.channel ?? "");
  const key = track?.keys.find((each) => near(each.frame, Number(item.dataset.frame)));
  return track && key ? { track, key } : undefined;
}

/** @param {Pair} pair @param {boolean} more beside those that are chosen */
function toggle(pair, more) {
  const picked = chosenKeys();
  const others = picked.filter((each) => each.key !== pair.key);
  return chooseKeys(!more ? [pair] : others.length < picked.length ? others : [...picked, pair]);
}

/** @param {string | undefined} side */
const isAlong = (side) => side === "left" || side === "right";

export class Hands {
  /** @param {HTMLElement} root @param {Strata} strata */
  constructor(root, strata) {
    this.strata = strata;
    root.addEventListener("pointerdown", (event) => this.press(event));
    root.addEventListener("dblclick", (event) => {
      const svg = over(event, "svg[data-lane=base]", SVGElement);
      if (svg && !over(event, ".bead", SVGElement)) putKey(Math.round(strata.frameAt(event.clientX - svg.getBoundingClientRect().left)));
    });
    root.addEventListener("keydown", (event) => this.type(event));
  }

  /** @param {PointerEvent} event */
  press(event) {
    if (event.button) return;
    const [slope, side, bead] = [".slope", ".side", ".bead"].map((kind) => over(event, kind, SVGElement));
    const svg = over(event, "svg[data-lane=base]", SVGElement);
    if (slope) this.dragSlope(event, slope);
    else if (side) this.dragSide(event, side.dataset.side);
    else if (bead) this.dragBeads(event, bead);
    else if (svg) this.dragBox(event, svg);
  }

  /** @param {TrackFacts} track */
  scale(track) {
    const scale = this.strata.baseScales.get(track.channel);
    if (!scale) throw new Error(`${track.channel} is not drawn`);
    return scale;
  }

  // nothing came of a drag
  /** @param {Change} change */
  async giveUp(change) {
    await change.giveUp();
    drawBeads(this.strata);
  }

  /** @param {PointerEvent} event @param {SVGElement} bead */
  dragBeads(event, bead) {
    const { strata } = this;
    const pair = pairOf(bead);
    if (!pair) return;
    const among = isChosen(pair.track, pair.key) && !event.shiftKey; // a press that does not become a drag chooses it alone
    if (!among) toggle(pair, event.shiftKey);
    const change = new Change();
    let by = 0;
    let pixels = 0;
    const rise = (/** @type {TrackFacts} */ track) => Number((-pixels * this.scale(track).perPixel).toFixed(6));
    follow(event, {
      move: (dx, dy, now) => {
        // the stronger direction alone while Shift is held
        const [h, v] = now.shiftKey ? (Math.abs(dx) > Math.abs(dy) ? [dx, 0] : [0, dy]) : [dx, dy];
        by = now.altKey ? h * strata.perPixel : snappedBy(h * strata.perPixel, [pair.key.frame], strata.width);
        pixels = v;
        change.to(editsOn((track) => ({ do: /** @type {MoveKeys["do"]} */ ("move-keys"), by, rise: rise(track) })));
        drawBeads(strata, (track, key) => [key.frame + by, key.value + rise(track)]);
      },
      done: (dragged) => {
        if (dragged) carried(() => change.land(), (frame) => frame + by);
        else if (among) toggle(pair, false);
      },
      gaveUp: () => this.giveUp(change),
    });
  }

  /** @param {PointerEvent} event @param {SVGElement} grip */
  dragSlope(event, grip) {
    const { strata } = this;
    const pair = pairOf(grip);
    const svg = grip.ownerSVGElement?.getBoundingClientRect();
    if (!pair || !svg) return;
    const { track: { channel }, key } = pair;
    const scale = this.scale(pair.track);
    const [cx, cy] = [svg.left + strata.x(key.frame), svg.top + scale.y(key.value)];
    const side = /** @type {Side} */ (grip.dataset.side);
    const sign = side === "in" ? -1 : 1;
    const joined = near(...key.settled);
    const change = new Change();
    follow(event, {
      move: (_dx, _dy, now) => {
        const across = Math.max(2, sign * (now.clientX - cx));
        const rise = -(now.clientY - cy) * sign * scale.perPixel * store.facts.fps;
        const slope = Number((rise / (across * strata.perPixel)).toPrecision(6));
        /** @type {Side[]} */
        const sides = joined && !now.altKey ? ["in", "out"] : [side];
        change.to([{ do: "shape-keys", address: channel, frames: [key.frame], slope, side: sides.length > 1 ? "both" : side }]);
        drawBeads(strata, null, { frame: key.frame, channel, slope, sides });
      },
      done: (moved) => moved && carried(() => change.land(), (frame) => frame),
      gaveUp: () => this.giveUp(change),
    });
  }

  /**
   * The chosen keys drawn apart from one side, as an edit for each number.
   * @param {string | undefined} side
   * @param {number} times
   * @param {number | null} about a frame in place of the other side
   */
  scaling(side, times, about = null) {
    const { left, right, top, bottom } = boundsOf(this.strata, chosenKeys());
    const along = isAlong(side);
    const frame = about ?? this.strata.frameAt(side === "left" ? right : left);
    const pixel = side === "top" ? bottom : top;
    const level = (/** @type {TrackFacts} */ track) => this.scale(track).value(pixel);
    const [stretch, height] = [along ? times : 1, along ? 1 : times];
    return {
      edits: () => editsOn((track) => ({ do: /** @type {ScaleKeys["do"]} */ ("scale-keys"), frame, value: level(track), stretch, height })),
      landing: (/** @type {number} */ at) => frame + (at - frame) * stretch,
      level: (/** @type {TrackFacts} */ track, /** @type {number} */ value) => level(track) + (value - level(track)) * height,
    };
  }

  /** @param {PointerEvent} event @param {string | undefined} side */
  dragSide(event, side) {
    const { left, right, top, bottom } = boundsOf(this.strata, chosenKeys());
    const reach = { left: left - right, right: right - left, top: top - bottom, bottom: bottom - top }[side ?? ""] ?? 1;
    const change = new Change();
    let last = this.scaling(side, 1);
    follow(event, {
      move: (dx, dy, now) => {
        const along = isAlong(side);
        const times = Math.max(along ? LEAST : TURNED, (reach + (along ? dx : dy)) / reach);
        last = this.scaling(side, times, now.altKey && along ? store.frame : null);
        change.to(last.edits());
        drawBeads(this.strata, (track, key) => [last.landing(key.frame), last.level(track, key.value)]);
      },
      done: (moved) => moved && carried(() => change.land(), last.landing),
      gaveUp: () => this.giveUp(change),
    });
  }

  // a drag over the empty ground chooses what lies in the box; Shift adds to the choice
  /** @param {PointerEvent} event @param {SVGElement} svg */
  dragBox(event, svg) {
    const box = svg.getBoundingClientRect();
    const before = event.shiftKey ? chosenKeys() : [];
    const from = [event.clientX - box.left, event.clientY - box.top];
    const rect = shape("rect", { class: "box" });
    let inside = before;
    follow(event, {
      move: (dx, dy) => {
        const [x, y, width, height] = [from[0] + Math.min(0, dx), from[1] + Math.min(0, dy), Math.abs(dx), Math.abs(dy)];
        put(rect, { x, y, width, height });
        if (!rect.parentNode) svg.append(rect);
        const within = tracks().flatMap(pairsOf).filter(({ track, key }) => {
          const [cx, cy] = [this.strata.x(key.frame), this.scale(track).y(key.value)];
          return cx >= x && cx <= x + width && cy >= y && cy <= y + height;
        });
        inside = [...before, ...within.filter(({ key }) => !before.some((each) => each.key === key))];
      },
      done: (moved) => { rect.remove(); if (moved || !event.shiftKey) chooseKeys(moved ? inside : []); },
      gaveUp: () => rect.remove(),
    });
  }

  /** @param {KeyboardEvent} event */
  async type(event) {
    const by = ARROWS[event.key]?.map((step) => step * (event.shiftKey ? 10 : 1));
    const [slope, side, bead] = [".slope", ".side", ".bead"].map((kind) => over(event, kind, SVGElement));
    if (side && by) {
      event.preventDefault();
      const { edits, landing } = this.scaling(side.dataset.side, 1 + STEP * (by[0] || by[1]));
      await commitKeys(edits(), landing);
      return maybe(`.side.${side.dataset.side}`, document, SVGElement)?.focus();
    }
    const grip = slope ?? bead;
    const pair = grip && pairOf(grip);
    if (!pair) return;
    if (slope && by) await this.turn(event, slope, pair, by);
    else if (bead) await this.typeOnBead(event, pair, by);
  }

  /** @param {KeyboardEvent} event @param {SVGElement} grip @param {Pair} pair @param {number[]} by */
  async turn(event, grip, { track, key }, by) {
    event.preventDefault();
    const side = /** @type {Side} */ (grip.dataset.side);
    const slope = key.settled[side === "in" ? 0 : 1] + (by[1] || by[0]) * track.step * store.facts.fps * TURN;
    const both = near(...key.settled) && !event.altKey;
    /** @type {ShapeKeys} */
    const edit = { do: "shape-keys", address: track.channel, frames: [key.frame], slope, side: both ? "both" : side };
    await commitKeys([edit]);
    maybe(`.slope[data-side=${side}][data-channel="${track.channel}"][data-frame="${key.frame}"]`, document, SVGElement)?.focus();
  }

  /** @param {KeyboardEvent} event @param {Pair} pair @param {number[] | undefined} by */
  async typeOnBead(event, pair, by) {
    const { track, key } = pair;
    const chosen = isChosen(track, key);
    if (event.key === "Enter" || event.key === " ") { event.preventDefault(); return toggle(pair, event.shiftKey); }
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      if (!chosen) toggle(pair, false);
      return removeKeys();
    }
    if (!by) return;
    event.preventDefault();
    if (!chosen) toggle(pair, false);
    const [frames, steps] = by;
    await commitKeys(editsOn((each) => ({ do: /** @type {MoveKeys["do"]} */ ("move-keys"), by: frames, rise: steps * each.step })), (frame) => frame + frames);
    maybe(`.bead[data-channel="${track.channel}"][data-frame="${key.frame + frames}"]`, document, SVGElement)?.focus();
  }
}
