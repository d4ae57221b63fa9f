// Time: the playhead, the ruler, and playing.

import { all, one, shape, untilReleased } from "lazzik/lib/dom.js";
import { clamp } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { onView, snapped, span, toFrame, toX, viewed, wheelsTime } from "./timeaxis.js";

const STEPS = [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000, 2500, 5000]; // frames between numbers of the ruler
const APART = 56; // pixels that a number needs
/** @type {Record<string, number>} */
const KEYS = { ArrowLeft: -1, ArrowRight: 1, PageUp: 10, PageDown: -10 };

export class Transport {
  /** @type {number | null} the picture that was asked for while it plays */
  playing = null;
  width = 1;
  height = 1;
  /** @type {{ from: number, to: number, older: boolean }[]} frames that are there of what is simulated */
  kept = [];

  constructor() {
    this.ruler = one("#ruler");
    this.field = one("#frame", document, HTMLInputElement);
    this.ruler.addEventListener("pointerdown", (event) => this.scrub(event));
    this.ruler.addEventListener("keydown", (event) => {
      const steps = KEYS[event.key];
      if (!steps) return;
      event.preventDefault();
      this.go(this.frame + steps);
    });
    this.field.addEventListener("change", () => this.go(Number(this.field.value)));
    // sizes are read when they change: reading them beside what others have just drawn would lay the page out again
    new ResizeObserver(() => { this.measure(); this.draw(); }).observe(this.ruler);
    this.measure();
    onView(() => this.draw());
    wheelsTime(this.ruler, () => this.ruler.getBoundingClientRect().left, () => this.width, true);
  }

  get frame() { return store.frame; }

  /** @param {PointerEvent} event */
  scrub(event) {
    this.pause();
    const box = this.ruler.getBoundingClientRect();
    /** @param {number} x */
    const at = (x) => this.go(snapped(toFrame(x - box.left, box.width), box.width));
    at(event.clientX);
    untilReleased((next) => at(next.clientX));
  }

  /** @param {number} frame */
  go(frame) {
    const { first, last } = store.facts;
    const next = clamp(Math.round(Number.isFinite(frame) ? frame : this.frame), first, last);
    this.field.value = String(next);
    this.ruler.setAttribute("aria-valuenow", String(next));
    store.set({ frame: next });
    this.place();
  }

  place() {
    const x = toX(this.frame, this.width);
    for (const mark of all("#pin, .playhead")) {
      mark.style.transform = `translateX(${x}px)`;
      mark.hidden = x < -0.5 || x > this.width + 0.5;
    }
  }

  toggle() { if (this.playing) this.pause(); else this.play(); }

  play() {
    const { first, last, fps } = store.facts;
    const began = performance.now();
    const from = this.frame >= last ? first : this.frame;
    const count = last - first + 1;
    /** @param {number} now */
    const step = (now) => {
      // the frame follows the clock, so a slow picture drops frames and never slows the motion
      const frame = first + ((from - first + Math.floor(((now - began) / 1000) * fps)) % count);
      if (frame !== this.frame) this.go(frame);
      this.playing = requestAnimationFrame(step);
    };
    this.playing = requestAnimationFrame(step);
    this.mark("pause-fill", "Pause");
  }

  pause() {
    if (this.playing) cancelAnimationFrame(this.playing);
    this.playing = null;
    this.mark("play-fill", "Play");
  }

  /** @param {string} icon @param {string} label */
  mark(icon, label) {
    const button = one("#play");
    button.setAttribute("aria-label", label);
    const drawing = one("use", button, SVGElement);
    drawing.setAttribute("href", (drawing.getAttribute("href") ?? "").replace(/#.*/, `#${icon}`));
  }

  /** Say which frames are there of what is simulated. @param {Transport["kept"]} kept */
  keeps(kept) {
    if (JSON.stringify(kept) === JSON.stringify(this.kept)) return;
    this.kept = kept;
    this.draw();
  }

  measure() {
    this.width = this.ruler.clientWidth || 1;
    this.height = this.ruler.clientHeight;
  }

  draw() {
    const { width, height } = this;
    const [from, to] = viewed();
    const step = STEPS.find((n) => (n / span()) * width >= APART) ?? 10000;
    const items = [];
    for (let frame = Math.ceil(from / step) * step - step; frame <= to; frame += step / 5) {
      const x = toX(frame, width);
      const long = Math.abs(frame / step - Math.round(frame / step)) < 1e-9;
      items.push(shape("path", { d: `M${x.toFixed(1)} ${height}v${long ? -12 : -6}` }));
      if (!long || x <= 8) continue;
      const anchor = x > width - 14 ? "end" : "middle";
      items.push(shape("text", { x: Math.min(x, width - 10), y: 14, "text-anchor": anchor }, String(Math.round(frame))));
    }
    for (const { from: begin, to: end, older } of this.kept) {
      const [left, right] = [toX(begin, width), toX(end, width)].map((x) => clamp(x, 0, width));
      if (right > left) items.push(shape("path", { class: older ? "kept older" : "kept", d: `M${left.toFixed(1)} ${height - 1.5}H${right.toFixed(1)}` }));
    }
    one("svg", this.ruler, SVGElement).replaceChildren(...items);
    this.place();
  }
}
