// What has to be drawn anew: what shows something else than it did, and lies in sight.

import { sameNumbers } from "lazzik/lib/numbers.js";

/** @param {unknown} a @param {unknown} b */
const same = (a, b) => (a instanceof Float32Array && b instanceof Float32Array ? sameNumbers(a, b) : Object.is(a, b));

export class Redraw {
  /** @type {WeakMap<Element, unknown[]>} */
  shows = new WeakMap();

  /**
   * Whether an element shows something else from now on; its drawing is told by what goes into it.
   * @param {Element} element
   * @param {unknown[]} what numbers, names and curves, always as many and in the same order
   */
  differs(element, what) {
    const before = this.shows.get(element);
    if (before?.every((each, i) => same(each, what[i]))) return false;
    this.shows.set(element, what);
    return true;
  }
}

/**
 * Those of some elements that lie in what a scrolled one shows, or so near that the next turn of a wheel reaches them.
 * @template {Element} T
 * @param {Iterable<T>} elements
 * @param {Element} scrolled
 */
export function inSight(elements, scrolled) {
  const { top, bottom, height } = scrolled.getBoundingClientRect();
  return [...elements].filter((element) => {
    const box = element.getBoundingClientRect();
    return box.bottom > top - height / 2 && box.top < bottom + height / 2;
  });
}
