// The copies of scatters: drawn many at once, from places that are fetched once and leans that are fetched by frames.

import * as THREE from "three";
import { floats, packed } from "lazzik/lib/api.js";
import { clamp } from "lazzik/lib/numbers.js";

/** @import { ScatterFacts } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "./stage.js" */

/** @typedef {{ mesh: THREE.InstancedMesh, matrices: Float32Array }} Drawn matrices from the shape to a copy, one or one a frame */

/**
 * @typedef {object} Crowd one scatter
 * @property {string} laid
 * @property {string} leansKey
 * @property {number} first
 * @property {Int32Array} ids
 * @property {Float32Array} places
 * @property {Float32Array} turns
 * @property {Float32Array} sizes
 * @property {{ copies: Int32Array, drawn: Drawn[] }[]} groups
 * @property {Lean | null} lean
 * @property {Promise<unknown> | null} asked leans that are on their way
 * @property {Set<number>} hidden
 * @property {Thin | null} thin how a few lean while something is dragged
 */

/**
 * @typedef {object} Lean of a stretch of frames
 * @property {number} from
 * @property {number} to
 * @property {number} moments
 * @property {number} largest
 * @property {Int16Array} leans
 */

/** @typedef {Lean & { ids: Int32Array, like: Int32Array }} Thin each copy leans like one of the few, the nearest to it */

/** @param {Uint8Array} bytes */
const whole = (bytes) => new Int32Array(bytes.slice().buffer);

/** @param {any} content @returns {any} with its leans as numbers */
const leaning = (content) => ({ ...content, leans: new Int16Array(content.leans.slice().buffer) });

/**
 * Which of a few points is nearest to each of many.
 * @param {Float32Array} points
 * @param {Int32Array} few places among them
 */
export function nearestOf(points, few) {
  const like = new Int32Array(points.length / 3);
  for (let k = 0; k < like.length; k++) {
    let best = Infinity;
    for (let f = 0; f < few.length; f++) {
      const [x, y, z] = [points[3 * k] - points[3 * few[f]], points[3 * k + 1] - points[3 * few[f] + 1], points[3 * k + 2] - points[3 * few[f] + 2]];
      const away = x * x + y * y + z * z;
      if (away < best) [best, like[k]] = [away, f];
    }
  }
  return like;
}

/** Where some numbers stand among others, both ascending. @param {Int32Array} among @param {Int32Array} wanted */
function placesOf(among, wanted) {
  const places = [];
  for (let k = 0, f = 0; k < among.length && f < wanted.length; k++) if (among[k] === wanted[f]) { places.push(k); f++; }
  return Int32Array.from(places);
}

const DRAGGED = "while something is dragged";

export class Crowds {
  /** @type {Map<string, Crowd>} */
  crowds = new Map();
  newest = 0;
  revision = 0;
  last = 0;

  /** @param {Stage} stage @param {string} url of the scene @param {number} per moments of a frame */
  constructor(stage, url, per = 1) {
    this.stage = stage;
    this.url = url;
    this.per = per;
  }

  /**
   * The scene is another one by now: what differs is fetched.
   * @param {ScatterFacts[]} facts
   * @param {number} revision
   * @param {number} last frame
   */
  async know(facts, revision, last) {
    const mine = ++this.newest;
    [this.revision, this.last] = [revision, last];
    for (const id of [...this.crowds.keys()]) if (!facts.some(({ node }) => node === id)) this.drop(id);
    for (const { node, laid, leans } of facts) {
      const asked = new URLSearchParams({ node, revision: String(revision) });
      if (this.crowds.get(node)?.laid !== laid) {
        const content = await packed(`${this.url}/copies?${asked}`);
        if (mine !== this.newest) return;
        this.lay(node, laid, content);
      }
      const crowd = this.crowds.get(node);
      if (!crowd) continue;
      if (crowd.leansKey !== leans) {
        Object.assign(crowd, { lean: null, asked: null, leansKey: leans });
        await this.need(this.stage.frame);
        if (mine !== this.newest) return;
      } else if (!crowd.thin) continue;
      crowd.thin = null;
      this.show(this.stage.frame);
    }
  }

  /** The leans of a frame and of many after it, fetched where they are not there. @param {number} frame */
  need(frame) {
    return Promise.all([...this.crowds].map(async ([node, crowd]) => {
      const there = crowd.lean && frame >= crowd.lean.from && frame <= crowd.lean.to;
      if (!crowd.leansKey || there) return;
      crowd.asked ??= this.fetch(node, crowd, Math.floor(frame)).finally(() => { crowd.asked = null; });
      await crowd.asked;
    }));
  }

  /** @param {string} node @param {Crowd} crowd @param {number} from */
  async fetch(node, crowd, from) {
    const { leansKey } = crowd;
    const asked = new URLSearchParams({ node, from: String(from), to: String(this.last), per: String(this.per), revision: String(this.revision) });
    const content = await packed(`${this.url}/leans?${asked}`);
    if (crowd.leansKey !== leansKey) return; // the air is another one by now
    crowd.lean = leaning(content);
  }

  /**
   * What a drag would do: the first copies where they would stand elsewhere, and how a few would lean.
   * @param {any[]} changed
   */
  preview(changed) {
    for (const { node, laid, lean } of changed) {
      if (laid) this.lay(node, DRAGGED, laid);
      const crowd = this.crowds.get(node);
      if (!crowd || !lean) continue;
      const ids = whole(lean.ids);
      const same = crowd.thin && crowd.thin.ids.join() === ids.join();
      crowd.thin = { ...leaning(lean), ids, like: same ? crowd.thin?.like : nearestOf(crowd.places, placesOf(crowd.ids, ids)) };
    }
    if (changed.length) this.show(this.stage.frame);
  }

