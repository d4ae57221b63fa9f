// Emitters as a person makes them, and what is told of the run of the open one.

import { act } from "lazzik/lib/actions.js";
import { floats, packed, post } from "lazzik/lib/api.js";
import { all, maybe, shape } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { extent } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { worked } from "lazzik/shape/bake.js";
import { apply, commit, send } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet, sheet, sheetForm } from "lazzik/studio/sheets.js";
import { curvePath, heights, upright } from "lazzik/timeline/plot.js";
import { onView } from "lazzik/timeline/timeaxis.js";

/** @import { Particles } from "lazzik/stage/particles.js" */
/** @import { Transport } from "lazzik/timeline/transport.js" */

/** What the page can do with emitters. */
export function offerEmitters() {
  act(
    {
      name: "emit",
      run: async (button) => {
        const before = new Set(store.facts.emitters.map(({ node }) => node));
        const landed = button && (await apply(button));
        if (!landed) return;
        closeSheet();
        const sends = store.facts.emitters.find(({ node }) => !before.has(node));
        if (sends) await choose(`${sends.node}/particles`, { moving: false, also: [] });
      },
    },
    { name: "lock-run", run: (button) => lock(button ?? maybe("[data-act=lock-run]")), label: "Lock the run of the open particles, or let it go" },
    { name: "objects", run: makeObjects, label: "Make objects of the open particles" },
  );
  sheetForm("objects-form", {
    land: (form, fields) => send("make-objects", { node: form.dataset.node, most: Number(fields.get("most")) }, worked),
  });
}

function makeObjects() {
  const node = maybe("[data-emitter]")?.dataset.emitter;
  return node ? sheet("objects-form", { node }) : toast("Open particles first.");
}

/** A run that is locked is kept, whatever the limit. @param {HTMLElement | null} button */
async function lock(button) {
  const { node = "", locked } = button?.dataset ?? {};
  if (!node) return toast("Open particles first.");
  const { run } = locked === "true" ? { run: null } : await post(`${store.url}/keep-run`, { revision: store.revision, node });
  await commit([{ do: "change-emitter", node, locked: run }]);
}

/** @typedef {{ from: number, alive: Float32Array, pace: Float32Array }} Course below 0 where frames are not there */

/** The run of the open emitter: its lanes, what is there in the ruler, and what there is to say of it. */
export class RunPanel {
  /** @type {Course | null} */
  course = null;
  asked = "";

  /** @param {Particles} particles @param {Transport} transport */
  constructor(particles, transport) {
    this.particles = particles;
    this.transport = transport;
    particles.heard = () => this.changed();
    onView(() => this.draw());
    store.subscribe("frame", () => this.now());
    act({ name: "go-on", run: () => { if (this.node) particles.goOn(this.node); } });
    new ResizeObserver(() => this.draw()).observe(maybe("#work") ?? document.body);
  }

  get node() { return maybe("[data-emitter]")?.dataset.emitter; }

  // another emitter is open, or other frames are there
  changed() {
    const { node, particles, transport } = this;
    const open = node !== undefined && particles.runs.has(node) ? node : undefined;
    transport.keeps(particles.stretches(open, store.facts.last));
    this.now();
    if (!node) { this.asked = ""; this.course = null; return; }
    const run = particles.runs.get(node);
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
    const { there, count, locked, thinned, waits } = this.particles.told(node, store.frame);
    const goOn = maybe("[data-act=go-on]");
    if (goOn) goOn.hidden = !waits;
    const parts = [
      thinned && "a few of them, while their run comes",
      there < count && `${Math.floor((100 * there) / count)} % of the frames are there`,
      locked && "locked: the run stays as it is, whatever changes",
    ];
    note.textContent = parts.map((part) => part && ` · ${part}`).filter(Boolean).join("");
    const place = course ? Math.min(Math.max(Math.round(store.frame) - course.from, 0), course.alive.length - 1) : 0;
    for (const lane of all("[data-course]")) {
      const now = lane.querySelector("[data-course-now]");
      const value = (lane.dataset.course === "alive" ? course?.alive : course?.pace)?.[place] ?? -1;
      const said = lane.dataset.course === "alive" ? value.toLocaleString("en") : `${value.toFixed(1)} m/s`;
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
