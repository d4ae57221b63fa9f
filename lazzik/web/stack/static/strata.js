// The lanes: each layer's own contribution, the base and the result, over one time axis.

import { floats } from "lazzik/lib/api.js";
import { all, maybe, one, over, put, shape } from "lazzik/lib/dom.js";
import { clamp, extent, roomy, spreadOut, ticks, tidy, wheeled } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { Labels } from "lazzik/stack/labels.js";
import { inSight, Redraw } from "lazzik/stack/redraw.js";
import { across, curvePath, heights, MARGIN, upright } from "lazzik/timeline/plot.js";
import { onView, span, toFrame, toX, viewed, wheelsTime, zoomed } from "lazzik/timeline/timeaxis.js";

const MOST_NAMES = 6; // curves beside the shown one that are told by name

/**
 * @typedef {object} Beside a number that is drawn beside the shown one
 * @property {string} channel
 * @property {string} title
 * @property {Float32Array} base
 * @property {Float32Array} result
 */

/**
 * @typedef {object} Curves what is drawn, a value for each of `perFrame` moments of a frame
 * @property {string} channel
 * @property {number} from the first frame
 * @property {number} perFrame
 * @property {Float32Array} base
 * @property {Float32Array} result
 * @property {Map<string, Float32Array>} lanes
 * @property {{ value: number, slope: number, meets: boolean }} seam
 * @property {Record<string, string>} problems
 * @property {Beside[]} also
 */

/**
 * @typedef {object} Scale how a base is drawn
 * @property {(value: number) => number} y pixels from the top
 * @property {number} perPixel
 * @property {(pixel: number) => number} value
 */

/** A unit as it stands behind a number. */
const unit = () => (store.facts.unit === "m" ? " m" : store.facts.unit);

export class Strata {
  /** @type {Map<string, [low: number, high: number]>} by lane while a drag holds the scale */
  ranges = new Map();
  holding = false;
  /** @type {Float32Array | undefined | null} the result before a drag */
  ghost = null;
  /** @type {[low: number, high: number] | null} of the result while its values are zoomed */
  values = null;
  /** @type {Curves | null} */
  data = null;
  /** @type {Map<string, Scale>} by number */
  baseScales = new Map();
  /** @type {{ low: number, high: number } | null} */
  resultScale = null;
  /** @type {SVGSVGElement[]} */
  shown = [];
  /** @type {Map<Element, number>} */
  heights = new Map();
  /** @type {Set<SVGSVGElement>} lanes that are drawn when they come into sight */
  owed = new Set();
  redraw = new Redraw();
  width = 1;
  scaleSize = { width: 0, height: 0 };
  /** Called whenever it was drawn. */
  drawn = () => {};

  constructor() {
    const work = one("#work");
    this.watch = new ResizeObserver(() => this.draw());
    this.watch.observe(work);
    onView(() => this.draw());
    const left = () => this.svgs[0]?.getBoundingClientRect().left ?? 0;
    work.addEventListener("scroll", () => this.scrolled(), { passive: true, capture: true });
    wheelsTime(work, left, () => this.width);
    work.addEventListener("wheel", (event) => this.zoomValues(event), { passive: false });
    work.addEventListener("pointermove", (event) => this.point(event, left()));
    work.addEventListener("pointerleave", () => this.point(null, 0));
    store.subscribe("frame", () => this.now());
  }

  // those in sight: the key desk hides all but the base
  get svgs() { return all("#lanes svg.curve", document, SVGSVGElement).filter((svg) => svg.clientWidth); }

  /** @param {any} content as the server sends it */
  set(content) {
    this.data = {
      channel: store.facts.channel,
      from: content.from,
      perFrame: content.perFrame,
      base: floats(content.base),
      result: floats(content.result),
      lanes: new Map(Object.entries(content.lanes).map(([id, bytes]) => [id, floats(bytes)])),
      seam: content.seam,
      problems: content.problems,
      also: content.also.map((/** @type {any} */ other) => ({ ...other, base: floats(other.base), result: floats(other.result) })),
    };
    this.draw();
  }

