// Keys as beads on the base's curve: drawn, chosen by press, Shift or box, and dragged in frame and value.

import { Change, follow } from "lazzik/studio/drags.js";
import { commit } from "lazzik/studio/history.js";
import { facts } from "lazzik/studio/session.js";
import { make, tidy } from "lazzik/stack/strata.js";

const CROWDED = 90; // keys from which they are drawn small
const SLOPED = 6; // chosen keys up to which the handles of their slopes are shown
const REACH = 34; // pixels from a bead to the handle of its slope

let chosen = new Map(); // channel -> frames of its chosen keys
const listeners = [];
export const onChoice = (act) => listeners.push(act);
export const near = (a, b) => Math.abs(a - b) < 1e-6;
export const channelAddress = () => document.getElementById("lanes")?.dataset.address;
export const deskOpen = () => document.getElementById("work").classList.contains("desk");

// the numbers whose keys are drawn: the shown one, and on the desk those chosen beside it
export const tracks = () => (deskOpen() ? facts.tracks : facts.tracks.slice(0, 1));
const isChosen = (track, key) => (chosen.get(track.channel) ?? []).some((frame) => near(frame, key.frame));
export const chosenKeys = () => tracks().flatMap((track) => track.keys.filter((key) => isChosen(track, key)).map((key) => ({ track, key })));

// one edit for every number that has chosen keys
export const editsOn = (edit) => tracks().flatMap((track) => {
  const frames = track.keys.filter((key) => isChosen(track, key)).map((key) => key.frame);
  return frames.length ? [{ address: track.channel, frames, ...edit }] : [];
});

export function chooseKeys(pairs, strata) {
  chosen = new Map();
  for (const { track, key } of pairs) chosen.set(track.channel, [...(chosen.get(track.channel) ?? []), key.frame]);
  changed(strata);
}

export const chooseAll = (strata) => chooseKeys(tracks().flatMap((track) => track.keys.map((key) => ({ track, key }))), strata);

function changed(strata) {
  drawBeads(strata);
  for (const act of listeners) act();
}

// after edits: what is gone is no longer chosen
export function keysChanged(strata) {
  for (const track of facts.tracks) {
    const kept = (chosen.get(track.channel) ?? []).filter((frame) => track.keys.some((key) => near(key.frame, frame)));
    if (kept.length) chosen.set(track.channel, kept); else chosen.delete(track.channel);
  }
  changed(strata);
}

// keys stay chosen where a step takes them; `landing` says which frame one goes to
async function carried(strata, step, landing) {
  const before = new Map(chosen);
  const done = await step();
  if (done) chosen = new Map([...before].map(([channel, frames]) => [channel, frames.map(landing)]));
  keysChanged(strata);
  return done;
}

export const commitKeys = (edits, strata, landing = (frame) => frame) => edits.length && carried(strata, () => commit(edits), landing);

const arms = (track, key) => (key.go === "step" ? [] : [["in", -1], ["out", 1]]).map(([side, sign], i) => ({ side, sign, slope: key.settled[i] }));

