// The copies of scatters: drawn many at once, from places that are fetched once and leans that are fetched by frames.

import * as THREE from "three";
import { floats, packed } from "lazzik/lib/api.js";
import { clamp } from "lazzik/lib/numbers.js";
import { Copies } from "./copies.js";
import { Moments } from "./moments.js";

/** @import { ScatterFacts } from "lazzik/lib/types.d.ts" */
/** @import { Entry, Points } from "./model.js" */

/**
 * @typedef {object} Drawn a shape of a source
 * @property {string} node
 * @property {Copies<any> | null} mesh
 * @property {Float32Array} matrices from the shape to a copy, one or one a frame
 * @property {boolean} shaped whether its points change over time: it has a geometry of its own then
 * @property {Points | null} points that it was given last
 */

/**
 * @typedef {object} Drawing what copies are drawn on: the stage, or the state that it is compared with
 * @property {Map<string, Entry>} nodes
 * @property {number} frame
 * @property {(only?: string | THREE.Object3D) => unknown} invalidate told of what is to be seen otherwise
 */

/**
 * @typedef {object} Crowd one scatter
 * @property {string} laid
 * @property {string} leansKey
 * @property {number} first
 * @property {Int32Array} ids
 * @property {Float32Array} places
 * @property {Float32Array} turns
 * @property {Float32Array} sizes
 * @property {Group[]} groups
 * @property {Lean | null} lean
 * @property {Promise<unknown> | null} asked leans that are on their way
 * @property {Set<number>} hidden
 * @property {Thin | null} thin how a few lean while something is dragged
 * @property {Int32Array | null} shown which are drawn, where not all are
 * @property {Int32Array | null} rank and which of them each of these is
 */

/**
 * @typedef {object} Group copies of one source and variant
 * @property {Int32Array} copies
 * @property {number} variant
 * @property {Drawn[]} drawn
 * @property {unknown[]} posed what they were put to last goes by; nothing before that
 */

/**
 * @typedef {object} Lean of a stretch of frames
 * @property {number} from
 * @property {number} to
 * @property {number} moments
 * @property {Steps} leans radians toward x and z
 * @property {Steps} [away] metres from where they stand at rest, where their surface carries them
 * @property {Steps} [tilts] x, y and z of the quaternions by which it turns them, w ≥ 0
 */

/** @typedef {{ worth: number, steps: Int16Array }} Steps numbers as whole ones, and what one of them is worth */

/** @typedef {Lean & { ids: Int32Array, like: Int32Array }} Thin each copy leans like one of the few, the nearest to it */

/** @param {Uint8Array} bytes */
const whole = (bytes) => new Int32Array(bytes.slice().buffer);

/** @param {any} sent @returns {Steps | undefined} */
const stepsOf = (sent) => sent && { worth: sent.worth, steps: new Int16Array(sent.steps.slice().buffer) };

/** @param {any} content @returns {any} with its leans as numbers */
const leaning = (content) => ({ ...content, leans: stepsOf(content.leans), away: stepsOf(content.away), tilts: stepsOf(content.tilts) });

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

/**
 * A copy as its surface and the air have it at a moment.
 * @param {Lean} lean
 * @param {number} at which of its copies, of which moment
 * @param {THREE.Vector3} place changed
 * @param {THREE.Quaternion} turn changed
 * @param {THREE.Quaternion} by to work with
 */
function carry({ leans, away, tilts }, at, place, turn, by) {
  if (away) for (let axis = 0; axis < 3; axis++) place.setComponent(axis, place.getComponent(axis) + away.steps[3 * at + axis] * away.worth);
  if (tilts) {
    const [x, y, z] = [0, 1, 2].map((axis) => tilts.steps[3 * at + axis] * tilts.worth);
    turn.premultiply(by.set(x, y, z, Math.sqrt(Math.max(0, 1 - x * x - y * y - z * z))));
  }
  const [x, z] = [leans.steps[2 * at] * leans.worth, leans.steps[2 * at + 1] * leans.worth];
  const angle = Math.hypot(x, z);
  // leaning toward x is a turn about −z, toward z one about x
  const s = angle > 1e-9 ? Math.sin(angle / 2) / angle : 0.5;
  turn.premultiply(by.set(z * s, 0, -x * s, Math.cos(angle / 2)));
}

/** For some of so many places, ascending, which of them each is. @param {Int32Array} some @param {number} count */
function ranks(some, count) {
  const out = new Int32Array(count);
  some.forEach((k, rank) => { out[k] = rank; });
  return out;
}

/** A geometry with points of its own, as those of its source are now. @param {THREE.Mesh} source */
function ownShape({ geometry }) {
  const own = geometry.clone();
  own.setAttribute("normal", new THREE.BufferAttribute(new Int8Array(own.attributes.position.count * 3), 3, true));
  return own;
}