  // with Alt the wheel zooms the result's values about the pointer
  /** @param {WheelEvent} event */
  zoomValues(event) {
    const svg = over(event, "svg[data-lane=result]", SVGElement);
    if (!svg || !event.altKey || !this.resultScale) return;
    event.preventDefault();
    const { low, high } = this.resultScale;
    const box = svg.getBoundingClientRect();
    const about = high - ((event.clientY - box.top - MARGIN) / (box.height - 2 * MARGIN)) * (high - low);
    const factor = wheeled(event.deltaY);
    this.values = [about - (about - low) * factor, about + (high - about) * factor];
    this.draw();
  }

  fitValues() { this.values = null; this.draw(); }

  /**
   * The values of a lane.
   * @param {string | undefined} lane
   */
  valuesOf(lane) {
    if (!this.data || lane === undefined) return undefined;
    return lane === "result" ? this.data.result : lane === "base" ? this.data.base : this.data.lanes.get(lane);
  }

  /**
   * Values of every lane under the pointer.
   * @param {PointerEvent | null} event null where it left
   * @param {number} left
   */
  point(event, left) {
    const svg = over(event, "#lanes svg.curve", SVGElement);
    if (!svg) for (const old of document.querySelectorAll("#lanes g.hover")) old.remove();
    if (!event || !svg || !this.data) return;
    const { from, perFrame, result } = this.data;
    const at = Math.round((toFrame(event.clientX - left, this.width) - from) * perFrame);
    if (at < 0 || at >= result.length) return;
    const x = this.x(from + at / perFrame);
    const late = x > this.width - 90;
    for (const each of this.svgs) {
      const values = this.valuesOf(each.dataset.lane);
      if (!values) continue;
      const group = each.querySelector("g.hover") ?? each.appendChild(shape("g", { class: "hover" }, shape("line"), shape("text")));
      const [line, label] = group.children;
      put(line, { x1: x, x2: x, y1: 0, y2: this.height(each) });
      put(label, { x: late ? x - 5 : x + 5, y: this.height(each) - 5, "text-anchor": late ? "end" : "start" });
      const frame = each.dataset.lane === "result" ? `frame ${tidy(from + at / perFrame).replace(/\.?0+$/, "") || 0} · ` : "";
      label.textContent = `${frame}${tidy(values[at])}${store.facts.unit}`;
    }
  }

  // while dragging, scales only ever grow and the state before stays as a ghost
  hold() {
    if (this.holding) return;
    this.holding = true;
    this.ghost = this.data?.result;
  }

  release() {
    this.holding = false;
    this.ghost = null;
    this.ranges.clear();
    this.draw();
  }

  // sizes are read once before anything is drawn: reading between writes would lay the page out again each time
  measure() {
    this.shown = this.svgs;
    this.heights = new Map(this.shown.map((svg) => [svg, svg.clientHeight]));
    this.width = (this.shown[0] ?? one("#ruler")).clientWidth || 1;
    const scale = maybe("#result-scale", document, SVGElement);
    this.scaleSize = { width: scale?.clientWidth ?? 0, height: scale?.clientHeight ?? 0 };
  }

  /** @param {Element} svg */
  height(svg) { return this.heights.get(svg) ?? svg.clientHeight; }

  /** @param {number} frame */
  x(frame) { return toX(frame, this.width); }

  /** @param {number} x */
  frameAt(x) { return toFrame(x, this.width); }

  get perPixel() { return span() / this.width; }

  /**
   * What a lane is drawn between: wide enough to be drawn at all, and no less than before while a drag lasts.
   * @param {string} name
   * @param {number} low
   * @param {number} high
   * @returns {[low: number, high: number]}
   */
  range(name, low, high, least = 1e-6) {
    if (high - low < least) [low, high] = [low - least / 2 - 0.5, high + least / 2 + 0.5];
    const before = this.ranges.get(name);
    if (before && this.holding) [low, high] = [Math.min(low, before[0]), Math.max(high, before[1])];
    this.ranges.set(name, [low, high]);
    return [low, high];
  }