// `moved(track, key)` gives [frame, value] of a chosen key during a drag; `sloped` is one slope during its own
export function drawBeads(strata, moved = null, sloped = null) {
  const group = document.querySelector("#lanes svg[data-lane=base] g.beads");
  if (!group || !strata.baseScales) return;
  const height = strata.height(group.ownerSVGElement);
  const items = [];
  const several = tracks().length > 1;
  const picked = chosenKeys();
  for (const track of tracks()) {
    const scale = strata.baseScales.get(track.channel);
    if (!scale) continue;
    const small = track.keys.length > CROWDED;
    for (const key of track.keys) {
      const on = isChosen(track, key);
      const [frame, value] = moved && on ? moved(track, key) : [key.frame, key.value];
      const [cx, cy] = [strata.x(frame), scale.y(value)];
      if (cx < -40 || cx > strata.width + 40) continue;
      const bead = make("g", { class: `bead${on ? " chosen" : ""}`, tabindex: small && !on ? -1 : 0, role: "button", "aria-pressed": on,
        "aria-label": `Key at frame ${key.frame}, ${tidy(key.value)} ${track.unit}${several ? `, ${track.title}` : ""}`, "data-frame": key.frame, "data-channel": track.channel });
      if (!small) bead.append(make("line", { class: "stem", x1: cx, x2: cx, y1: cy, y2: height }));
      if (on && !moved && picked.length <= SLOPED && deskOpen()) {
        for (const arm of arms(track, key)) {
          const slope = sloped && near(sloped.frame, key.frame) && sloped.channel === track.channel && sloped.sides.includes(arm.side) ? sloped.slope : arm.slope;
          const [dx, dy] = toward(strata, scale, slope, arm.sign);
          items.push(make("line", { class: "arm", x1: cx, y1: cy, x2: cx + dx, y2: cy + dy }));
          const grip = make("g", { class: "slope", tabindex: 0, role: "slider", "aria-label": `Slope ${arm.side} at frame ${key.frame}`,
            "aria-valuenow": Number(slope.toFixed(4)), "data-frame": key.frame, "data-channel": track.channel, "data-side": arm.side });
          grip.append(make("rect", { x: cx + dx - 3.5, y: cy + dy - 3.5, width: 7, height: 7 }));
          items.push(grip);
        }
      }
      bead.append(make("circle", { cx, cy, r: small ? 2.6 : 4.5 }));
      items.push(bead);
    }
  }
  if (!moved && deskOpen() && picked.length > 1) items.unshift(...frameOf(strata, picked));
  group.replaceChildren(...items);
}

// pixels from a bead toward the handle of a slope
function toward(strata, scale, slope, sign) {
  const [dx, dy] = [facts.fps / strata.perPixel, -slope / scale.perPixel];
  const length = Math.hypot(dx, dy);
  return [(sign * dx * REACH) / length, (sign * dy * REACH) / length];
}

function boundsOf(strata, picked) {
  const xs = picked.map(({ key }) => strata.x(key.frame));
  const ys = picked.map(({ track, key }) => strata.baseScales.get(track.channel).y(key.value));
  return { left: Math.min(...xs), right: Math.max(...xs), top: Math.min(...ys), bottom: Math.max(...ys) };
}

// the frame around several chosen keys: its sides are dragged to draw them apart or together
function frameOf(strata, picked) {
  const { left, right, top, bottom } = boundsOf(strata, picked);
  const [x, y, width, height] = [left - 9, top - 9, right - left + 18, bottom - top + 18];
  const side = (name, label, box) => {
    const grip = make("g", { class: `side ${name}`, "data-side": name, role: "slider", tabindex: 0, "aria-label": label, "aria-valuenow": 1 });
    grip.append(make("rect", box));
    return grip;
  };
  return [
    make("rect", { class: "around", x, y, width, height }),
    ...(right - left > 1 ? [side("left", "Draw the chosen keys out to the left", { x: x - 4, y, width: 8, height }), side("right", "Draw the chosen keys out to the right", { x: x + width - 4, y, width: 8, height })] : []),
    ...(bottom - top > 1 ? [side("top", "Make the chosen keys higher", { x, y: y - 4, width, height: 8 }), side("bottom", "Make the chosen keys lower", { x, y: y + height - 4, width, height: 8 })] : []),
  ];
}

