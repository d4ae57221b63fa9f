// Particles: fetched by stretches of frames where they are there, made by a job where they are not, drawn as soft dots.

import * as THREE from "three";
import { floats, packed, post, text } from "lazzik/lib/api.js";
import { guard } from "lazzik/lib/guard.js";
import { followJob } from "lazzik/lib/jobs.js";
import { toast } from "lazzik/lib/toasts.js";

/** @import { EmitterFacts } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "./stage.js" */

const MOST = 160 * 2 ** 20; // bytes of frames kept
const AGAIN = 400; // milliseconds between two looks at which frames have come

/**
 * @typedef {object} Stretch some frames
 * @property {number[]} starts where each begins, and the end
 * @property {Float32Array} places
 * @property {Float32Array} sizes
 * @property {Uint8Array} colors
 * @property {number[]} speeds the middle one of each frame
 */

/**
 * @typedef {object} Run of one emitter
 * @property {string} run
 * @property {string} looks
 * @property {number} first
 * @property {number} stretch frames of each
 * @property {number} count
 * @property {Set<number>} there
 * @property {Map<number, Stretch>} kept
 * @property {Set<number>} asked
 * @property {THREE.Points<THREE.BufferGeometry, THREE.ShaderMaterial>} drawn
 */

const VERTEX = `
  attribute float size;
  attribute vec4 tint;
  varying vec4 shade;
  uniform float pixels;
  void main() {
    shade = tint;
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    gl_Position = projectionMatrix * seen;
    gl_PointSize = clamp(size * pixels * projectionMatrix[1][1] / max(gl_Position.w, 1e-4), 1.0, 160.0);
  }`;

const FRAGMENT = `
  varying vec4 shade;
  uniform float soft;
  void main() {
    float away = length(gl_PointCoord - 0.5) * 2.0;
    float solid = shade.a * (1.0 - smoothstep(1.0 - soft, 1.0, away));
    if (solid < 0.01) discard;
    gl_FragColor = vec4(shade.rgb, solid);
  }`;

export class Particles {
  /** @type {Map<string, Run>} */
  runs = new Map();
  revision = 0;
  newest = 0;
  bytes = 0;
  /** @type {() => void} told whenever other frames are there */
  heard = () => {};

  /** @param {Stage} stage @param {string} url of the scene */
  constructor(stage, url) {
    this.stage = stage;
    this.url = url;
  }

  /**
   * The scene is another one by now.
   * @param {EmitterFacts[]} facts
   * @param {number} revision
   */
  async know(facts, revision) {
    const mine = ++this.newest;
    this.revision = revision;
    for (const id of [...this.runs.keys()]) if (!facts.some(({ node }) => node === id)) this.drop(id);
    for (const { node, run, looks } of facts) {
      const had = this.runs.get(node);
      if (had?.run === run && had.looks === looks) continue;
      const told = JSON.parse(await text(`${this.url}/run?${new URLSearchParams({ node, on: String(revision) })}`));
      if (mine !== this.newest) return;
      this.drop(node);
      const soft = 0.9;
      this.runs.set(node, { ...told, looks, there: new Set(told.there), kept: new Map(), asked: new Set(), drawn: this.dots(soft) });
      this.show(this.stage.frame);
      if (told.there.length < told.count) guard(() => this.make(node, run));
    }
  }

  /** @param {number} soft share of a dot over which it fades */
  dots(soft) {
    const uniforms = { pixels: { value: 1 }, soft: { value: soft } };
    const material = new THREE.ShaderMaterial({ uniforms, vertexShader: VERTEX, fragmentShader: FRAGMENT, transparent: true, depthWrite: false });
    const drawn = new THREE.Points(new THREE.BufferGeometry(), material);
    drawn.frustumCulled = false;
    drawn.raycast = () => {};
    this.stage.scene.add(drawn);
    return drawn;
  }