  /**
   * @param {Element} svg
   * @param {number} low
   * @param {number} high
   */
  y(svg, low, high) { return heights(this.height(svg), low, high); }

  /**
   * A curve as path data.
   * @param {Curves} data whose clock it is on
   * @param {Float32Array} values
   * @param {(value: number) => number} y
   */
  line(data, values, y) { return curvePath(data, values, y, this.width); }

  /**
   * A curve as heights over places, both in pixels.
   * @param {Curves} data whose clock it is on
   * @param {Float32Array} values
   * @param {(value: number) => number} y
   */
  heightsOf({ from, perFrame }, values, y) {
    return (/** @type {number} */ x) => y(values[Math.round((this.frameAt(x) - from) * perFrame)]);
  }

  draw() {
    const { data } = this;
    this.measure();
    if (data) this.drawLanes(data);
    this.drawn();
    maybe("#fit-view")?.toggleAttribute("disabled", !zoomed() && !this.values);
  }

  /** @param {Curves} data */
  drawLanes(data) {
    this.owed = new Set(this.shown.filter((svg) => data.lanes.has(svg.dataset.lane ?? "")));
    const seen = this.seen();
    for (const svg of this.shown) {
      svg.dataset.drawn = "1";
      const { lane } = svg.dataset;
      if (lane === "result") this.drawResult(svg, data);
      else if (lane === "base") this.drawBase(svg, data);
    }
    this.drawOwed(data, seen);
    this.now();
  }

  scrolled() {
    if (!this.data || !this.owed.size) return;
    this.drawOwed(this.data, this.seen());
    this.drawn();
  }

  // of the lanes that wait, those in sight; asked before anything is drawn, as sizes are
  seen() {
    const scroller = maybe("#lanes")?.parentElement;
    return scroller ? inSight(this.owed, scroller) : [];
  }

  // lanes out of sight wait until they are scrolled to
  /** @param {Curves} data @param {SVGSVGElement[]} seen */
  drawOwed(data, seen) {
    for (const svg of seen) {
      this.owed.delete(svg);
      const { lane = "" } = svg.dataset;
      const values = data.lanes.get(lane);
      if (values) this.drawLane(svg, data, lane, values);
    }
  }

  /** @param {Element} svg */
  upright(svg) { return upright(this.width, this.height(svg)); }

  /**
   * Lines across at round values.
   * @param {number[]} levels
   * @param {(value: number) => number} y
   */
  across(levels, y) { return across(levels, y, this.width); }

  /**
   * What lines across stand for, told beside the picture.
   * @param {number[]} levels
   * @param {(value: number) => number} y
   */
  tellLevels(levels, y) {
    const { height, width } = this.scaleSize;
    maybe("#result-scale", document, SVGElement)?.replaceChildren(...levels.map((level) => (
      shape("text", { x: width - 4, y: clamp(y(level) + 4, 9, height - 2), "text-anchor": "end" }, tidy(level))
    )));
  }

  /** @param {SVGSVGElement} svg @param {Curves} data */
  drawResult(svg, data) {
    const { result, base, also } = data;
    const [least, most] = extent(result);
    const ends = extent(result, base, this.ghost ?? [], ...also.map((other) => other.result));
    const [low, high] = this.values ?? this.range("result", ...ends);
    const y = this.y(svg, low, high);
    this.resultScale = { low, high };
    const levels = ticks(low, high, 4);
    const curves = [result, base, ...also.map((other) => other.result)].map((values) => this.heightsOf(data, values, y));
    const labels = new Labels(this.width, this.height(svg), curves);
    const moves = most - least > 1e-9;
    svg.replaceChildren(
      ...this.upright(svg), ...this.across(levels, y),
      shape("path", { class: "under", d: this.line(data, base, y) }),
      ...also.map((other) => shape("path", { class: `beside ${this.axisOf(other.channel)}`, d: this.line(data, other.result, y) })),
      ...(this.ghost ? [shape("path", { class: "ghost", d: this.line(data, this.ghost, y) })] : []),
      shape("path", { class: "trace", d: this.line(data, result, y) }),
      ...(moves ? this.seam(data, y) : []), ...(moves ? this.peak(data, most, y, labels) : []),
      ...(moves ? [this.seamText(svg, data, labels)] : []), ...this.besideNames(svg, data, y, labels),
    );
    this.tellLevels(levels, y);
    one("#result-range").textContent = `${tidy(least)} to ${tidy(most)}${unit()}`;
  }

