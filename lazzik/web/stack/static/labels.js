// Where a label has room: beside what it names, on no curve and on no other label.

import { clamp } from "lazzik/lib/numbers.js";

const LETTER = 6.4; // pixels of a letter, which all have the same width
const LINE = 11; // pixels of a line
const CLEAR = 2; // pixels that a curve keeps away

/**
 * @typedef {object} Place where a label could stand
 * @property {number} x
 * @property {number} y its baseline
 * @property {"start" | "end"} anchor
 */

/** @typedef {{ left: number, right: number, top: number, bottom: number }} Box */

/** @typedef {(x: number) => number} Curve pixels from the top; NaN where it is not */

/**
 * The box of a label.
 * @param {Place} place
 * @param {string} text
 * @returns {Box}
 */
export function boxOf({ x, y, anchor }, text) {
  const width = text.length * LETTER;
  const left = anchor === "end" ? x - width : x;
  return { left, right: left + width, top: y - LINE + 2, bottom: y + 2 };
}

/**
 * How much of a box is in the way of curves and other boxes: pixels across.
 * @param {Box} box
 * @param {Curve[]} curves
 * @param {Box[]} taken
 */
export function covered(box, curves, taken) {
  let sum = 0;
  for (const curve of curves) {
    for (let x = box.left; x <= box.right; x += 2) {
      // a steep stretch passes through without a sample inside
      const [a, b] = [curve(x), curve(x + 2)];
      if (Math.max(a, b) >= box.top - CLEAR && Math.min(a, b) <= box.bottom + CLEAR) sum += 2;
    }
  }
  for (const other of taken) {
    if (other.left < box.right && other.right > box.left && other.top < box.bottom && other.bottom > box.top) sum += 1000;
  }
  return sum;
}

/** Labels of one picture, each given a place of its own. */
export class Labels {
  /** @type {Box[]} */
  taken = [];

  /**
   * @param {number} width of the picture
   * @param {number} height
   * @param {Curve[]} curves
   */
  constructor(width, height, curves) {
    this.width = width;
    this.height = height;
    this.curves = curves;
  }

  /**
   * The first of some places that is free, or the one that is freest.
   * @param {string} text
   * @param {Place[]} places
   * @returns {Place}
   */
  put(text, places) {
    let [best, least] = [places[0], Infinity];
    for (const place of places) {
      const within = this.inside(place, text);
      const cost = covered(boxOf(within, text), this.curves, this.taken);
      if (cost < least) [best, least] = [within, cost];
      if (!cost) break;
    }
    this.taken.push(boxOf(best, text));
    return best;
  }

  /**
   * The first of some places that is free; null if none is.
   * @param {string} text
   * @param {Place[]} places
   */
  putIfFree(text, places) {
    const free = places.find((place) => !covered(boxOf(this.inside(place, text), text), this.curves, this.taken));
    return free ? this.put(text, [free]) : null;
  }

  /** @param {Place} place @param {string} text @returns {Place} */
  inside(place, text) {
    const width = text.length * LETTER;
    const [low, high] = place.anchor === "end" ? [width + 3, this.width - 3] : [3, this.width - width - 3];
    return { ...place, x: clamp(place.x, low, Math.max(low, high)), y: clamp(place.y, LINE, this.height - 3) };
  }

  /**
   * Places about a point: beside it, above and below it, farther off.
   * @param {number} x
   * @param {number} y
   * @returns {Place[]}
   */
  static about(x, y) {
    /** @type {Place[]} */
    const places = [];
    for (const away of [7, 16, 30, 50, 80, 120]) {
      for (const dy of [4, -away / 2, away / 2 + 8]) {
        places.push({ x: x + away, y: y + dy, anchor: "start" }, { x: x - away, y: y + dy, anchor: "end" });
      }
    }
    return places;
  }

  /**
   * Places along the right edge, or the left one, from the bottom up; then farther in.
   * @param {number} width
   * @param {number} height
   * @returns {Place[]}
   */
  static corners(width, height) {
    /** @type {Place[]} */
    const places = [];
    for (let x = 6; x < width / 2; x += width / 24) {
      for (const y of [height - 5, 12, height / 2, height * 0.3, height * 0.7]) {
        places.push({ x: width - x, y, anchor: "end" }, { x, y, anchor: "start" });
      }
    }
    return places;
  }

  /**
   * Places along a line across: at its left, then farther in, then at its right.
   * @param {number} width
   * @param {number} y
   * @returns {Place[]}
   */
  static alongLine(width, y) {
    /** @type {Place[]} */
    const places = [40, 80, 160, 240].map((x) => ({ x, y, anchor: "end" }));
    return [...places, { x: width - 6, y, anchor: "end" }];
  }
}