/** Whether it had other points. @param {Drawn} part @param {Points} shape */
function reshape(part, shape) {
  const { mesh, points: had } = part;
  const { points, normals } = shape;
  if (!mesh || had === shape || mesh.geometry.attributes.position.array.length !== points.length) return false; // or the source is another by now
  part.points = shape;
  const { position, normal } = mesh.geometry.attributes;
  position.array.set(points);
  normal.array.set(normals);
  position.needsUpdate = normal.needsUpdate = true;
  return true;
}

/** @param {Drawn} part */
function letGo(part) {
  part.points = null;
  part.mesh?.removeFromParent();
  if (part.shaped) part.mesh?.geometry.dispose();
  part.mesh?.dispose();
  part.mesh = null;
}

const DRAGGED = "while something is dragged";

export class Crowds {
  /** @type {Map<string, Crowd>} */
  crowds = new Map();
  /** @type {Map<string, number>} how many copies of each are drawn at most */
  limits = new Map();
  newest = 0;
  waits = false;
  revision = 0;
  last = 0;

  /**
   * @param {Drawing} stage
   * @param {string} url of the scene
   * @param {object} [how]
   * @param {number} [how.per] moments of a frame
   * @param {(points: number) => number} [how.most] copies of a scatter that are drawn, where each has so many points
   * @param {Record<string, string>} [how.state] what is asked for beside them, where it is not the head
   */
  constructor(stage, url, { per = 1, most = () => Infinity, state = {} } = {}) {
    this.stage = stage;
    this.url = url;
    this.per = per;
    this.most = most;
    this.state = state;
    this.moments = new Moments(`${url}/copy-points`, 0, per);
  }

  /** @param {string} node */
  asked(node) { return { on: String(this.revision), ...this.state, node }; }

  /** How many copies of a scatter are drawn, and how many there are. @param {string} node */
  drawn(node) {
    const { ids, shown } = this.crowds.get(node) ?? { ids: [], shown: null };
    return { drawn: (shown ?? ids).length, all: ids.length };
  }

  /** @param {string} node */
  askedFew(node) {
    const most = this.limits.get(node) ?? Infinity;
    return { ...this.asked(node), ...(Number.isFinite(most) && { most: String(most) }) };
  }