  /**
   * 'x', 'y' or 'z' of a number of the shown one's own object, which is told by its line; '' of any other.
   * @param {string} channel
   */
  axisOf(channel) {
    const own = channel.split("/")[0] === store.facts.channel.split("/")[0];
    return own ? (/\.([xyz])$/.exec(channel)?.[1] ?? "") : "";
  }

  /**
   * @param {string} name
   * @param {string} text
   * @param {import("lazzik/stack/labels.js").Place} place
   */
  label(name, text, { x, y, anchor }) { return shape("text", { class: name, x, y, "text-anchor": anchor }, text); }

  /** @param {Element} svg @param {Curves} data @param {(value: number) => number} y @param {Labels} labels */
  besideNames(svg, { also }, y, labels) {
    if (also.length > MOST_NAMES) return [];
    const places = spreadOut(also.map((other) => y(other.result[other.result.length - 1])));
    return also.flatMap((other, i) => {
      const name = this.axisOf(other.channel) ? (other.title.split(" / ")[1] ?? "") : other.title.split(" / ").slice(0, -1).join(" / ");
      const near = Labels.about(this.width, clamp(places[i], 10, this.height(svg) - 16)).filter((place) => place.anchor === "end");
      const at = labels.putIfFree(name, near); // among many curves there may be no room; the pointer tells them apart
      return at ? [this.label("beside-name", name, at)] : [];
    });
  }

  /** @param {Curves} data @param {number} most @param {(value: number) => number} y @param {Labels} labels */
  peak({ result, from, perFrame }, most, y, labels) {
    const x = this.x(from + result.indexOf(most) / perFrame);
    const text = `peak ${tidy(most)}${store.facts.unit}`;
    return [
      shape("circle", { class: "dot", cx: x, cy: y(most), r: 3 }),
      this.label("peak", text, labels.put(text, Labels.about(x, y(most)))),
    ];
  }

  // how far the ends of the range are from each other
  /** @param {Curves} data @param {(value: number) => number} y */
  seam({ result, seam }, y) {
    const { first, last } = store.facts;
    const ends = `M${this.x(last) - 5} ${y(result[result.length - 1])}h5M${this.x(first)} ${y(result[0])}h5`;
    return [shape("path", { class: seam.meets ? "seam met" : "seam", d: ends })];
  }

  /** @param {Element} svg @param {Curves} data @param {Labels} labels */
  seamText(svg, { seam }, labels) {
    const { unit: own } = store.facts;
    const apart = Math.abs(seam.value) < 5e-7 ? "0" : tidy(Math.abs(seam.value));
    const slope = seam.meets ? "" : `, slope ${tidy(Math.abs(seam.slope))}${own}/s`;
    const text = `seam ${apart}${own} apart${slope}`;
    return this.label("seam-text", text, labels.put(text, Labels.corners(this.width, this.height(svg))));
  }

  /** @param {SVGSVGElement} svg @param {Curves} data @param {string} id @param {Float32Array} values */
  drawLane(svg, data, id, values) {
    const size = roomy(Math.max(...extent(values).map(Math.abs), 1e-9));
    const [low, high] = this.range(id, -size, size);
    const problem = data.problems[id];
    const shows = [values, data.from, data.perFrame, low, high, problem, ...viewed(), this.width, this.height(svg)];
    if (!this.redraw.differs(svg, shows)) return;
    const y = this.y(svg, low, high);
    svg.replaceChildren(
      ...this.upright(svg), svg.querySelector("g.window") ?? shape("g", { class: "window" }),
      shape("line", { class: "zero", x1: 0, x2: this.width, y1: y(0), y2: y(0) }),
      shape("path", { class: "trace", d: this.line(data, values, y) }),
      ...(problem ? [shape("text", { class: "problem", x: 12, y: 12 }, problem)] : []),
    );
    const reach = maybe(`[data-reach="${CSS.escape(id)}"]`);
    if (reach) reach.textContent = ` ±${tidy(high)}${store.facts.unit}`;
  }

