// The key desk: the base alone and large, with exact numbers, a table of the keys, and what is done to many at once.

import { guard } from "lazzik/lib/guard.js";
import { channelAddress, chooseAt, chooseKeys, chosenKeys, commitKeys, deskOpen, drawBeads, editsOn, near, onChoice } from "./beads.js";
import { commit } from "lazzik/studio/history.js";
import { facts } from "lazzik/studio/session.js";

const MOST_ROWS = 500;
const WAYS = { cubic: "curve", linear: "line", step: "step" };
const shownSlope = (slope) => (slope === null ? "" : slope === "straight" ? "straight" : Number(slope.toFixed(6)));
const slopeEdit = (text) => (text === "" || text === "auto" ? "auto" : text);

export function listenToDesk(root, strata, playhead) {
  const form = () => document.getElementById("key-form");

  function fillForm() {
    const strip = form();
    if (!strip) return;
    const picked = chosenKeys();
    const appears = strip.hidden && picked.length > 0;
    strip.hidden = !picked.length && !deskOpen();
    if (appears && !deskOpen()) strip.scrollIntoView({ block: "nearest" });
    for (const part of strip.querySelectorAll("[data-needs]")) part.toggleAttribute("disabled", picked.length < Number(part.dataset.needs));
    document.getElementById("keys-chosen").textContent = picked.length ? `${picked.length} chosen` : "none chosen";
    if (strip.contains(document.activeElement) && document.activeElement.matches("input:not([readonly])")) return;
    const alike = (read) => picked.length && picked.every((pair) => read(pair.key) === read(picked[0].key)) ? read(picked[0].key) : null;
    const say = (name, text) => { strip.elements[name].value = strip.elements[name].defaultValue = text; strip.elements[name].placeholder = picked.length > 1 && text === "" ? "various" : "auto"; };
    const frame = alike((key) => key.frame);
    say("frame", frame === null ? "" : Number(frame.toFixed(6)));
    const value = alike((key) => key.value);
    say("value", value === null ? "" : Number(value.toFixed(6)));
    for (const name of ["slope_in", "slope_out"]) { const slope = alike((key) => String(key[name])); say(name, slope === null || slope === "null" ? "" : shownSlope(slope === "straight" ? slope : Number(slope))); }
    strip.elements.go.value = alike((key) => key.go) ?? "";
    strip.elements.before.value = facts.tracks[0]?.before ?? "hold";
    strip.elements.after.value = facts.tracks[0]?.after ?? "hold";
  }

  let listed = null; // the keys that the table shows
  // the table beside the curve: the keys of the shown number
  function fillTable() {
    const table = document.getElementById("key-table");
    if (!table || !deskOpen()) return;
    const [track] = facts.tracks;
    const held = document.activeElement?.closest?.("#key-table [data-frame]");
    const back = held && [held.dataset.frame, document.activeElement.name];
    const picked = new Set(chosenKeys().filter((pair) => pair.track === track).map((pair) => pair.key));
    if (track.keys === listed) {
      for (const [i, row] of [...table.querySelectorAll(".key-row[data-frame]")].entries()) row.classList.toggle("chosen", picked.has(track.keys[i]));
      if (!held) table.querySelector(".key-row.chosen")?.scrollIntoView({ block: "nearest" });
      return;
    }
    listed = track.keys;
    const rows = track.keys.slice(0, MOST_ROWS).map((key) => {
      const row = document.createElement("div");
      row.className = `key-row${picked.has(key) ? " chosen" : ""}`;
      row.setAttribute("role", "row");
      row.dataset.frame = key.frame;
      const field = (name, text, label) => {
        const input = Object.assign(document.createElement("input"), { name, value: text, defaultValue: text, placeholder: "auto", autocomplete: "off", className: "num" });
        input.setAttribute("aria-label", `${label} of the key at ${key.frame}`);
        input.inputMode = "decimal";
        const cell = document.createElement("span");
        cell.setAttribute("role", "cell");
        cell.append(input);
        return cell;
      };
      const go = document.createElement("select");
      go.name = "go";
      go.setAttribute("aria-label", `How the curve goes on from the key at ${key.frame}`);
      for (const [way, word] of Object.entries(WAYS)) go.append(new Option(word, way, way === key.go, way === key.go));
      const cell = document.createElement("span");
      cell.setAttribute("role", "cell");
      cell.append(go);
      row.append(field("frame", Number(key.frame.toFixed(4)), "Frame"), field("value", Number(key.value.toPrecision(7)), "Value"),
        field("slope_in", shownSlope(key.slope_in), "Slope in"), field("slope_out", shownSlope(key.slope_out), "Slope out"), cell);
      return row;
    });
    if (track.keys.length > MOST_ROWS) rows.push(Object.assign(document.createElement("p"), { className: "faint", textContent: `and ${track.keys.length - MOST_ROWS} more; thin them out, or choose some on the curve` }));
    if (!rows.length) rows.push(Object.assign(document.createElement("p"), { className: "faint", textContent: "No keys yet. Double-click the curve, or press K at the playhead." }));
    table.querySelector(".key-rows").replaceChildren(...rows);
    if (back) table.querySelector(`[data-frame="${back[0]}"] [name=${back[1]}]`)?.focus();
    else table.querySelector(".key-row.chosen")?.scrollIntoView({ block: "nearest" });
  }

  // what was typed about one key, as edits
  function typed(track, key, name, text) {
    const address = track.channel;
    const frames = [key.frame];
    if (name === "frame") return { do: "move-keys", address, frames, frame: text };
    if (name === "value") return { do: "move-keys", address, frames, value: text };
    if (name === "go") return { do: "shape-keys", address, frames, go: text };
    return { do: "shape-keys", address, frames, slope: slopeEdit(text), side: name.slice(6) };
  }

  async function put(pairs, name, text) {
    const said = form().querySelector(".field-error");
    said.textContent = "";
    const before = new Set(facts.tracks[0].keys.map((key) => key.frame));
    await guard(async () => {
      if (!(await commit(pairs.map(({ track, key }) => typed(track, key, name, text)), { quiet: true }))) return;
      if (name === "frame" && pairs.length === 1) {
        const landed = facts.tracks[0].keys.find((key) => !before.has(key.frame));
        if (landed) chooseAt(strata, landed.frame);
      }
    }, (sentence) => { said.textContent = sentence; });
  }

  root.addEventListener("change", (event) => {
    const { name, value, defaultValue } = event.target;
    if (event.target.matches("[name=frame], [name=value], [name^=slope]") && value === defaultValue) return;
    const row = event.target.closest("#key-table [data-frame]");
    if (row) {
      const [track] = facts.tracks;
      const key = track.keys.find((each) => near(each.frame, Number(row.dataset.frame)));
      if (key) put([{ track, key }], name, value.trim());
    } else if (event.target.closest("#key-form") && name === "before" || name === "after") {
      commit([{ do: "beyond", address: channelAddress(), [name]: value }]);
    } else if (event.target.closest("#key-form") && ["frame", "value", "slope_in", "slope_out", "go"].includes(name)) {
      if (value.trim() !== "" || name.startsWith("slope")) put(chosenKeys(), name, value.trim());
    }
  });

  root.addEventListener("focusin", (event) => {
    const row = event.target.closest("#key-table [data-frame]");
    if (!row) return;
    const [track] = facts.tracks;
    const key = track.keys.find((each) => near(each.frame, Number(row.dataset.frame)));
    if (key && !row.classList.contains("chosen")) chooseKeys([{ track, key }], strata);
  });

  root.addEventListener("keydown", (event) => {
    if (!event.target.closest("#key-form, #key-table") || !event.target.matches("input") || !["Enter", "Escape"].includes(event.key)) return;
    event.preventDefault();
    if (event.key === "Escape") event.target.value = event.target.defaultValue;
    if (event.key === "Enter" && event.target.closest("[data-transform]")) transform();
    else event.target.blur();
  });

  // move and scale by exact numbers
  async function transform() {
    const strip = form();
    const said = strip.querySelector(".field-error");
    const read = (name, none) => strip.elements[name].value.trim() || none;
    const picked = chosenKeys();
    const frames = picked.map(({ key }) => key.frame);
    const about = strip.elements.about.value;
    const frame = { playhead: playhead(), first: Math.min(...frames), last: Math.max(...frames) }[about];
    const [by, rise, stretch, height] = [read("by", "0"), read("rise", "0"), read("stretch", "1"), read("height", "1")];
    const edits = [];
    for (const edit of editsOn({})) {
      const values = picked.filter(({ track }) => track.channel === edit.address).map(({ key }) => key.value);
      const level = { zero: 0, lowest: Math.min(...values), highest: Math.max(...values), middle: (Math.min(...values) + Math.max(...values)) / 2 }[strip.elements.level.value];
      edits.push({ ...edit, do: "scale-keys", frame, value: level, stretch, height, by, rise, snap: strip.elements.snap.checked });
    }
    said.textContent = "";
    await guard(async () => {
      const before = new Map(facts.tracks.map((track) => [track.channel, new Set(track.keys.map((key) => key.frame))]));
      if (!(await commit(edits, { quiet: true }))) return;
      const landed = facts.tracks.flatMap((track) => track.keys.filter((key) => !before.get(track.channel)?.has(key.frame)).map((key) => ({ track, key })));
      if (landed.length) chooseKeys(landed, strata);
      for (const name of ["by", "rise", "stretch", "height"]) strip.elements[name].value = "";
    }, (sentence) => { said.textContent = sentence; });
  }

  root.addEventListener("click", async (event) => {
    const button = event.target.closest("#key-form button");
    if (!button) return;
    const { slope, keys } = button.dataset;
    if (slope) await commitKeys(editsOn({ do: "shape-keys", slope }), strata);
    else if (keys === "snap") await commitKeys(editsOn({ do: "snap-keys" }), strata, Math.round);
    else if (keys === "smooth") await commitKeys(editsOn({ do: "smooth-keys", amount: 0.5 }), strata);
    else if (keys === "transform") await transform();
    else if (keys === "thin") {
      const before = chosenKeys().length;
      const said = form().querySelector(".field-error");
      await guard(async () => {
        said.textContent = "";
        if (await commit(editsOn({ do: "thin-keys", tolerance: form().elements.tolerance.value }), { quiet: true })) said.textContent = "";
        document.getElementById("keys-chosen").textContent = `${before} became ${chosenKeys().length || "fewer"}`;
      }, (sentence) => { said.textContent = sentence; });
    }
  });

  const show = () => { fillForm(); fillTable(); };
  onChoice(show);

  return {
    toggle(on = !deskOpen()) {
      document.getElementById("work").classList.toggle("desk", on);
      sessionStorage.setItem("lazzik-desk", on ? "open" : "");
      document.querySelector("[data-act=desk]")?.setAttribute("aria-pressed", on);
      show(); // first: the strip takes room from the curve
      strata.draw();
      drawBeads(strata);
    },
    changed() {
      document.querySelector("[data-act=desk]")?.setAttribute("aria-pressed", deskOpen());
    },
    wanted: () => sessionStorage.getItem("lazzik-desk") === "open",
  };
}
