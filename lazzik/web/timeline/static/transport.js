// Time: the playhead, the ruler, and playing.

import { make } from "lazzik/stack/strata.js";
import { facts } from "lazzik/studio/session.js";
import { onView, span, toFrame, toX, viewed, wheelsTime } from "./timeaxis.js";

export class Transport {
  constructor(show) {
    this.show = show;
    this.frame = facts.first;
    this.playing = null;
    this.width = 1;
    this.ruler = document.getElementById("ruler");
    this.field = document.getElementById("frame");
    this.ruler.addEventListener("pointerdown", (event) => this.scrub(event));
    this.ruler.addEventListener("keydown", (event) => {
      const steps = { ArrowLeft: -1, ArrowRight: 1, PageUp: 10, PageDown: -10 }[event.key];
      if (!steps) return;
      event.preventDefault();
      this.go(this.frame + steps);
    });
    this.field.addEventListener("change", () => this.go(Number(this.field.value)));
    new ResizeObserver(() => this.draw()).observe(this.ruler);
    onView(() => this.draw());
    wheelsTime(this.ruler, () => this.ruler.getBoundingClientRect().left, () => this.width, true);
  }

  scrub(event) {
    this.pause();
    const box = this.ruler.getBoundingClientRect();
    const at = (x) => this.go(toFrame(x - box.left, box.width));
    at(event.clientX);
    const stop = new AbortController();
    window.addEventListener("pointermove", (next) => at(next.clientX), { signal: stop.signal });
    window.addEventListener("pointerup", () => stop.abort(), { signal: stop.signal });
  }

  go(frame) {
    if (!Number.isFinite(frame)) frame = this.frame;
    this.frame = Math.min(Math.max(Math.round(frame), facts.first), facts.last);
    this.field.value = this.frame;
    this.ruler.setAttribute("aria-valuenow", this.frame);
    this.place();
    this.show(this.frame);
  }

  place() {
    const x = toX(this.frame, this.width);
    for (const mark of [document.getElementById("pin"), document.getElementById("playhead")]) {
      if (!mark) continue;
      mark.style.transform = `translateX(${x}px)`;
      mark.hidden = x < -0.5 || x > this.width + 0.5;
    }
  }

  toggle() { if (this.playing) this.pause(); else this.play(); }

  play() {
    const began = performance.now();
    const from = this.frame >= facts.last ? facts.first : this.frame;
    const count = facts.last - facts.first + 1;
    const step = (now) => {
      // the frame follows the clock, so a slow picture drops frames and never slows the motion
      const frame = facts.first + ((from - facts.first + Math.floor(((now - began) / 1000) * facts.fps)) % count);
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

  mark(icon, label) {
    const button = document.getElementById("play");
    button.setAttribute("aria-label", label);
    button.querySelector("use").setAttribute("href", `/static/vendor/bootstrap-icons/bootstrap-icons.svg#${icon}`);
  }

  draw() {
    const svg = this.ruler.querySelector("svg");
    const { clientWidth: width, clientHeight: height } = this.ruler;
    this.width = width;
    const [from, to] = viewed();
    const step = [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000, 2500, 5000].find((n) => (n / span()) * width >= 56) ?? 10000;
    const items = [];
    for (let frame = Math.ceil(from / step) * step - step; frame <= to; frame += step / 5) {
      const x = toX(frame, width);
      const long = Math.abs(frame / step - Math.round(frame / step)) < 1e-9;
      items.push(make("path", { d: `M${x.toFixed(1)} ${height}v${long ? -12 : -6}` }));
      if (long && x > 8) items.push(make("text", { x: Math.min(x, width - 10), y: 14, "text-anchor": x > width - 14 ? "end" : "middle" }, String(Math.round(frame))));
    }
    svg.replaceChildren(...items);
    this.place();
  }
}
