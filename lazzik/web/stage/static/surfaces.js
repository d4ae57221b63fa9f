// Surfaces that deformers move: their points come from the server, a few frames at a time, and are kept while they last.

import { packed } from "lazzik/lib/api.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";

/** @import { Points } from "./model.js" */

const MOST = 240 * 2 ** 20; // bytes of points kept
const AHEAD = 24; // frames asked for at once
const AGAIN = 1500; // milliseconds until what was refused is asked for again

/**
 * @typedef {object} Sent points as the server sends them
 * @property {string} node
 * @property {number} from
 * @property {number} frames
 * @property {boolean} still
 * @property {number} count
 * @property {Uint8Array} points
 * @property {Uint8Array} normals
 */

/**
 * @typedef {object} Kept
 * @property {boolean} still the same at every frame
 * @property {boolean} full there are more frames than are kept
 * @property {Map<number, Points>} frames
 */

/**
 * @typedef {object} Shown what draws the surfaces
 * @property {(id: string, points: Points) => unknown} setShape
 * @property {(id: string) => unknown} restShape
 */

/**
 * The points of each frame.
 * @param {Sent} content
 * @returns {Points[]}
 */
export function partsOf({ count, frames, points, normals }) {
  const [places, ways] = [new Float32Array(points.slice().buffer), new Int8Array(normals.slice().buffer)];
  return Array.from({ length: frames }, (_, i) => ({
    points: places.subarray(i * count * 3, (i + 1) * count * 3),
    normals: ways.subarray(i * count * 3, (i + 1) * count * 3),
  }));
}

export class Surfaces {
  /** @type {Map<string, Kept>} by object */
  kept = new Map();
  bytes = 0;
  running = false;
  paused = false; // nothing is asked for ahead while a drag waits for its previews

  /**
   * @param {Shown} stage
   * @param {Record<string, string>} state what is asked for beside the object and the frames, where it is not the head
   */
  constructor(stage, state = {}) {
    this.stage = stage;
    this.state = state;
    this.frame = store.facts.first;
  }

  pause() { this.paused = true; }

  resume() {
    this.paused = false;
    if (!this.running) this.fetch();
  }

  /**
   * Which objects have moving surfaces, and which of them have others than before.
   * @param {string[]} shaped
   * @param {string[]} reshaped
   */
  know(shaped, reshaped) {
    const now = new Set(shaped);
    for (const id of [...this.kept.keys()]) if (!now.has(id)) { this.kept.delete(id); this.stage.restShape(id); }
    for (const id of reshaped) this.kept.delete(id);
    for (const id of shaped) if (!this.kept.has(id)) this.kept.set(id, { still: false, full: false, frames: new Map() });
    this.show(this.frame);
  }

  /** @param {number} frame */
  show(frame) {
    this.frame = frame;
    for (const id of this.kept.keys()) this.draw(id);
    if (!this.running) this.fetch();
  }

  /** @param {string} id */
  draw(id) {
    const surface = this.kept.get(id);
    const now = surface?.frames.get(surface.still ? 0 : this.frame);
    if (now) this.stage.setShape(id, now);
  }

  // points of a drag: shown, not kept
  /** @param {Sent[]} content */
  preview(content) {
    for (const sent of content) this.stage.setShape(sent.node, partsOf(sent)[0]);
  }

  // the frame on the stage first, then those after it, then those before
  /** @returns {[id: string, frame: number] | null} */
  missing() {
    const { first, last } = store.facts;
    for (const [id, surface] of this.kept) if (!surface.still && !surface.frames.has(this.frame)) return [id, this.frame];
    for (const [id, surface] of this.kept) {
      if (surface.still || surface.full) continue;
      for (let frame = this.frame; frame <= last; frame++) if (!surface.frames.has(frame)) return [id, frame];
      for (let frame = first; frame < this.frame; frame++) if (!surface.frames.has(frame)) return [id, frame];
    }
    return null;
  }

  async fetch() {
    this.running = true;
    try {
      await guard(async () => {
        for (let next = this.missing(); next && !this.paused; next = this.missing()) await this.fetchFrom(...next);
      }, () => { setTimeout(() => this.show(this.frame), AGAIN); });
    } finally {
      this.running = false;
    }
  }

  /** @param {string} id @param {number} frame */
  async fetchFrom(id, frame) {
    const surface = this.kept.get(id);
    const to = Math.min(frame + AHEAD, store.facts.last);
    const asked = new URLSearchParams({ ...this.state, node: id, from: String(frame), to: String(to) });
    /** @type {Sent} */
    const content = await packed(`${store.url}/points?${asked}`);
    if (!surface || this.kept.get(id) !== surface) return; // it took another shape meanwhile
    surface.still = content.still;
    partsOf(content).forEach((part, i) => surface.frames.set(content.still ? 0 : content.from + i, part));
    this.weigh();
    if (this.bytes > MOST) this.forget();
    this.draw(id);
  }

  weigh() {
    this.bytes = 0;
    for (const { frames } of this.kept.values()) for (const { points } of frames.values()) this.bytes += points.byteLength * 1.25;
  }

  // too much to keep: the frames farthest from the shown one go, and are asked for again when they are shown
  forget() {
    for (const surface of this.kept.values()) {
      const far = [...surface.frames.keys()].sort((a, b) => Math.abs(b - this.frame) - Math.abs(a - this.frame));
      for (const frame of far.slice(0, Math.floor(far.length / 2))) surface.frames.delete(frame);
      surface.full = true;
    }
  }
}
