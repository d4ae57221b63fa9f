// What objects aim at or go round, chosen from a list that can be narrowed; and slow pans.

import { act } from "lazzik/lib/actions.js";
import { all, over } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { apply, commit } from "lazzik/studio/history.js";
import { choose, chosenNode } from "lazzik/studio/session.js";
import { closeSheet, sheet } from "lazzik/studio/sheets.js";

/** Take the target that a button stands for, and lay the aim open. @param {HTMLElement | null} button */
async function take(button) {
  const [node] = chosenNodes();
  if (!button || !(await apply(button))) return;
  closeSheet();
  await choose(`${node}/aim`);
}

/** Go round what a button stands for, the group that turns laid open. @param {HTMLElement | null} button */
async function goRound(button) {
  const landed = button && (await apply(button));
  if (!landed) return;
  closeSheet();
  await choose(landed.layer ?? store.facts.at, { moving: false });
}

/** The shown object goes slowly to its side over the range. */
async function pan() {
  const landed = await commit([{ do: "pan", node: chosenNode() }]);
  if (landed?.layer) await choose(landed.layer);
}

/** What the page can do with aims, and with the moves of cameras. */
export function offerAims() {
  act(
    { name: "aim", keys: ["J"], run: () => sheet("aim-form", { node: chosenNodes() }), label: "Aim the chosen objects at …" },
    { name: "aim-here", run: take },
    { name: "orbit", keys: ["O"], run: () => sheet("orbit-form", { node: chosenNode() }), label: "Orbit: the chosen object goes round …" },
    { name: "orbit-here", run: goRound },
    { name: "pan", keys: ["Y"], run: pan, label: "Pan: the chosen object goes slowly to its side" },
  );
  document.addEventListener("input", (event) => {
    const find = over(event, "#aim-find", HTMLInputElement);
    const text = find?.value.trim().toLowerCase() ?? "";
    if (find) for (const row of all("#aim-list button")) row.hidden = !row.textContent?.toLowerCase().includes(text);
  });
}
