// The points of moving surfaces at any moment, fetched by stretches of frames and kept while there is room.

import { packed } from "lazzik/lib/api.js";
import { partsOf } from "./surfaces.js";

/** @import { Points } from "./model.js" */
/** @import { Sent } from "./surfaces.js" */

const STRETCH = 24; // frames asked for at once
const MOST = 120 * 2 ** 20; // bytes of points kept

/** @typedef {{ from: number, parts: Points[] }} Stretch by moments, counted from frame 0 */

export class Moments {
  /** @type {Map<string, { still: boolean, stretches: Stretch[] }>} by what they are of */
  kept = new Map();
  bytes = 0;

  /**
   * @param {string} url where they are asked for
   * @param {number} last frame
   * @param {number} per moments of a frame
   */
  constructor(url, last, per) {
    this.url = url;
    this.last = last;
    this.per = per;
  }

  /**
   * What is there of a moment; null if it has to be fetched.
   * @param {string} key
   * @param {number} place of the moment, counted from frame 0
   * @returns {Points | null}
   */
  known(key, place) {
    const run = this.kept.get(key);
    if (run?.still) return run.stretches[0].parts[0];
    const stretch = run?.stretches.find(({ from, parts }) => place >= from && place < from + parts.length);
    return stretch ? stretch.parts[place - stretch.from] : null;
  }

  /**
   * @param {string} key what they are of
   * @param {Record<string, string>} asked how that is asked for
   * @param {number} place
   * @returns {Promise<Points>}
   */
  async at(key, asked, place) {
    const known = this.known(key, place);
    if (known) return known;
    const frame = Math.floor(place / this.per);
    const range = { from: String(frame), to: String(Math.min(frame + STRETCH, this.last)), per: String(this.per) };
    /** @type {{ surfaces: Sent[] }} */
    const { surfaces: [sent] } = await packed(`${this.url}?${new URLSearchParams({ ...asked, ...range })}`);
    const stretch = { from: sent.from * this.per, parts: partsOf(sent) };
    this.bytes += sent.points.byteLength + sent.normals.byteLength;
    if (this.bytes > MOST) { this.kept.clear(); this.bytes = sent.points.byteLength + sent.normals.byteLength; }
    const run = this.kept.get(key) ?? { still: sent.still, stretches: [] };
    run.stretches.push(stretch);
    this.kept.set(key, run);
    return stretch.parts[sent.still ? 0 : place - stretch.from];
  }
}
