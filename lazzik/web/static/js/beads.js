// Keys as beads on the base's curve: chosen, dragged in frame and value, typed, removed.

import { Refused } from "./api.js";
import { Change, follow } from "./drags.js";
import { commit } from "./history.js";
import { facts } from "./session.js";
import { make, tidy } from "./strata.js";

const CROWDED = 90;
let chosen = new Set();
const near = (a, b) => Math.abs(a - b) < 1e-6;

export const chosenFrames = () => facts.keys.map((key) => key.frame).filter((frame) => [...chosen].some((f) => near(f, frame)));

export function drawBeads(strata, shiftBy = null) {
  const group = document.querySelector("#lanes svg[data-lane=base] g.beads");
  if (!group || !strata.baseScale) return;
  const svg = group.ownerSVGElement;
  const small = facts.keys.length > CROWDED;
  const { y } = strata.baseScale;
  group.replaceChildren(...facts.keys.map((key) => {
    const isChosen = [...chosen].some((frame) => near(frame, key.frame));
    const [frame, value] = shiftBy && isChosen ? [key.frame + shiftBy.by, key.value + shiftBy.rise] : [key.frame, key.value];
    const [cx, cy] = [strata.x(frame), y(value)];
    const bead = make("g", { class: `bead${isChosen ? " chosen" : ""}`, tabindex: small && !isChosen ? -1 : 0, role: "button", "aria-pressed": isChosen,
      "aria-label": `Key at frame ${key.frame}, ${tidy(key.value)} ${facts.unit}`, "data-frame": key.frame });
    if (!small) bead.append(make("line", { class: "stem", x1: cx, x2: cx, y1: cy, y2: strata.height(svg) }));
    bead.append(make("circle", { cx, cy, r: small ? 2.6 : 4.5 }));
    return bead;
  }));
}

function fillForm() {
  const form = document.getElementById("key-form");
  const frames = chosenFrames();
  const key = facts.keys.find((item) => near(item.frame, frames[0] ?? NaN));
  if (!form) return;
  const appears = form.hidden && Boolean(key);
  form.hidden = !key;
  if (appears) form.scrollIntoView({ block: "nearest" });
  form.querySelector("[data-act=remove-keys]").disabled = !frames.length;
  if (!key || form.contains(document.activeElement)) return;
  for (const name of ["frame", "value", "slope_in", "slope_out"]) form.elements[name].value = key[name] === null ? "" : Number(key[name].toFixed(6));
  form.elements.go.value = key.go;
  form.dataset.from = key.frame;
}

export function keysChanged(strata) {
  const present = chosenFrames();
  chosen = new Set(present);
  drawBeads(strata);
  fillForm();
}

export async function putKey(frame, value = null) {
  if (await commit([{ do: "put-key", address: channelAddress(), frame, ...(value === null ? {} : { value }) }])) {
    chosen = new Set([frame]);
    fillForm();
  }
}

export const channelAddress = () => document.getElementById("lanes")?.dataset.address;

export async function removeKeys() {
  const frames = chosenFrames();
  if (frames.length) await commit([{ do: "remove-keys", address: channelAddress(), frames }]);
}

export function listenToBeads(root, strata) {
  const choose = (frame, more) => {
    if (!more) chosen = new Set([frame]);
    else if (!chosen.delete(frame)) chosen.add(frame);
    drawBeads(strata);
    fillForm();
  };
  const move = (by, rise) => [{ do: "move-keys", address: channelAddress(), frames: chosenFrames(), by, rise }];

  root.addEventListener("pointerdown", (event) => {
    const bead = event.target.closest(".bead");
    if (!bead || event.button) return;
    const frame = Number(bead.dataset.frame);
    if (!chosen.has(frame) || event.shiftKey) choose(frame, event.shiftKey);
    const change = new Change();
    const { perPixel } = strata.baseScale;
    const perFrame = strata.perPixel;
    let landed = { by: 0, rise: 0 };
    follow(event, {
      move: (dx, dy, now) => {
        // the stronger direction alone while Shift is held
        const [h, v] = now.shiftKey ? (Math.abs(dx) > Math.abs(dy) ? [dx, 0] : [0, dy]) : [dx, dy];
        landed = { by: now.altKey ? h * perFrame : Math.round(h * perFrame), rise: Number((-v * perPixel).toFixed(6)) };
        change.to(move(landed.by, landed.rise));
        drawBeads(strata, landed);
      },
      done: async (moved) => {
        if (!moved) return;
        const frames = chosenFrames().map((at) => at + landed.by);
        if (await change.land()) chosen = new Set(frames);
        keysChanged(strata);
      },
      gaveUp: async () => { await change.giveUp(); drawBeads(strata); },
    });
  });

  root.addEventListener("dblclick", (event) => {
    const svg = event.target.closest("svg[data-lane=base]");
    if (!svg || event.target.closest(".bead")) return;
    putKey(Math.round(strata.frameAt(event.clientX - svg.getBoundingClientRect().left)));
  });

  root.addEventListener("keydown", async (event) => {
    const bead = event.target.closest?.(".bead");
    if (!bead) return;
    const frame = Number(bead.dataset.frame);
    if (event.key === "Enter" || event.key === " ") { event.preventDefault(); return choose(frame, event.shiftKey); }
    if (event.key === "Delete" || event.key === "Backspace") { event.preventDefault(); if (!chosen.has(frame)) choose(frame); return removeKeys(); }
    const steps = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, facts.step], ArrowDown: [0, -facts.step] }[event.key];
    if (!steps) return;
    event.preventDefault();
    if (!chosen.has(frame)) choose(frame);
    const [by, rise] = steps.map((step) => step * (event.shiftKey ? 10 : 1));
    const frames = chosenFrames().map((at) => at + by);
    if (await commit(move(by, rise))) { chosen = new Set(frames); keysChanged(strata); }
    document.querySelector(`.bead[data-frame="${frame + by}"]`)?.focus();
  });

  // exact numbers: a changed frame moves the key, all else is put where it is
  let landing = null;
  const land = (form) => (landing ??= landed(form).finally(() => { landing = null; }));
  const landed = async (form) => {
    const value = (name) => form.elements[name].value.trim();
    const edits = [];
    const address = channelAddress();
    const from = form.dataset.from;
    const known = facts.keys.some((key) => near(key.frame, Number(from)));
    if (known && Number(value("frame")) !== Number(from)) edits.push({ do: "remove-keys", address, frames: [Number(from)] });
    const put = { do: "put-key", address, frame: value("frame"), go: value("go") };
    for (const name of ["value", "slope_in", "slope_out"]) if (value(name) !== "") put[name] = value(name);
    edits.unshift(put);
    const said = form.querySelector(".field-error");
    try {
      said.textContent = "";
      if (await commit(edits, { quiet: true })) { chosen = new Set([Number(value("frame"))]); keysChanged(strata); }
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      said.textContent = error.message;
    }
  };
  root.addEventListener("submit", (event) => {
    if (event.target.id !== "key-form") return;
    event.preventDefault();
    land(event.target); // Enter in a changed field has already landed it
  });
  root.addEventListener("change", (event) => {
    const form = event.target.closest("#key-form");
    if (form && form.dataset.from) land(form);
  });
}