export function listenToBeads(root, strata, playhead) {
  const find = (item) => {
    const track = facts.tracks.find((each) => each.channel === item.dataset.channel);
    const key = track?.keys.find((each) => near(each.frame, Number(item.dataset.frame)));
    return key && { track, key };
  };
  const toggle = (pair, more) => {
    const picked = chosenKeys();
    const others = picked.filter((each) => each.key !== pair.key);
    chooseKeys(!more ? [pair] : others.length < picked.length ? others : [...picked, pair], strata);
  };

  function dragBeads(event, bead) {
    const pair = find(bead);
    if (!pair) return;
    const among = isChosen(pair.track, pair.key) && !event.shiftKey; // a press that does not become a drag chooses it alone
    if (!among) toggle(pair, event.shiftKey);
    const change = new Change();
    let by = 0;
    let pixels = 0;
    const rise = (track) => Number((-pixels * strata.baseScales.get(track.channel).perPixel).toFixed(6));
    const moved = (track, key) => [key.frame + by, key.value + rise(track)];
    follow(event, {
      move: (dx, dy, now) => {
        // the stronger direction alone while Shift is held
        const [h, v] = now.shiftKey ? (Math.abs(dx) > Math.abs(dy) ? [dx, 0] : [0, dy]) : [dx, dy];
        by = now.altKey ? h * strata.perPixel : Math.round(h * strata.perPixel);
        pixels = v;
        const edits = editsOn({ do: "move-keys", by });
        change.to(edits.map((edit) => ({ ...edit, rise: rise(facts.tracks.find((track) => track.channel === edit.address)) })));
        drawBeads(strata, moved);
      },
      done: (dragged) => {
        if (dragged) carried(strata, () => change.land(), (frame) => frame + by);
        else if (among) toggle(pair, false);
      },
      gaveUp: async () => { await change.giveUp(); drawBeads(strata); },
    });
  }

  function dragSlope(event, grip) {
    const pair = find(grip);
    if (!pair) return;
    const scale = strata.baseScales.get(pair.track.channel);
    const svg = grip.ownerSVGElement.getBoundingClientRect();
    const [cx, cy] = [svg.left + strata.x(pair.key.frame), svg.top + scale.y(pair.key.value)];
    const { side } = grip.dataset;
    const sign = side === "in" ? -1 : 1;
    const joined = near(...pair.key.settled);
    const change = new Change();
    follow(event, {
      move: (_dx, _dy, now) => {
        const across = Math.max(2, sign * (now.clientX - cx));
        const slope = Number(((-(now.clientY - cy) * sign * scale.perPixel * facts.fps) / (across * strata.perPixel)).toPrecision(6));
        const sides = joined && !now.altKey ? ["in", "out"] : [side];
        change.to([{ do: "shape-keys", address: pair.track.channel, frames: [pair.key.frame], slope, side: sides.length > 1 ? "both" : side }]);
        drawBeads(strata, null, { frame: pair.key.frame, channel: pair.track.channel, slope, sides });
      },
      done: (moved) => moved && carried(strata, () => change.land(), (frame) => frame),
      gaveUp: async () => { await change.giveUp(); drawBeads(strata); },
    });
  }

  const scaling = (side, times) => {
    const picked = chosenKeys();
    const { left, right, top, bottom } = boundsOf(strata, picked);
    const along = side === "left" || side === "right";
    const frame = strata.frameAt(side === "left" ? right : left);
    const pixel = side === "top" ? bottom : top;
    const value = (track) => strata.baseScales.get(track.channel).value(pixel);
    return { frame, value, stretch: along ? times : 1, height: along ? 1 : times };
  };

  function dragSide(event, grip) {
    const { side } = grip.dataset;
    const { left, right, top, bottom } = boundsOf(strata, chosenKeys());
    const reach = { left: left - right, right: right - left, top: top - bottom, bottom: bottom - top }[side];
    const change = new Change();
    let last = null;
    follow(event, {
      move: (dx, dy, now) => {
        const by = side === "left" || side === "right" ? dx : dy;
        last = scaling(side, Math.max(side === "left" || side === "right" ? 0.01 : -20, (reach + by) / reach));
        if (now.altKey && last.stretch !== 1) last.frame = playhead();
        const { value, ...shared } = last;
        change.to(editsOn({ do: "scale-keys", ...shared, snap: false }).map((edit) => ({ ...edit, value: value(facts.tracks.find((track) => track.channel === edit.address)) })));
        drawBeads(strata, (track, key) => [last.frame + (key.frame - last.frame) * last.stretch, value(track) + (key.value - value(track)) * last.height]);
      },
      done: (moved) => moved && carried(strata, () => change.land(), (frame) => last.frame + (frame - last.frame) * last.stretch),
      gaveUp: async () => { await change.giveUp(); drawBeads(strata); },
    });
  }

  // a drag over the empty ground chooses what lies in the box; Shift adds to the choice
  function dragBox(event, svg) {
    const box = svg.getBoundingClientRect();
    const before = event.shiftKey ? chosenKeys() : [];
    const from = [event.clientX - box.left, event.clientY - box.top];
    const rect = make("rect", { class: "box" });
    let inside = before;
    follow(event, {
      move: (dx, dy) => {
        const [x, y, width, height] = [from[0] + Math.min(0, dx), from[1] + Math.min(0, dy), Math.abs(dx), Math.abs(dy)];
        for (const [name, number] of Object.entries({ x, y, width, height })) rect.setAttribute(name, number);
        if (!rect.parentNode) svg.append(rect);
        const within = tracks().flatMap((track) => track.keys.filter((key) => {
          const [cx, cy] = [strata.x(key.frame), strata.baseScales.get(track.channel).y(key.value)];
          return cx >= x && cx <= x + width && cy >= y && cy <= y + height;
        }).map((key) => ({ track, key })));
        inside = [...before, ...within.filter(({ key }) => !before.some((each) => each.key === key))];
      },
      done: (moved) => { rect.remove(); if (moved || !event.shiftKey) chooseKeys(moved ? inside : [], strata); },
      gaveUp: () => rect.remove(),
    });
  }

  root.addEventListener("pointerdown", (event) => {
    if (event.button) return;
    const grip = event.target.closest(".slope, .side");
    const bead = event.target.closest(".bead");
    const svg = event.target.closest("svg[data-lane=base]");
    if (grip) (grip.matches(".slope") ? dragSlope : dragSide)(event, grip);
    else if (bead) dragBeads(event, bead);
    else if (svg) dragBox(event, svg);
  });

  root.addEventListener("dblclick", (event) => {
    const svg = event.target.closest("svg[data-lane=base]");
    if (svg && !event.target.closest(".bead")) putKey(strata, Math.round(strata.frameAt(event.clientX - svg.getBoundingClientRect().left)));
  });

  root.addEventListener("keydown", async (event) => {
    const grip = event.target.closest?.(".bead, .slope, .side");
    if (!grip) return;
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key]?.map((step) => step * (event.shiftKey ? 10 : 1));
    if (grip.matches(".side")) {
      if (!by) return;
      event.preventDefault();
      const { side } = grip.dataset;
      const { value, ...shared } = scaling(side, 1 + 0.05 * (by[0] || by[1]));
      await commitKeys(editsOn({ do: "scale-keys", ...shared }).map((edit) => ({ ...edit, value: value(facts.tracks.find((track) => track.channel === edit.address)) })), strata,
        (frame) => shared.frame + (frame - shared.frame) * shared.stretch);
      return document.querySelector(`.side.${side}`)?.focus();
    }
    const pair = find(grip);
    if (!pair) return;
    const again = `${grip.matches(".bead") ? ".bead" : `.slope[data-side=${grip.dataset.side}]`}[data-channel="${pair.track.channel}"]`;
    if (grip.matches(".slope")) {
      if (!by) return;
      event.preventDefault();
      const at = pair.key.settled[grip.dataset.side === "in" ? 0 : 1];
      const side = near(...pair.key.settled) && !event.altKey ? "both" : grip.dataset.side;
      await commitKeys([{ do: "shape-keys", address: pair.track.channel, frames: [pair.key.frame], slope: at + (by[1] || by[0]) * pair.track.step * facts.fps * 0.1, side }], strata);
      return document.querySelector(`${again}[data-frame="${pair.key.frame}"]`)?.focus();
    }
    if (event.key === "Enter" || event.key === " ") { event.preventDefault(); return toggle(pair, event.shiftKey); }
    if (event.key === "Delete" || event.key === "Backspace") { event.preventDefault(); if (!isChosen(pair.track, pair.key)) toggle(pair); return removeKeys(strata); }
    if (!by) return;
    event.preventDefault();
    if (!isChosen(pair.track, pair.key)) toggle(pair);
    const edits = editsOn({ do: "move-keys", by: by[0] }).map((edit) => ({ ...edit, rise: by[1] * facts.tracks.find((track) => track.channel === edit.address).step }));
    await commitKeys(edits, strata, (frame) => frame + by[0]);
    document.querySelector(`${again}[data-frame="${pair.key.frame + by[0]}"]`)?.focus();
  });
}

// a key on the curve, which does not change; on every number of the choice
export async function putKey(strata, frame) {
  if (await commit([{ do: "put-key", address: channelAddress(), frame }])) chooseAt(strata, frame);
}

export function chooseAt(strata, frame) {
  chooseKeys(facts.tracks.slice(0, 1).flatMap((track) => track.keys.filter((key) => near(key.frame, frame)).map((key) => ({ track, key }))), strata);
}

export const removeKeys = (strata) => commitKeys(editsOn({ do: "remove-keys" }), strata);