  /** Let a run be worked out, and look now and then what of it has come. @param {string} node @param {string} run */
  async make(node, run) {
    const news = await post(`${this.url}/run`, { revision: this.revision, node });
    let over = false;
    const done = followJob(news).finally(() => { over = true; });
    const wanted = () => this.runs.get(node)?.run === run;
    while (!over && wanted()) {
      await Promise.race([done, new Promise((go) => { setTimeout(go, AGAIN); })]);
      if (wanted()) await this.look(node);
    }
    const end = await done;
    if (end?.state === "failed") toast(end.said);
  }

  /** Which frames are there by now. @param {string} node */
  async look(node) {
    const told = JSON.parse(await text(`${this.url}/run?${new URLSearchParams({ node, on: String(this.revision) })}`));
    const had = this.runs.get(node);
    if (!had || had.run !== told.run) return;
    had.there = new Set(told.there);
    this.heard();
    this.show(this.stage.frame);
  }

  /** @param {number} frame */
  show(frame) {
    for (const [node, run] of this.runs) {
      const place = Math.floor((frame - run.first) / run.stretch);
      const stretch = run.kept.get(place);
      if (stretch) this.draw(run, stretch, Math.floor(frame - run.first) - place * run.stretch);
      else run.drawn.visible = false;
      for (const wanted of [place, (place + 1) % run.count]) this.need(node, run, wanted);
    }
    if (this.runs.size) this.stage.invalidate();
  }

  /** @param {string} node @param {Run} run @param {number} place */
  async need(node, run, place) {
    if (run.kept.has(place) || run.asked.has(place) || !run.there.has(place)) return;
    run.asked.add(place);
    try {
      const asked = new URLSearchParams({ node, run: run.run, place: String(place), on: String(this.revision) });
      const content = await packed(`${this.url}/run-frames?${asked}`);
      if (this.runs.get(node) !== run) return;
      const starts = [0];
      for (const count of content.counts) starts.push(starts[starts.length - 1] + count);
      if (this.bytes > MOST) { for (const each of this.runs.values()) each.kept.clear(); this.bytes = 0; }
      this.bytes += content.places.byteLength + content.sizes.byteLength + content.colors.byteLength;
      run.kept.set(place, { starts, places: floats(content.places), sizes: floats(content.sizes), colors: content.colors.slice(), speeds: content.speeds });
      this.heard();
      this.show(this.stage.frame);
    } catch {
      run.there.delete(place); // it was damaged, or went: it is made again when it is looked for anew
    } finally {
      run.asked.delete(place);
    }
  }

  /** @param {Run} run @param {Stretch} stretch @param {number} n which of its frames */
  draw(run, { starts, places, sizes, colors }, n) {
    const [from, to] = [starts[n], starts[n + 1]];
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(places.subarray(3 * from, 3 * to), 3));
    geometry.setAttribute("size", new THREE.BufferAttribute(sizes.subarray(from, to), 1));
    geometry.setAttribute("tint", new THREE.BufferAttribute(colors.subarray(4 * from, 4 * to), 4, true));
    run.drawn.geometry.dispose();
    run.drawn.geometry = geometry;
    run.drawn.visible = to > from;
    run.drawn.material.uniforms.pixels.value = this.stage.canvas.height / 2;
  }

  /**
   * What there is to say of a run at a frame.
   * @param {string} node
   * @param {number} frame
   */
  told(node, frame) {
    const run = this.runs.get(node);
    if (!run) return { there: 0, count: 0, alive: null, speed: 0 };
    const place = Math.floor((frame - run.first) / run.stretch);
    const [stretch, n] = [run.kept.get(place), Math.floor(frame - run.first) - place * run.stretch];
    const alive = stretch ? stretch.starts[n + 1] - stretch.starts[n] : null;
    return { there: run.there.size, count: run.count, alive, speed: stretch?.speeds[n] ?? 0 };
  }

  /** @param {string} id */
  drop(id) {
    const run = this.runs.get(id);
    if (!run) return;
    run.drawn.removeFromParent();
    run.drawn.geometry.dispose();
    run.drawn.material.dispose();
    this.runs.delete(id);
  }
}
