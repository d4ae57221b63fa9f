// Surfaces that deformers move: their points come from the server, many frames and objects at a time, and are kept while they last.

import { packed } from "lazzik/lib/api.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";

/** @import { Points } from "./model.js" */

const MOST = 240 * 2 ** 20; // bytes of points kept
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
 * @typedef {object} Asked
 * @property {string[]} nodes
 * @property {number} from
 * @property {number} to
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

  /**
   * What to ask for next: the frame on the stage first, of all objects that lack it, so that they are drawn in one picture; then the
   * frames after it, then those before.
   * @returns {Asked | null}
   */
  missing() {
    const { frame } = this;
    const most = store.facts.points_together;
    const moving = [...this.kept].filter(([, { still }]) => !still);
    const without = moving.flatMap(([id, { frames }]) => (frames.has(frame) ? [] : [id]));
    if (without.length) return { nodes: without.slice(0, most), from: frame, to: frame };
    /** @type {Asked | null} */
    let asked = null;
    for (const [id, { full, frames }] of moving) {
      const gap = full ? null : this.gap(frames);
      if (!gap) continue;
      asked ??= { nodes: [], ...gap };
      if (asked.from === gap.from && asked.to === gap.to) asked.nodes.push(id);
      if (asked.nodes.length === most) break;
    }
    return asked;
  }

  /** The first frames in a row that are not kept. @param {Map<number, unknown>} frames */
  gap(frames) {
    for (const [begin, end] of [[this.frame, store.facts.last], [store.facts.first, this.frame - 1]]) {
      let from = begin;
      while (from <= end && frames.has(from)) from++;
      let to = from;
      while (to < end && !frames.has(to + 1)) to++;
      if (from <= end) return { from, to };
    }
    return null;
  }

  async fetch() {
    this.running = true;
    try {
      await guard(async () => {
        for (let next = this.missing(); next && !this.paused; next = this.missing()) await this.ask(next);
      }, () => { setTimeout(() => this.show(this.frame), AGAIN); });
    } finally {
      this.running = false;
    }
  }

  /** @param {Asked} asked */
  async ask({ nodes, from, to }) {
    const before = new Map(nodes.map((id) => [id, this.kept.get(id)]));
    const asked = new URLSearchParams({ ...this.state, from: String(from), to: String(to) });
    for (const id of nodes) asked.append("node", id);
    /** @type {{ surfaces: Sent[] }} */
    const { surfaces } = await packed(`${store.url}/points?${asked}`);
    for (const sent of surfaces) {
      const surface = before.get(sent.node);
      if (!surface || this.kept.get(sent.node) !== surface) continue; // it took another shape meanwhile
      surface.still = sent.still;
      partsOf(sent).forEach((part, i) => surface.frames.set(sent.still ? 0 : sent.from + i, part));
      this.draw(sent.node);
    }
    this.weigh();
    if (this.bytes > MOST) this.forget();
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
