// The lanes: each layer's own contribution, the base and the result, over one time axis.

import { floats } from "./api.js";
import { facts } from "./session.js";

const SVG = "http://www.w3.org/2000/svg";
const MARGIN = 7;

export const make = (name, attributes = {}, ...children) => {
  const item = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) item.setAttribute(key, value);
  item.append(...children);
  return item;
};

export const tidy = (value) => {
  if (value === 0) return "0";
  const size = Math.abs(value);
  const text = size >= 100 ? value.toFixed(1) : size >= 1 ? value.toFixed(2) : value.toFixed(3);
  return text.replace("-", "−").replace(/^−(0\.?0*)$/, "$1");
};

function extent(...arrays) {
  let [low, high] = [Infinity, -Infinity];
  for (const values of arrays) for (const value of values) { if (value < low) low = value; if (value > high) high = value; }
  return [low, high];
}

// round values for a few grid lines
function ticks(low, high, most) {
  const raw = (high - low) / most;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= raw);
  const out = [];
  for (let value = Math.ceil(low / step) * step; value <= high; value += step) out.push(value);
  return out;
}

// a round reach with some room: a layer that grows is seen to grow, and the scale rarely changes
function roomy(reach) {
  const power = 10 ** Math.floor(Math.log10(reach));
  return [1, 1.5, 2, 3, 5, 7.5, 10, 15].map((n) => n * power).find((n) => n >= reach * 1.05);
}

export class Strata {
  constructor() {
    this.ranges = new Map(); // lane -> [low, high] while a drag holds the scale
    this.holding = false;
    this.ghost = null;
    new ResizeObserver(() => this.draw()).observe(document.getElementById("work"));
  }

  get svgs() { return [...document.querySelectorAll("#lanes svg.curve")]; }

  set(content) {
    this.data = {
      from: content.from,
      perFrame: content.perFrame,
      base: floats(content.base),
      result: floats(content.result),
      lanes: new Map(Object.entries(content.lanes).map(([id, bytes]) => [id, floats(bytes)])),
      seam: content.seam,
    };
    this.draw();
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
    this.heights = new Map(this.svgs.map((svg) => [svg, svg.clientHeight]));
    this.width = this.svgs[0]?.clientWidth || 1;
  }

  height(svg) { return this.heights.get(svg) ?? svg.clientHeight; }
  x(frame) { return ((frame - facts.first) / (facts.last - facts.first)) * this.width; }
  frameAt(x) { return facts.first + (x / this.width) * (facts.last - facts.first); }

  range(name, low, high, least = 1e-6) {
    if (high - low < least) [low, high] = [low - least / 2 - 0.5, high + least / 2 + 0.5];
    const held = this.ranges.get(name);
    if (held && this.holding) [low, high] = [Math.min(low, held[0]), Math.max(high, held[1])];
    this.ranges.set(name, [low, high]);
    return [low, high];
  }

  y(svg, low, high) {
    const height = this.height(svg) - 2 * MARGIN;
    return (value) => MARGIN + height - ((value - low) / (high - low)) * height;
  }

  line(values, y) {
    const { from, perFrame } = this.data;
    const start = this.x(from);
    const step = this.width / ((facts.last - facts.first) * perFrame);
    // a point for every pixel and a half is all that can be seen; the last one always stands
    const stride = Math.max(1, Math.round(1.3 / step));
    const last = values.length - 1;
    const point = (i) => `${Math.round((start + i * step) * 10) / 10} ${Math.round(y(values[i]) * 10) / 10}`;
    const points = [];
    for (let i = 0; i < last; i += stride) points.push(point(i));
    points.push(point(last));
    return `M${points.join("L")}`;
  }

  draw() {
    if (!this.data) return;
    this.measure();
    for (const svg of this.svgs) {
      svg.dataset.drawn = "1";
      const lane = svg.dataset.lane;
      if (lane === "result") this.drawResult(svg);
      else if (lane === "base") this.drawBase(svg);
      else if (this.data.lanes.has(lane)) this.drawLane(svg, lane);
    }
    this.now();
    this.drawn?.();
  }