  /** Points of a copy of the largest of some objects, with all that they hold. @param {string[]} sources */
  pointsOf(sources) {
    const counts = sources.map((id) => {
      let points = 0;
      this.stage.nodes.get(id)?.item.traverse(({ userData }) => {
        points += this.stage.nodes.get(userData.id)?.mesh?.geometry.attributes.position.count ?? 0;
      });
      return points || Infinity; // of what is not there yet nobody knows
    });
    return Math.max(0, ...counts);
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
    this.moments.last = last;
    for (const id of [...this.crowds.keys()]) if (!facts.some(({ node }) => node === id)) this.drop(id);
    for (const { node, laid, leans, sources } of facts) {
      if (this.crowds.get(node)?.laid !== laid) {
        this.limits.set(node, this.most(this.pointsOf(sources)));
        const content = await packed(`${this.url}/copies?${new URLSearchParams(this.askedFew(node))}`);
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

  /** The leans of a frame and of many after it, and the points of what bends, fetched where they are not there. @param {number} frame */
  async need(frame) {
    await Promise.all([...this.bent()].map(({ key, asked }) => this.moments.at(key, asked, Math.round(frame * this.per))));
    await Promise.all([...this.crowds].map(async ([node, crowd]) => {
      const there = crowd.lean && frame >= crowd.lean.from && frame <= crowd.lean.to;
      if (!crowd.leansKey || there) return;
      crowd.asked ??= this.fetch(node, crowd, Math.floor(frame)).finally(() => { crowd.asked = null; });
      await crowd.asked;
    }));
  }

  /** All that is drawn of copies. */
  * meshes() {
    for (const [scatter, { groups }] of this.crowds) {
      for (const { node, mesh } of groups.flatMap(({ drawn }) => drawn)) {
        const source = this.stage.nodes.get(node)?.mesh;
        if (mesh && source) yield { scatter, mesh, source };
      }
    }
  }

  /** The shapes of sources that change over time, each in each of its shifts. */
  * bent() {
    for (const [node, { laid, groups }] of this.crowds) {
      if (laid === DRAGGED) continue; // nobody stored what it would be
      for (const { variant, drawn } of groups) {
        for (const part of drawn) {
          if (!part.shaped || !part.mesh) continue;
          const asked = { ...this.asked(node), part: part.node, variant: String(variant) };
          yield { part, key: `${node} ${laid} ${part.node} ${variant}`, asked };
        }
      }
    }
  }

  /** @param {string} node @param {Crowd} crowd @param {number} from */
  async fetch(node, crowd, from) {
    const { leansKey } = crowd;
    const asked = new URLSearchParams({ ...this.askedFew(node), from: String(from), to: String(this.last), per: String(this.per) });
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
    const ids = whole(content.ids);
    const shown = content.shown && whole(content.shown);
    const seen = shown && new Set(shown);
    this.crowds.set(node, {
      laid, leansKey: "?", asked: null, first: content.first, ids, places: floats(content.places), turns: floats(content.turns),
      sizes: floats(content.sizes), lean: null, hidden: new Set(), thin: null, shown, rank: shown && ranks(shown, ids.length),
      groups: content.groups.map((/** @type {any} */ group) => ({
        copies: seen ? whole(group.copies).filter((k) => seen.has(k)) : whole(group.copies),
        variant: group.variant, posed: [],
        drawn: group.parts.map((/** @type {any} */ { node: of, matrices, shaped }) => (
          { node: of, mesh: null, points: null, matrices: floats(matrices), shaped }
        )),
      })),
    });
    this.attach();
  }

  // what is drawn borrows geometry and material of the sources: it is made anew whenever they are
  attach() {
    for (const [id, crowd] of this.crowds) {
      const item = this.stage.nodes.get(id)?.item;
      for (const group of crowd.groups) {
        const { copies, drawn } = group;
        group.posed = [];
        for (const part of drawn) {
          letGo(part);
          const source = this.stage.nodes.get(part.node)?.mesh;
          if (!source || !item) continue;
          part.mesh = new Copies(part.shaped ? ownShape(source) : source.geometry, source.material, Math.max(1, copies.length), !part.shaped);
          part.mesh.show(copies.length);
          part.mesh.castShadow = part.mesh.receiveShadow = true;
          item.add(part.mesh);
        }
      }
    }
    this.show(this.stage.frame);
  }

  /** @param {number} frame */
  show(frame) {
    for (const [id, crowd] of this.crowds) {
      const { lean, thin } = crowd;
      if (!thin && lean && (frame < lean.from || frame > lean.to)) this.need(frame).then(() => this.show(this.stage.frame), () => {});
      for (const group of crowd.groups) if (this.pose(crowd, group, frame)) this.stage.invalidate(id);
    }
    let missing = false;
    for (const { part, key } of this.bent()) {
      const points = this.moments.known(key, Math.round(frame * this.per));
      if (!points) missing = true;
      else if (part.mesh && reshape(part, points)) this.stage.invalidate(part.mesh);
    }
    if (missing && !this.waits) {
      this.waits = true;
      this.need(frame).then(() => { this.waits = false; this.show(this.stage.frame); }, () => { this.waits = false; });
    }
  }

  /**
   * Every copy's matrix: where it stands, leaning as the air has it, and then its part of the source. Whether any is another.
   * @param {Crowd} crowd
   * @param {Group} group
   * @param {number} frame
   */
  pose(crowd, group, frame) {
    const { copies, drawn } = group;
    const [turn, bend, place, size, copy, posed] = [
      new THREE.Quaternion(), new THREE.Quaternion(), new THREE.Vector3(), new THREE.Vector3(), new THREE.Matrix4(), new THREE.Matrix4(),
    ];
    const { places, turns, sizes, ids, hidden, thin, shown, rank } = crowd;
    const lean = thin ?? crowd.lean;
    const [per, count, like] = thin ? [1, thin.ids.length, thin.like] : [this.per, (shown ?? ids).length, rank];
    const row = lean ? clamp(Math.round((frame - lean.from) * per), 0, lean.moments - 1) * count : 0;
    const moment = (/** @type {Float32Array} */ matrices) => clamp(Math.round(frame) - crowd.first, 0, matrices.length / 16 - 1);
    const posing = [lean, row, hidden, hidden.size, ...drawn.map(({ matrices }) => moment(matrices))];
    if (posing.every((each, n) => each === group.posed[n])) return false;
    group.posed = posing;
    const parts = drawn.flatMap(({ mesh, matrices }) => (mesh ? [{ mesh, part: new THREE.Matrix4().fromArray(matrices, 16 * moment(matrices)) }] : []));
    for (let n = 0; n < copies.length; n++) {
      const k = copies[n];
      turn.fromArray(turns, 4 * k);
      place.fromArray(places, 3 * k);
      if (lean) carry(lean, row + (like ? like[k] : k), place, turn, bend);
      const seen = hidden.size && hidden.has(ids[k]) ? 0 : sizes[k];
      copy.compose(place, turn, size.setScalar(seen));
      for (const { mesh, part } of parts) mesh.setMatrixAt(n, posed.multiplyMatrices(copy, part));
    }
    return true;
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
      for (const part of drawn) letGo(part);
    }
    this.crowds.delete(id);
    this.stage.invalidate(id);
  }

  dispose() { for (const id of [...this.crowds.keys()]) this.drop(id); }
}
