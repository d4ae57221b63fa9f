// The run of what is open, particles, cloth or a swarm: what of it is there, what there is to say of it.

import { act } from "lazzik/lib/actions.js";
import { floats, packed, post } from "lazzik/lib/api.js";
import { all, maybe, shape } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { extent } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { commit } from "lazzik/studio/history.js";
import { curvePath, heights, upright } from "lazzik/timeline/plot.js";
import { onView } from "lazzik/timeline/timeaxis.js";

/** @import { Runs } from "lazzik/stage/runs.js" */
/** @import { Transport } from "lazzik/timeline/transport.js" */

/** @type {Record<string, "change-emitter" | "change-cloth" | "change-swarm">} */
const CHANGE = { particles: "change-emitter", cloth: "change-cloth", swarm: "change-swarm" };

/** A run that is locked is kept, whatever the limit. @param {HTMLElement | null} button */
async function lock(button) {
  const { node = "", locked } = button?.dataset ?? {};
  const part = store.facts.carried.find((each) => each.node === node)?.part;
  if (!node || !part) return toast("Open particles, cloth or a swarm first.");
  const { run } = locked === "true" ? { run: null } : await post(`${store.url}/keep-run`, { revision: store.revision, node });
  await commit([{ do: CHANGE[part], node, locked: run }]);
}

/** @typedef {{ from: number, alive: Float32Array, pace: Float32Array }} Course below 0 where frames are not there */

/** The run of what is open: its lanes, what is there in the ruler, and what there is to say of it. */
export class RunPanel {
  /** @type {Course | null} */
  course = null;
  asked = "";

  /** @param {Runs} runs @param {Transport} transport */
  constructor(runs, transport) {
    this.runs = runs;
    this.transport = transport;
    runs.heard = () => this.changed();
    onView(() => this.draw());
    store.subscribe("frame", () => this.now());
    act({ name: "lock-run", run: (button) => lock(button ?? maybe("[data-act=lock-run]")), label: "Lock the run of what is open, or let it go" });
    act({ name: "go-on", run: () => { if (this.node) runs.goOn(this.node); } });
    new ResizeObserver(() => this.draw()).observe(maybe("#work") ?? document.body);
  }

  get node() { return maybe("[data-run-of]")?.dataset.runOf; }

  // another one is open, or other frames are there
  changed() {
    const { node, runs, transport } = this;
    const open = node !== undefined && runs.kept.has(node) ? node : undefined;
    transport.keeps(runs.stretches(open, store.facts.last));
    this.now();
    if (!node) { this.asked = ""; this.course = null; return; }
    const run = runs.kept.get(node);
    const wanted = `${node} ${run?.run} ${run?.looks} ${run?.there.size}`;
    if (wanted === this.asked) return this.draw();
    this.asked = wanted;
    guard(async () => {
      const sent = await packed(`${store.url}/run-course?${new URLSearchParams({ node, on: String(store.facts.revision) })}`);
      if (this.asked !== wanted) return;
      this.course = { from: sent.from, alive: floats(sent.alive), pace: floats(sent.pace) };
      this.draw();
    }, () => {});
  }

  draw() {
    const { course } = this;
    if (!course) return;
    for (const lane of all("[data-course]")) {
      const svg = lane.querySelector("svg.curve");
      const { width, height } = svg?.getBoundingClientRect() ?? { width: 0, height: 0 };
      if (!svg || !width) continue;
      const values = lane.dataset.course === "alive" ? course.alive : course.pace;
      const y = heights(height, 0, Math.max(1e-6, extent(values)[1]) * 1.08);
      svg.replaceChildren(...upright(width, height), ...known(values).map(([from, part]) => (
        shape("path", { class: "trace", d: curvePath({ from: course.from + from, perFrame: 1 }, part, y, width) })
      )));
    }
    this.now();
  }

  // what is at the playhead
  now() {
    const { node, course } = this;
    const note = maybe("#run-said");
    if (!node || !note) return;
    const { there, count, locked, thinned, waits } = this.runs.told(node, store.frame);
    const goOn = maybe("[data-act=go-on]");
    if (goOn) goOn.hidden = !waits;
    const particles = store.facts.carried.some((fact) => fact.node === node && fact.part === "particles");
    const parts = [
      thinned && (particles ? "a few of them, while their run comes" : "coarsely, while its run comes"),
      there < count && `${Math.floor((100 * there) / count)} % of the frames are there`,
      locked && "locked: the run stays as it is, whatever changes",
    ];
    note.textContent = parts.map((part) => part && ` · ${part}`).filter(Boolean).join("");
    const place = course ? Math.min(Math.max(Math.round(store.frame) - course.from, 0), course.alive.length - 1) : 0;
    for (const lane of all("[data-course]")) {
      const now = lane.querySelector("[data-course-now]");
      const value = (lane.dataset.course === "alive" ? course?.alive : course?.pace)?.[place] ?? -1;
      const said = lane.dataset.course === "alive" ? value.toLocaleString("en") : `${value.toFixed(value < 1 ? 2 : 1)} m/s`;
      if (now) now.textContent = value < 0 ? "–" : said;
    }
  }
}

/**
 * The stretches of a curve that are known.
 * @param {Float32Array} values
 * @returns {[number, Float32Array][]} where each begins
 */
function known(values) {
  /** @type {[number, Float32Array][]} */
  const parts = [];
  for (let from = 0; from < values.length; from++) {
    if (values[from] < 0) continue;
    let to = from;
    while (to < values.length && values[to] >= 0) to++;
    parts.push([from, values.subarray(from, to)]);
    from = to;
  }
  return parts;
}