  // the base; on the key desk also those of the numbers chosen beside it, to one scale where they share a unit
  /** @param {SVGSVGElement} svg @param {Curves} data */
  drawBase(svg, data) {
    this.watch.observe(svg); // what is said below it may take some of its height
    const { channel, tracks } = store.facts;
    const keys = svg.querySelector("g.beads") ?? shape("g", { class: "beads" });
    const desk = one("#work").classList.contains("desk");
    const own = { channel, base: data.base, title: "" };
    const rows = [own, ...(desk ? data.also : [])];
    const unitOf = (/** @type {{ channel: string }} */ row) => tracks.find((track) => track.channel === row.channel)?.unit;
    this.baseScales = new Map();
    /** @type {SVGElement[]} */
    const items = [...this.upright(svg)];
    /** @type {[text: string, places: import("lazzik/stack/labels.js").Place[], name: string][]} */
    const told = [];
    for (const name of new Set(rows.map(unitOf))) {
      const group = rows.filter((row) => unitOf(row) === name);
      const scale = this.scaleOf(svg, `base ${name}`, group.map((row) => row.base), desk);
      for (const row of group) this.baseScales.set(row.channel, scale);
      if (!desk || !group.includes(own)) continue;
      const levels = ticks(scale.low, scale.high, 6);
      items.push(...this.across(levels, scale.y));
      for (const level of levels) told.push([tidy(level), Labels.alongLine(this.width, scale.y(level) - 3), ""]);
    }
    for (const row of rows.slice(1)) {
      const y = this.baseScales.get(row.channel)?.y;
      if (!y) continue;
      const end = row.base[row.base.length - 1];
      items.push(shape("path", { class: "beside", d: this.line(data, row.base, y) }));
      told.push([row.title, Labels.about(this.width, y(end)).filter((place) => place.anchor === "end"), "beside-name"]);
    }
    const y = this.baseScales.get(channel)?.y;
    if (y) items.push(shape("path", { class: "trace", d: this.line(data, data.base, y) }));
    const curves = rows.flatMap((row) => {
      const at = this.baseScales.get(row.channel)?.y;
      return at ? [this.heightsOf(data, row.base, at)] : [];
    });
    const labels = new Labels(this.width, this.height(svg), curves);
    const texts = told.map(([text, places, name]) => this.label(name, text, labels.put(text, places)));
    svg.replaceChildren(...items, ...texts, keys);
  }

  /**
   * @param {Element} svg
   * @param {string} name
   * @param {Float32Array[]} curves
   * @param {boolean} wide with some room above and below
   */
  scaleOf(svg, name, curves, wide) {
    const [least, most] = this.range(name, ...extent(...curves));
    const room = wide ? 0.06 * (most - least) : 0;
    const [low, high] = [least - room, most + room];
    const perPixel = (high - low) / (this.height(svg) - 2 * MARGIN);
    return { low, high, perPixel, y: this.y(svg, low, high), value: (/** @type {number} */ pixel) => high - (pixel - MARGIN) * perPixel };
  }

  // the value under the playhead
  now() {
    const shown = maybe("#result-now");
    if (!shown || !this.data) return;
    const { base, result, from, perFrame } = this.data;
    const { at } = store.facts;
    const place = clamp(Math.round(store.frame - from) * perFrame, 0, result.length - 1);
    const text = `${tidy(result[place])}${unit()}`;
    shown.textContent = text;
    const keyed = maybe(".base-value[data-keyed=true] input", document, HTMLInputElement);
    if (keyed && keyed !== document.activeElement) keyed.value = keyed.defaultValue = String(Number(base[place].toPrecision(6)));
    const row = maybe(".channel.chosen [data-now]");
    const isNumber = !at.split("#").some((hop, i) => i && hop.includes("."));
    if (row && row.dataset.now === at.split("#")[0] && isNumber) row.textContent = text;
  }
}
