// Surfaces that deformers move: their points come from the server, a few frames at a time, and are kept while they last.

import { packed, Refused } from "lazzik/lib/api.js";
import { sceneUrl } from "lazzik/studio/history.js";
import { facts } from "lazzik/studio/session.js";

const MOST = 240 * 2 ** 20; // bytes of points kept
const AHEAD = 24; // frames asked for at once

export class Surfaces {
  constructor(stage) {
    this.stage = stage;
    this.kept = new Map(); // node -> { still, count, frames: Map(frame -> { points, normals }) }
    this.bytes = 0;
    this.frame = facts.first;
    this.running = false;
    this.paused = false; // nothing is asked for ahead while a drag waits for its previews
  }

  pause() { this.paused = true; }
  resume() {
    this.paused = false;
    if (!this.running) this.fetch();
  }

  // which objects have moving surfaces, and which of them have others than before
  know(shaped, reshaped) {
    const now = new Set(shaped);
    for (const id of [...this.kept.keys()]) if (!now.has(id)) { this.kept.delete(id); this.stage.restShape(id); }
    for (const id of reshaped) this.kept.delete(id);
    for (const id of shaped) if (!this.kept.has(id)) this.kept.set(id, { still: false, frames: new Map() });
    this.show(this.frame);
  }

  show(frame) {
    this.frame = frame;
    for (const [id, surface] of this.kept) {
      const now = surface.frames.get(surface.still ? 0 : frame);
      if (now) this.stage.setShape(id, now);
    }
    if (!this.running) this.fetch();
  }

  // points of a drag: shown, not kept
  preview(content) {
    for (const part of content) this.stage.setShape(part.node, this.parts(part)[0]);
  }

  parts(content) {
    const { count } = content;
    const points = new Float32Array(content.points.slice().buffer);
    const normals = new Int8Array(content.normals.slice().buffer);
    return Array.from({ length: content.frames }, (_, i) => ({
      points: points.subarray(i * count * 3, (i + 1) * count * 3),
      normals: normals.subarray(i * count * 3, (i + 1) * count * 3),
    }));
  }

  // the frame on the stage first, then those after it, then those before
  missing() {
    for (const [id, surface] of this.kept) if (!surface.still && !surface.frames.has(this.frame)) return [id, this.frame];
    for (const [id, surface] of this.kept) {
      if (surface.still || surface.full) continue;
      for (let frame = this.frame; frame <= facts.last; frame++) if (!surface.frames.has(frame)) return [id, frame];
      for (let frame = facts.first; frame < this.frame; frame++) if (!surface.frames.has(frame)) return [id, frame];
    }
    return null;
  }

  async fetch() {
    this.running = true;
    try {
      for (let next = this.missing(); next && !this.paused; next = this.missing()) {
        const [id, frame] = next;
        const surface = this.kept.get(id);
        const content = await packed(`${sceneUrl()}/points?node=${id}&from=${frame}&to=${Math.min(frame + AHEAD, facts.last)}`);
        if (this.kept.get(id) !== surface) continue; // it took another shape meanwhile
        surface.still = content.still;
        this.parts(content).forEach((part, i) => surface.frames.set(content.still ? 0 : content.from + i, part));
        this.bytes = [...this.kept.values()].reduce((sum, one) => sum + [...one.frames.values()].reduce((s, p) => s + p.points.byteLength * 1.25, 0), 0);
        if (this.bytes > MOST) this.forget();
        const now = surface.frames.get(surface.still ? 0 : this.frame);
        if (now) this.stage.setShape(id, now);
      }
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      setTimeout(() => this.show(this.frame), 1500);
    } finally {
      this.running = false;
    }
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