  /** Where copies stand. @param {string} node @param {string} laid @param {any} content */
  lay(node, laid, content) {
    this.drop(node);
    this.crowds.set(node, {
      laid, leansKey: "?", asked: null, first: content.first, ids: whole(content.ids), places: floats(content.places), turns: floats(content.turns),
      sizes: floats(content.sizes), lean: null, hidden: new Set(), thin: null,
      groups: content.groups.map((/** @type {any} */ group) => ({
        copies: whole(group.copies),
        drawn: group.parts.map((/** @type {any} */ part) => ({ node: part.node, mesh: null, matrices: floats(part.matrices) })),
      })),
    });
    this.attach();
  }

  // what is drawn borrows geometry and material of the sources: it is made anew whenever they are
  attach() {
    for (const [id, crowd] of this.crowds) {
      const item = this.stage.nodes.get(id)?.item;
      for (const { copies, drawn } of crowd.groups) {
        for (const part of /** @type {any[]} */ (drawn)) {
          part.mesh?.removeFromParent();
          part.mesh?.dispose();
          const source = this.stage.nodes.get(part.node)?.mesh;
          part.mesh = source && item ? new THREE.InstancedMesh(source.geometry, source.material, Math.max(1, copies.length)) : null;
          if (!part.mesh || !item) continue;
          part.mesh.count = copies.length;
          part.mesh.frustumCulled = false;
          part.mesh.castShadow = part.mesh.receiveShadow = true;
          part.mesh.raycast = () => {}; // thousands are not gone through for what lies under the pointer
          item.add(part.mesh);
        }
      }
    }
    this.show(this.stage.frame);
  }

  /** @param {number} frame */
  show(frame) {
    for (const crowd of this.crowds.values()) {
      const { lean, thin } = crowd;
      if (!thin && lean && (frame < lean.from || frame > lean.to)) this.need(frame).then(() => this.show(this.stage.frame), () => {});
      for (const group of crowd.groups) this.pose(crowd, group, frame);
    }
    if (this.crowds.size) this.stage.invalidate();
  }

  /**
   * Every copy's matrix: where it stands, leaning as the air has it, and then its part of the source.
   * @param {Crowd} crowd
   * @param {Crowd["groups"][number]} group
   * @param {number} frame
   */
  pose(crowd, { copies, drawn }, frame) {
    const [turn, bend, place, size, copy, part] = [
      new THREE.Quaternion(), new THREE.Quaternion(), new THREE.Vector3(), new THREE.Vector3(), new THREE.Matrix4(), new THREE.Matrix4(),
    ];
    const { places, turns, sizes, ids, hidden, thin } = crowd;
    const lean = thin ?? crowd.lean;
    const [per, count] = thin ? [1, thin.ids.length] : [this.per, ids.length];
    const row = lean ? clamp(Math.round((frame - lean.from) * per), 0, lean.moments - 1) * count : 0;
    for (const { mesh, matrices } of drawn) {
      if (!mesh) continue;
      const moment = clamp(Math.round(frame) - crowd.first, 0, matrices.length / 16 - 1);
      part.fromArray(matrices, 16 * moment);
      for (let n = 0; n < copies.length; n++) {
        const k = copies[n];
        turn.fromArray(turns, 4 * k);
        if (lean) {
          const at = 2 * (row + (thin ? thin.like[k] : k));
          const [x, z] = [lean.leans[at] * lean.largest, lean.leans[at + 1] * lean.largest];
          const angle = Math.hypot(x, z);
          // leaning toward x is a turn about −z, toward z one about x
          const s = angle > 1e-9 ? Math.sin(angle / 2) / angle : 0.5;
          turn.premultiply(bend.set(z * s, 0, -x * s, Math.cos(angle / 2)));
        }
        const shown = hidden.size && hidden.has(ids[k]) ? 0 : sizes[k];
        copy.compose(place.fromArray(places, 3 * k), turn, size.setScalar(shown)).multiply(part);
        copy.toArray(mesh.instanceMatrix.array, 16 * n);
      }
      mesh.instanceMatrix.needsUpdate = true;
    }
  }

  /**
   * Numbers of the copies that are seen near a point of the page, the nearest first.
   * @param {string} node
   * @param {number} x
   * @param {number} y
   * @param {number} pixels
   */
  near(node, x, y, pixels) {
    const [crowd, item] = [this.crowds.get(node), this.stage.nodes.get(node)?.item];
    const box = this.stage.canvas.getBoundingClientRect();
    const point = new THREE.Vector3();
    if (!crowd || !item) return [];
    const away = [...crowd.ids].map((id, k) => {
      const seen = this.stage.toScreen(point.fromArray(crowd.places, 3 * k).applyMatrix4(item.matrixWorld));
      return { id, pixels: seen.z < 1 ? Math.hypot(seen.x - (x - box.left), seen.y - (y - box.top)) : Infinity };
    });
    return away.filter((each) => each.pixels < pixels).sort((a, b) => a.pixels - b.pixels).map(({ id }) => id);
  }

  /** Copies that are being taken away. @param {string} node @param {Set<number>} ids */
  hide(node, ids) {
    const crowd = this.crowds.get(node);
    if (crowd) crowd.hidden = ids;
    this.show(this.stage.frame);
  }

  /** @param {string} id */
  drop(id) {
    for (const { drawn } of this.crowds.get(id)?.groups ?? []) {
      for (const { mesh } of drawn) {
        mesh?.removeFromParent();
        mesh?.dispose();
      }
    }
    this.crowds.delete(id);
  }

  dispose() { for (const id of [...this.crowds.keys()]) this.drop(id); }
}
