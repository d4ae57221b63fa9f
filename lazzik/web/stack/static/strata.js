// The lanes: each layer's own contribution, the base and the result, over one time axis.

import { floats } from "lazzik/lib/api.js";
import { facts } from "lazzik/studio/session.js";
import { onView, span, toFrame, toX, viewed, wheelsTime, zoomed } from "lazzik/timeline/timeaxis.js";

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

// names at the right edge, each at least a line below the one above
function spreadOut(places) {
  const order = places.map((y, i) => [y, i]).sort((a, b) => a[0] - b[0]);
  const out = [];
  let last = -Infinity;
  for (const [y, i] of order) { last = Math.max(y, last + 12); out[i] = last; }
  return out;
}

export class Strata {
  constructor() {
    this.ranges = new Map(); // lane -> [low, high] while a drag holds the scale
    this.holding = false;
    this.ghost = null;
    this.values = null; // [low, high] of the result while its values are zoomed
    const work = document.getElementById("work");
    this.watch = new ResizeObserver(() => this.draw());
    this.watch.observe(work);
    onView(() => this.draw());
    const left = () => this.svgs[0]?.getBoundingClientRect().left ?? 0;
    wheelsTime(work, left, () => this.width);
    work.addEventListener("wheel", (event) => this.zoomValues(event), { passive: false });
    work.addEventListener("pointermove", (event) => this.point(event, left()));
    work.addEventListener("pointerleave", () => this.point(null));
  }

  // those in sight: the key desk hides all but the base
  get svgs() { return [...document.querySelectorAll("#lanes svg.curve")].filter((svg) => svg.clientWidth); }

  set(content) {
    this.data = {
      channel: facts.channel,
      from: content.from,
      perFrame: content.perFrame,
      base: floats(content.base),
      result: floats(content.result),
      lanes: new Map(Object.entries(content.lanes).map(([id, bytes]) => [id, floats(bytes)])),
      seam: content.seam,
      problems: content.problems,
      also: content.also.map(({ channel, title, base, result }) => ({ channel, title, base: floats(base), result: floats(result) })),
    };
    this.draw();
  }

  // with Alt the wheel zooms the result's values about the pointer
  zoomValues(event) {
    const svg = event.target.closest?.("svg[data-lane=result]");
    if (!svg || !event.altKey || !this.resultScale) return;
    event.preventDefault();
    const { low, high } = this.resultScale;
    const box = svg.getBoundingClientRect();
    const about = high - ((event.clientY - box.top - MARGIN) / (box.height - 2 * MARGIN)) * (high - low);
    const factor = 1.0015 ** event.deltaY;
    this.values = [about - (about - low) * factor, about + (high - about) * factor];
    this.draw();
  }

  fitValues() { this.values = null; this.draw(); }

  // values of every lane under the pointer
  point(event, left) {
    const svg = event?.target.closest?.("#lanes svg.curve");
    for (const old of document.querySelectorAll("#lanes g.hover")) if (!svg) old.remove();
    if (!svg || !this.data) return;
    const { from, perFrame, result, base, lanes } = this.data;
    const at = Math.round((toFrame(event.clientX - left, this.width) - from) * perFrame);
    if (at < 0 || at >= result.length) return;
    const x = this.x(from + at / perFrame);
    for (const each of this.svgs) {
      const values = each.dataset.lane === "result" ? result : each.dataset.lane === "base" ? base : lanes.get(each.dataset.lane);
      if (!values) continue;
      const group = each.querySelector("g.hover") ?? each.appendChild(make("g", { class: "hover" }, make("line"), make("text")));
      const [line, label] = group.children;
      for (const [name, value] of Object.entries({ x1: x, x2: x, y1: 0, y2: this.height(each) })) line.setAttribute(name, value);
      label.setAttribute("x", x > this.width - 90 ? x - 5 : x + 5);
      label.setAttribute("y", this.height(each) - 5);
      label.setAttribute("text-anchor", x > this.width - 90 ? "end" : "start");
      const frame = each.dataset.lane === "result" ? `frame ${tidy(from + at / perFrame).replace(/\.?0+$/, "") || 0} · ` : "";
      label.textContent = `${frame}${tidy(values[at])}${facts.unit}`;
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
    this.width = this.shown[0]?.clientWidth || 1;
  }

  height(svg) { return this.heights.get(svg) ?? svg.clientHeight; }
  x(frame) { return toX(frame, this.width); }
  frameAt(x) { return toFrame(x, this.width); }
  get perPixel() { return span() / this.width; }

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
    const step = this.width / (span() * perFrame);
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
    for (const svg of this.shown) {
      svg.dataset.drawn = "1";
      const lane = svg.dataset.lane;
      if (lane === "result") this.drawResult(svg);
      else if (lane === "base") this.drawBase(svg);
      else if (this.data.lanes.has(lane)) this.drawLane(svg, lane);
    }
    this.now();
    this.drawn?.();
    document.getElementById("fit-view")?.toggleAttribute("disabled", !zoomed() && !this.values);
  }

