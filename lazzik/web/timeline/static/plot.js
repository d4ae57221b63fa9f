// Curves over the shared time axis: their paths, their scales, and the lines behind them.

import { shape } from "lazzik/lib/dom.js";
import { ticks } from "lazzik/lib/numbers.js";
import { span, toX, viewed } from "./timeaxis.js";

export const MARGIN = 7; // pixels above and below a curve
const CLOSE = 1.3; // pixels between points of a drawn curve

/** @typedef {{ from: number, perFrame: number }} Sampling the first frame, and values of each */

/**
 * A curve as path data.
 * @param {Sampling} sampling
 * @param {Float32Array} values
 * @param {(value: number) => number} y
 * @param {number} width
 */
export function curvePath({ from, perFrame }, values, y, width) {
  const start = toX(from, width);
  const step = width / (span() * perFrame);
  // a point for every pixel and a half is all that can be seen; the last one always stands
  const stride = Math.max(1, Math.round(CLOSE / step));
  const last = values.length - 1;
  const point = (/** @type {number} */ i) => `${Math.round((start + i * step) * 10) / 10} ${Math.round(y(values[i]) * 10) / 10}`;
  // of a part of the range only what is in view is drawn, and one point beyond each side
  const begin = Math.max(0, Math.floor(-start / step / stride)) * stride;
  const end = Math.min(last, Math.ceil((width - start) / step) + stride);
  const points = [];
  for (let i = begin; i < end; i += stride) points.push(point(i));
  points.push(point(Math.max(end, 0)));
  return `M${points.join("L")}`;
}

/**
 * Where values lie in a picture so high.
 * @param {number} height
 * @param {number} low
 * @param {number} high
 */
export function heights(height, low, high) {
  const inside = height - 2 * MARGIN;
  return (/** @type {number} */ value) => MARGIN + inside - ((value - low) / (high - low)) * inside;
}

/**
 * Upright lines at round frames.
 * @param {number} width
 * @param {number} height
 */
export const upright = (width, height) => ticks(...viewed(), 10).map((frame) => {
  const x = toX(frame, width).toFixed(1);
  return shape("line", { class: "grid", x1: x, x2: x, y1: 0, y2: height });
});

/**
 * Lines across at round values.
 * @param {number[]} levels
 * @param {(value: number) => number} y
 * @param {number} width
 */
export const across = (levels, y, width) => levels.map((level) => (
  shape("line", { class: "grid", x1: 0, x2: width, y1: y(level), y2: y(level) })
));
