// What is carried, particles, cloth and swarms: fetched by stretches of frames where they are there, made by a job where not.

import { floats, packed, post, Refused, text } from "lazzik/lib/api.js";
import { guard } from "lazzik/lib/guard.js";
import { followJob } from "lazzik/lib/jobs.js";
import { toast } from "lazzik/lib/toasts.js";
import { Balls } from "./balls.js";
import { Dots } from "./dots.js";
import { Flown } from "./flown.js";
import { Hung } from "./hung.js";
import { Shell } from "./shell.js";

/** @import { RunFacts } from "lazzik/lib/types.d.ts" */
/** @import { Entry, Points } from "./model.js" */

const MOST = 160 * 2 ** 20; // bytes of frames kept
const AGAIN = 400; // milliseconds between two looks at which frames have come

/**
 * @typedef {object} Moment the particles of one, or the points of cloth or of a shell
 * @property {Float32Array} places
 * @property {Float32Array} sizes none of cloth and shells
 * @property {Uint8Array} colors none of cloth
 * @property {Float32Array} [turns] of copies, as quaternions
 * @property {Int8Array} [normals] of cloth and shells
 * @property {Uint32Array} [corners] of the triangles of a shell
 */

/**
 * @typedef {object} Drawing what they are drawn on: the stage, or the state that it is compared with
 * @property {Map<string, Entry>} nodes
 * @property {import("three").Object3D} scene what they are put into
 * @property {number} frame
 * @property {HTMLCanvasElement} canvas
 * @property {Map<string, import("three").Mesh>} [shells] of swarms, by object, where these can be chosen
 * @property {(only?: string | import("three").Object3D) => unknown} invalidate told of what is to be seen otherwise
 * @property {(id: string, points: Points) => unknown} setShape
 * @property {(id: string) => unknown} restShape
 */

/**
 * @typedef {Moment & { starts: number[], faces: number[], per: number, cut: Moment[] }} Stretch some frames; where the points of each of its
 *   moments begin, and the triangles of a shell, and the ends; those of them that were asked for
 */

/**
 * @typedef {object} Run of one object
 * @property {string} run
 * @property {string} looks
 * @property {boolean} locked
 * @property {number} revision at which it was asked for
 * @property {number} first
 * @property {number} stretch frames of each
 * @property {number} count
 * @property {Set<number>} there
 * @property {Map<number, Stretch>} kept
 * @property {Map<number, Promise<void>>} asked
 * @property {Dots | Flown | Hung | Balls | Shell} drawn
 * @property {Run | null} older the one before it, shown where this one's frames are not there yet
 * @property {Thin | null} thin
 * @property {Moment | null} seen what of it was drawn last
 * @property {boolean} [again] whether frames that went were asked for again
 */

/** @typedef {{ frame: number, moment: Moment, landed: boolean }} Thin a choice of a few, at one frame, while something is dragged and until its run has come */

/**
 * @param {any} content as the server sends it
 * @returns {Stretch}
 */
function stretchOf({ counts, places, sizes, colors, turns, normals, triangles = [], corners, per = 1 }) {
  return {
    starts: begins(counts), faces: begins(triangles), per, cut: [], places: floats(places),
    sizes: sizes ? floats(sizes) : new Float32Array(), colors: colors?.slice() ?? new Uint8Array(),
    ...(turns && { turns: floats(turns) }), ...(normals && { normals: new Int8Array(normals.slice().buffer) }),
    ...(corners && { corners: new Uint32Array(corners.slice().buffer) }),
  };
}

/** Where each of some rows begins that follow each other, and the end. @param {number[]} counts */
function begins(counts) {
  const starts = [0];
  for (const count of counts) starts.push(starts[starts.length - 1] + count);
  return starts;
}

/** One of its moments, the same one each time. @param {Stretch} stretch @param {number} n @returns {Moment} */
function momentOf({ starts, faces, cut, places, sizes, colors, turns, normals, corners }, n) {
  const [from, to] = [starts[n], starts[n + 1]];
  return cut[n] ??= {
    places: places.subarray(3 * from, 3 * to), sizes: sizes.subarray(from, to), colors: colors.subarray(4 * from, 4 * to),
    ...(turns && { turns: turns.subarray(4 * from, 4 * to) }), ...(normals && { normals: normals.subarray(3 * from, 3 * to) }),
    ...(corners && { corners: corners.subarray(3 * faces[n], 3 * faces[n + 1]) }),
  };
}

export class Runs {
  /** @type {Map<string, Run>} by object */
  kept = new Map();
  revision = 0;
  newest = 0;
  bytes = 0;
  /** @type {Set<string>} whose runs are being worked out for this page, or will be */
  making = new Set();
  working = "";
  /** @type {() => void} told whenever other frames are there */
  heard = () => {};