  upright(svg) {
    const out = [];
    for (const frame of ticks(...viewed(), 10)) {
      const x = this.x(frame).toFixed(1);
      out.push(make("line", { class: "grid", x1: x, x2: x, y1: 0, y2: this.height(svg) }));
    }
    return out;
  }

  drawResult(svg) {
    const { result, base, seam, also, from, perFrame } = this.data;
    const [least, most] = extent(result);
    const [low, high] = this.values ?? this.range("result", ...extent(result, base, this.ghost ?? [], ...also.map((other) => other.result)));
    const y = this.y(svg, low, high);
    this.resultScale = { low, high };
    const spread = spreadOut(also.map((other) => y(other.result[other.result.length - 1])));
    const items = this.upright(svg);
    for (const value of ticks(low, high, 4)) {
      items.push(make("line", { class: "grid", x1: 0, x2: this.width, y1: y(value), y2: y(value) }));
      items.push(make("text", { x: 4, y: y(value) - 2 }, tidy(value)));
    }
    items.push(make("path", { class: "under", d: this.line(base, y) }));
    also.forEach((other, i) => {
      items.push(make("path", { class: "beside", d: this.line(other.result, y) }));
      items.push(make("text", { class: "beside-name", x: this.width - 6, y: Math.min(this.height(svg) - 16, Math.max(10, spread[i])), "text-anchor": "end" }, also.length > 6 ? "" : other.title.split(" / ")[0]));
    });
    if (this.ghost) items.push(make("path", { class: "ghost", d: this.line(this.ghost, y) }));
    items.push(make("path", { class: "trace", d: this.line(result, y) }));
    if (most - least > 1e-9) {
      const at = result.indexOf(most);
      const x = this.x(from + at / perFrame);
      items.push(make("circle", { class: "dot", cx: x, cy: y(most), r: 3 }));
      const right = x > this.width - 110;
      items.push(make("text", { x: x + (right ? -7 : 7), y: Math.max(10, y(most) + 4), "text-anchor": right ? "end" : "start" }, `peak ${tidy(most)}${facts.unit}`));
      const apart = Math.abs(seam.value) < 5e-7 ? "0" : tidy(Math.abs(seam.value));
      items.push(make("text", { x: this.width - 6, y: this.height(svg) - 5, "text-anchor": "end" }, `seam ${apart}${facts.unit} apart${seam.meets ? "" : `, slope ${tidy(Math.abs(seam.slope))}${facts.unit}/s`}`));
      const end = this.x(facts.last);
      items.push(make("path", { class: seam.meets ? "seam met" : "seam", d: `M${end - 5} ${y(result[result.length - 1])}h5M${this.x(facts.first)} ${y(result[0])}h5` }));
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
      ...(this.data.problems[id] ? [make("text", { class: "problem", x: 80, y: 12 }, this.data.problems[id])] : []),
    );
  }

  // the base; on the key desk also those of the numbers chosen beside it, to one scale where they share a unit
  drawBase(svg) {
    this.watch.observe(svg); // what is said below it may take some of its height
    const keys = svg.querySelector("g.beads") ?? make("g", { class: "beads" });
    const desk = document.getElementById("work").classList.contains("desk");
    const rows = [{ channel: facts.channel, base: this.data.base, title: "" }, ...(desk ? this.data.also : [])];
    const unit = (row) => facts.tracks.find((track) => track.channel === row.channel)?.unit;
    this.baseScales = new Map();
    const items = [...this.upright(svg)];
    const wide = (low, high) => (desk ? [low - 0.06 * (high - low), high + 0.06 * (high - low)] : [low, high]);
    for (const name of new Set(rows.map(unit))) {
      const group = rows.filter((row) => unit(row) === name);
      const [low, high] = wide(...this.range(`base ${name}`, ...extent(...group.map((row) => row.base))));
      const y = this.y(svg, low, high);
      const perPixel = (high - low) / (this.height(svg) - 2 * MARGIN);
      const value = (pixel) => high - (pixel - MARGIN) * perPixel;
      for (const row of group) this.baseScales.set(row.channel, { y, perPixel, value });
      if (desk && group.includes(rows[0])) {
        for (const level of ticks(low, high, 6)) {
          items.push(make("line", { class: "grid", x1: 0, x2: this.width, y1: y(level), y2: y(level) }), make("text", { x: 4, y: y(level) - 2 }, tidy(level)));
        }
      }
    }
    for (const row of rows.slice(1)) {
      const { y } = this.baseScales.get(row.channel);
      const end = row.base[row.base.length - 1];
      items.push(make("path", { class: "beside", d: this.line(row.base, y) }), make("text", { class: "beside-name", x: this.width - 6, y: y(end) - 5, "text-anchor": "end" }, row.title));
    }
    svg.replaceChildren(...items, make("path", { class: "trace", d: this.line(this.data.base, this.baseScales.get(facts.channel).y) }), keys);
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