  upright(svg) {
    const out = [];
    for (const frame of ticks(facts.first, facts.last, 10)) {
      const x = this.x(frame).toFixed(1);
      out.push(make("line", { class: "grid", x1: x, x2: x, y1: 0, y2: this.height(svg) }));
    }
    return out;
  }

  drawResult(svg) {
    const { result, base, seam } = this.data;
    const [least, most] = extent(result);
    const [low, high] = this.range("result", ...extent(result, base, this.ghost ?? []));
    const y = this.y(svg, low, high);
    const items = this.upright(svg);
    for (const value of ticks(low, high, 4)) {
      items.push(make("line", { class: "grid", x1: 0, x2: this.width, y1: y(value), y2: y(value) }));
      items.push(make("text", { x: 4, y: y(value) - 2 }, tidy(value)));
    }
    items.push(make("path", { class: "under", d: this.line(base, y) }));
    if (this.ghost) items.push(make("path", { class: "ghost", d: this.line(this.ghost, y) }));
    items.push(make("path", { class: "trace", d: this.line(result, y) }));
    if (most - least > 1e-9) {
      const at = result.indexOf(most);
      const x = (at / (result.length - 1)) * this.width;
      items.push(make("circle", { class: "dot", cx: x, cy: y(most), r: 3 }));
      const right = x > this.width - 110;
      items.push(make("text", { x: x + (right ? -7 : 7), y: Math.max(10, y(most) + 4), "text-anchor": right ? "end" : "start" }, `peak ${tidy(most)}${facts.unit}`));
      const apart = Math.abs(seam.value) < 5e-7 ? "0" : tidy(Math.abs(seam.value));
      items.push(make("text", { x: this.width - 6, y: this.height(svg) - 5, "text-anchor": "end" }, `seam ${apart}${facts.unit} apart`));
    }
    svg.replaceChildren(...items);
    document.getElementById("result-range").textContent = `${tidy(least)} to ${tidy(most)}${facts.unit === "m" ? " " : ""}${facts.unit}`;
  }

  drawLane(svg, id) {
    const values = this.data.lanes.get(id);
    const reach = roomy(Math.max(...extent(values).map(Math.abs), 1e-9));
    const [low, high] = this.range(id, -reach, reach);
    const y = this.y(svg, low, high);
    const block = svg.querySelector("g.window") ?? make("g", { class: "window" });
    svg.replaceChildren(
      ...this.upright(svg), block,
      make("line", { class: "zero", x1: 0, x2: this.width, y1: y(0), y2: y(0) }),
      make("path", { class: "trace", d: this.line(values, y) }),
      make("text", { x: 12, y: 12 }, `±${tidy(high)}${facts.unit}`),
    );
  }

  drawBase(svg) {
    const keys = svg.querySelector("g.beads") ?? make("g", { class: "beads" });
    const [low, high] = this.range("base", ...extent(this.data.base));
    const y = this.y(svg, low, high);
    this.baseScale = { y, perPixel: (high - low) / (this.height(svg) - 2 * MARGIN) };
    svg.replaceChildren(...this.upright(svg), make("path", { class: "trace", d: this.line(this.data.base, y) }), keys);
  }

  // the value under the playhead
  now() {
    const shown = document.getElementById("result-now");
    if (!shown || !this.data) return;
    const { result, from, perFrame } = this.data;
    const at = Math.min(result.length - 1, Math.max(0, Math.round((this.frame ?? facts.first) - from) * perFrame));
    const text = `${tidy(result[at])}${facts.unit === "m" ? " " : ""}${facts.unit}`;
    shown.textContent = text;
    const row = document.querySelector(".channel.chosen [data-now]");
    if (row && row.dataset.now === facts.at.split("#")[0] && !facts.at.split("#").some((hop, i) => i && hop.includes("."))) row.textContent = text;
  }

  show(frame) {
    this.frame = frame;
    this.now();
  }
}