  /**
   * @param {Drawing} stage
   * @param {string} url of the scene
   * @param {object} [how]
   * @param {{ per: number, shown: number } | null} [how.blur] moments of a frame, and how many of them are seen
   * @param {Record<string, string>} [how.state] what is asked for beside them, where it is not the head
   */
  constructor(stage, url, { blur = null, state } = {}) {
    this.stage = stage;
    this.url = url;
    this.blur = blur;
    this.state = state;
    this.makes = !blur; // whether what is not there is worked out at once
  }

  /** @param {string} node @param {number} revision */
  asked(node, revision) { return { on: String(revision), ...this.state, node }; }

  /**
   * The scene is another one by now.
   * @param {RunFacts[]} facts
   * @param {number} revision
   */
  async know(facts, revision) {
    const mine = ++this.newest;
    this.revision = revision;
    for (const id of [...this.kept.keys()]) if (!facts.some(({ node }) => node === id)) this.drop(id);
    for (const fact of facts) {
      const { node, run, looks, locked } = fact;
      const had = this.kept.get(node);
      if (had?.run === run && had.looks === looks) {
        had.locked = locked;
        if (had.thin) { had.thin = null; this.show(this.stage.frame); }
        continue;
      }
      const told = await this.ask(node, revision);
      if (mine !== this.newest) return;
      this.drop(node);
      // what it was stays in sight where the new frames are not there yet
      const older = had?.kept.size ? { ...had, older: null, thin: null } : had?.older ?? null;
      this.kept.set(node, {
        ...told, looks, locked, revision, there: new Set(told.there), kept: new Map(), asked: new Map(), drawn: this.drawer(fact),
        older: told.there.length < told.count ? older : null, thin: had?.thin ? { ...had.thin, landed: true } : null, seen: null,
      });
      this.heard();
      this.show(this.stage.frame);
      if (told.there.length < told.count && !locked && this.makes) guard(() => this.make(node, run));
    }
    this.heard();
  }

  /** What is there of a run; where each frame has many moments, by single frames. @param {string} node @param {number} revision */
  async ask(node, revision) {
    const told = JSON.parse(await text(`${this.url}/run?${new URLSearchParams(this.asked(node, revision))}`));
    if (!this.blur) return told;
    const { stretch, count, there } = told;
    const frames = there.flatMap((/** @type {number} */ place) => Array.from({ length: stretch }, (_, k) => place * stretch + k));
    return { ...told, stretch: 1, count: count * stretch, there: frames };
  }

  /** @param {RunFacts} facts */
  drawer({ node, drawn, copies, across, roughness }) {
    if (drawn === "cloth") return new Hung(this.stage, node);
    if (drawn === "shell") return new Shell(this.stage, node, roughness);
    if (drawn === "balls") return new Balls(this.stage, roughness);
    return drawn === "copies" && copies ? new Flown(this.stage, copies, across) : new Dots(this.stage, drawn === "points" ? "points" : "puffs");
  }

  // the stage has other geometry by now
  attach() {
    for (const run of this.kept.values()) {
      run.drawn.attach();
      run.seen = null;
    }
    this.show(this.stage.frame);
  }

  /** Let a run be worked out, and look now and then what of it has come. @param {string} node @param {string} run */
  async make(node, run) {
    this.making.add(node);
    try {
      // one object after the other: each comes sooner than all beside each other would
      while (this.working && this.working !== node) await new Promise((go) => { setTimeout(go, AGAIN); });
      this.working = node;
      if (this.kept.get(node)?.run === run) await this.made(node, run);
    } finally {
      this.working = "";
      this.making.delete(node);
      this.heard();
    }
  }

  /** What was stopped goes on. @param {string} node */
  goOn(node) {
    const run = this.kept.get(node);
    if (run && !this.making.has(node)) guard(() => this.make(node, run.run));
  }

  /** @param {string} node @param {string} run */
  async made(node, run) {
    const news = await post(`${this.url}/run${this.state ? `?${new URLSearchParams(this.state)}` : ""}`, { revision: this.revision, node });
    let over = false;
    const done = followJob(news).finally(() => { over = true; });
    const wanted = () => this.kept.get(node)?.run === run;
    while (!over && wanted()) {
      await Promise.race([done, new Promise((go) => { setTimeout(go, AGAIN); })]);
      if (wanted()) await this.look(node);
    }
    const end = await done;
    if (wanted()) await this.look(node); // the last frames may have come while it was being looked
    if (end?.state === "failed") toast(end.said, ["Try again", () => this.goOn(node)]);
  }

  /** Which frames are there by now. @param {string} node */
  async look(node) {
    const told = await this.ask(node, this.revision);
    const had = this.kept.get(node);
    if (!had || had.run !== told.run) return;
    had.there = new Set(told.there);
    if (had.there.size === had.count) had.older = null;
    this.heard();
    this.show(this.stage.frame);
  }

  // resolves once all frames of all runs are there; throws Refused where they can't be
  async whole() {
    for (const [node, run] of this.kept) {
      if (run.there.size < run.count && !run.locked) await this.make(node, run.run);
      if (run.there.size < run.count) throw new Refused(422, `Not all frames of the run of ${node} are there.`);
    }
  }

