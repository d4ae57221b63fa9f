// Numbers as they are shown, and the scales that curves are drawn to.

/**
 * @param {number} value
 * @param {number} low
 * @param {number} high
 */
export const clamp = (value, low, high) => Math.min(Math.max(value, low), high);

/** Frames are equal within a millionth. @param {number} a @param {number} b */
export const near = (a, b) => Math.abs(a - b) < 1e-6;

/**
 * A number as text with as many digits as can be told apart on a curve.
 * @param {number} value
 */
export const tidy = (value) => {
  if (value === 0) return "0";
  const size = Math.abs(value);
  const text = size >= 100 ? value.toFixed(1) : size >= 1 ? value.toFixed(2) : value.toFixed(3);
  return text.replace("-", "−").replace(/^−(0\.?0*)$/, "$1");
};

/** Whether two curves are the same, value by value. @param {ArrayLike<number>} a @param {ArrayLike<number>} b */
export function sameNumbers(a, b) {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/**
 * The lowest and the highest of all values.
 * @param {...ArrayLike<number>} arrays
 * @returns {[number, number]} Infinity and -Infinity of none
 */
export function extent(...arrays) {
  let [low, high] = [Infinity, -Infinity];
  for (const values of arrays) {
    for (let i = 0; i < values.length; i++) {
      if (values[i] < low) low = values[i];
      if (values[i] > high) high = values[i];
    }
  }
  return [low, high];
}

/**
 * Round values for a few grid lines between two others: at most `most` steps apart.
 * @param {number} low
 * @param {number} high
 * @param {number} most
 */
export function ticks(low, high, most) {
  const raw = (high - low) / most;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= raw) ?? 10 * power;
  const out = [];
  for (let value = Math.ceil(low / step) * step; value <= high; value += step) out.push(value);
  return out;
}

/**
 * A round reach with some room: a layer that grows is seen to grow, and the scale rarely changes.
 * @param {number} reach
 */
export function roomy(reach) {
  const power = 10 ** Math.floor(Math.log10(reach));
  return [1, 1.5, 2, 3, 5, 7.5, 10, 15].map((n) => n * power).find((n) => n >= reach * 1.05) ?? 15 * power;
}

/**
 * Places of names in pixels, each at least a line below the one above.
 * @param {number[]} places
 * @param {number} line
 */
export function spreadOut(places, line = 12) {
  const order = places.map((y, i) => /** @type {const} */ ([y, i])).sort((a, b) => a[0] - b[0]);
  /** @type {number[]} */
  const out = [];
  let last = -Infinity;
  for (const [y, i] of order) { last = Math.max(y, last + line); out[i] = last; }
  return out;
}

/**
 * The bytes of numbers as text.
 * @param {Float32Array} numbers
 */
export function base64(numbers) {
  let text = "";
  const bytes = new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength);
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return btoa(text);
}

/** How many times as much is in view once a wheel was turned by so many pixels. @param {number} pixels */
export const wheeled = (pixels) => 1.0015 ** pixels;
