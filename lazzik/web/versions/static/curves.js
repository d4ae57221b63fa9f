// A number in both states over the shared time axis, and how far they are apart.

import { floats, packed } from "lazzik/lib/api.js";
import { maybe, one, shape } from "lazzik/lib/dom.js";
import { extent, roomy, ticks, tidy } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { across, curvePath, heights, upright } from "lazzik/timeline/plot.js";
import { onView, wheelsTime } from "lazzik/timeline/timeaxis.js";

/**
 * @typedef {object} Both
 * @property {string} title
 * @property {string} unit
 * @property {number} from
 * @property {number} perFrame
 * @property {Float32Array | null} before null where the first state has no such number
 * @property {Float32Array | null} after
 * @property {Float32Array | null} difference
 * @property {number} most how far they are apart at most
 */

export class BothCurves {
  /** @type {Both | null} */
  data = null;
  width = 1;
  asked = "";

  /** @param {() => void} drawn called whenever it was drawn */
  constructor(drawn) {
    this.drawn = drawn;
    this.lanes = { both: one("#curve-both", document, SVGSVGElement), apart: one("#curve-apart", document, SVGSVGElement) };
    const place = one("#lanes");
    new ResizeObserver(() => this.draw()).observe(place);
    onView(() => this.draw());
    wheelsTime(place, () => this.lanes.both.getBoundingClientRect().left, () => this.width);
  }

  /**
   * Fetch a number's curves and draw them. One that comes late does not cover another one.
   * @param {Record<string, string>} asked a, b, on and the address
   */
  async see(asked) {
    const query = `${new URLSearchParams(asked)}`;
    this.asked = query;
    const content = await packed(`${store.url}/versions/curves?${query}`);
    if (this.asked !== query) return;
    const values = (/** @type {Uint8Array | null} */ bytes) => (bytes ? floats(bytes) : null);
    this.data = { ...content, before: values(content.before), after: values(content.after), difference: values(content.difference) };
    one("#seen-title").textContent = content.title;
    this.draw();
  }

  draw() {
    const { data, lanes: { both, apart } } = this;
    if (!data) return;
    const [high, low] = [both.clientHeight, apart.clientHeight];
    this.width = both.clientWidth || 1;
    this.drawBoth(both, data, high);
    this.drawApart(apart, data, low);
    this.tell(data);
    this.drawn();
  }

  /** @param {SVGSVGElement} svg @param {Both} data @param {number} height */
  drawBoth(svg, data, height) {
    let [low, high] = extent(data.before ?? [], data.after ?? []);
    if (high - low < 1e-6) [low, high] = [low - 0.5, high + 0.5];
    const y = heights(height, low, high);
    const path = (/** @type {string} */ name, /** @type {Float32Array | null} */ values) => (
      values ? [shape("path", { class: `trace ${name}`, d: curvePath(data, values, y, this.width) })] : []
    );
    svg.replaceChildren(
      ...upright(this.width, height), ...across(ticks(low, high, 4), y, this.width), ...path("second", data.after), ...path("first", data.before),
    );
  }

  /** @param {SVGSVGElement} svg @param {Both} data @param {number} height */
  drawApart(svg, data, height) {
    const size = roomy(Math.max(data.most, 1e-9));
    const y = heights(height, -size, size);
    svg.replaceChildren(
      ...upright(this.width, height), shape("line", { class: "zero", x1: 0, x2: this.width, y1: y(0), y2: y(0) }),
      ...(data.difference ? [shape("path", { class: "trace", d: curvePath(data, data.difference, y, this.width) })] : []),
    );
  }

  /** @param {Both} data */
  tell({ before, after, difference, most, unit }) {
    const own = unit === "m" || unit === "s" ? ` ${unit}` : unit;
    const range = (/** @type {Float32Array | null} */ values) => {
      if (!values) return "not there";
      const [low, high] = extent(values);
      return high - low < 1e-9 ? `${tidy(low)}${own}` : `${tidy(low)} to ${tidy(high)}${own}`;
    };
    one("#range-first").textContent = `${maybe("#label-first")?.textContent} ${range(before)}`;
    one("#range-second").textContent = `${maybe("#label-second")?.textContent} ${range(after)}`;
    one("#most-apart").textContent = difference ? `at most ${tidy(most)}${own}` : "one of them has no such number";
  }
}