  /** @param {Run} run @param {number} frame */
  placeOf = (run, frame) => Math.floor((frame - run.first) / run.stretch);

  /** @param {Run} run @param {number} frame @returns {Moment | null} */
  momentAt(run, frame) {
    const place = this.placeOf(run, frame + 1e-6);
    const stretch = run.kept.get(place);
    if (!stretch) return null;
    const n = Math.round((frame - run.first - place * run.stretch) * stretch.per);
    return n < stretch.starts.length - 1 ? momentOf(stretch, n) : null;
  }

  /** @param {number} frame */
  show(frame) {
    for (const [node, run] of this.kept) {
      const own = this.momentAt(run, frame);
      const thin = run.thin && run.thin.frame === Math.round(frame) && !(own && run.thin.landed) ? run.thin.moment : null;
      const moment = thin ?? own ?? (run.older && this.momentAt(run.older, frame));
      if (!moment) run.drawn.hide();
      else if (moment !== run.seen) run.drawn.draw(moment);
      if (moment !== run.seen) for (const item of run.drawn.items) this.stage.invalidate(item);
      run.seen = moment;
      const place = this.placeOf(run, frame);
      for (const wanted of [place, (place + 1) % run.count]) guard(() => this.need(node, run, wanted));
    }
  }

  /** What a drag would do to some, at the frame that is shown. @param {any[]} changed */
  preview(changed) {
    const frame = Math.round(this.stage.frame);
    for (const { node, ...content } of changed) {
      const run = this.kept.get(node);
      if (run) run.thin = { frame, moment: momentOf(stretchOf(content), 0), landed: false };
    }
    if (!changed.length) return;
    this.heard();
    this.show(frame);
  }

  // what is drawn at a frame is there; for films, which can't go on without it
  /** @param {number} frame */
  async ready(frame) {
    await Promise.all([...this.kept].map(([node, run]) => this.need(node, run, this.placeOf(run, frame))));
    this.show(frame);
  }

  /** @param {string} node @param {Run} run @param {number} place */
  async need(node, run, place) {
    if (run.kept.has(place) || !run.there.has(place)) return;
    if (!run.asked.has(place)) run.asked.set(place, this.fetch(node, run, place).finally(() => run.asked.delete(place)));
    await run.asked.get(place);
  }

  /** @param {string} node @param {Run} run @param {number} place */
  async fetch(node, run, place) {
    try {
      const asked = new URLSearchParams({
        ...this.asked(node, run.revision), run: run.run, first: String(run.first + place * run.stretch), count: String(run.stretch),
        ...(this.blur && { per: String(this.blur.per), shown: String(this.blur.shown) }),
      });
      const stretch = stretchOf(await packed(`${this.url}/run-frames?${asked}`));
      if (this.kept.get(node) !== run) return;
      if (this.bytes > MOST) { for (const each of this.kept.values()) each.kept.clear(); this.bytes = 0; }
      const { places, sizes, colors, turns, normals, corners } = stretch;
      for (const each of [places, sizes, colors, turns, normals, corners]) this.bytes += each?.byteLength ?? 0;
      run.kept.set(place, stretch);
      this.heard();
      this.show(this.stage.frame);
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      run.there.delete(place); // it was damaged, or went: it is made again, once
      if (run.again || !this.makes) return;
      run.again = true;
      this.goOn(node);
    }
  }

  /**
   * What there is to say of a run at a frame.
   * @param {string} node
   * @param {number} frame
   */
  told(node, frame) {
    const run = this.kept.get(node);
    if (!run) return { there: 0, count: 0, alive: null, locked: false, thinned: false, waits: false };
    const own = this.momentAt(run, frame);
    const thinned = run.thin !== null && run.thin.frame === Math.round(frame) && !(own && run.thin.landed);
    return {
      there: run.there.size, count: run.count, alive: own ? own.places.length / 3 : null, locked: run.locked, thinned,
      waits: run.there.size < run.count && !run.locked && !this.making.has(node),
    };
  }

  /**
   * The frames that are there, by stretches: of one object, or those that are there of all.
   * @param {string | undefined} node
   * @param {number} last frame of the scene
   * @returns {{ from: number, to: number, older: boolean }[]}
   */
  stretches(node, last) {
    const runs = [...this.kept].flatMap(([id, run]) => (node === undefined || id === node ? [run] : []));
    if (!runs.length) return [];
    const { first, stretch, count } = runs[0];
    const rows = [];
    for (let place = 0; place < count; place++) {
      const own = runs.every(({ there }) => there.has(place));
      const older = !own && runs.every(({ there, older: before }) => there.has(place) || before?.kept.has(place));
      const from = first + place * stretch;
      if (own || older) rows.push({ from, to: Math.min(from + stretch, last), older });
    }
    return rows;
  }

  /** @param {string} id */
  drop(id) {
    this.kept.get(id)?.drawn.dispose();
    this.kept.delete(id);
    this.stage.invalidate();
  }

  dispose() { for (const id of [...this.kept.keys()]) this.drop(id); }
}
