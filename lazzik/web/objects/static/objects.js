// Objects: added, duplicated, hidden, and brought in from files.

import { act, isPressed } from "lazzik/lib/actions.js";
import { upload } from "lazzik/lib/api.js";
import { all, field, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { apply, commit, send } from "lazzik/studio/history.js";
import { chooseNodes, chosenNodes } from "lazzik/studio/choice.js";
import { choose, chosenNode } from "lazzik/studio/session.js";
import { closeSheet, sheet, sheetForm } from "lazzik/studio/sheets.js";

/** @import { Duplicate } from "lazzik/lib/types.d.ts" */
/** @import { Landed } from "lazzik/studio/history.js" */

const FONT = /\.(ttf|otf)$/i;
const PICTURE = /\.(png|jpe?g|webp)$/i;
const TABLE = /\.csv$/i;

/** Choose the object that a step added, its shape open if it has one. @param {Landed | null | undefined} state */
async function openNew(state) {
  const [added] = state?.added ?? [];
  if (!added) return;
  const isGroup = document.querySelector(`#row-${CSS.escape(added)} svg use[href$="#diagram-3"]`) !== null;
  await choose(isGroup ? `${added}/rotation.z` : `${added}/shape`, { moving: false });
}

/**
 * Bring files in: a font as new lettering, a picture as a sheet, a table as curves, all else as objects.
 * @param {File[]} files
 */
async function bring(files) {
  const [first] = files;
  if (FONT.test(first.name)) {
    const { label, asset } = await upload(first);
    return commit([{ do: "add-object", label, shape: { kind: "lettering", font: asset } }], { quiet: true });
  }
  if (PICTURE.test(first.name) && files.length === 1) {
    const { label, asset } = await upload(first);
    return commit([{ do: "bring-picture", label, asset }], { quiet: true });
  }
  const content = new FormData();
  for (const file of files) content.append("file", file);
  if (TABLE.test(first.name)) {
    content.set("at", store.facts.channel);
    content.set("fitted", String(one("[name=fitted]", document, HTMLInputElement).checked));
    return send("bring-curves", content);
  }
  content.set("depth", one("[name=depth]", document, HTMLInputElement).value || "0");
  return send("bring", content);
}

/** @param {HTMLInputElement} input */
async function bringChosen(input) {
  const said = one("dialog .field-error");
  said.textContent = "Reading …";
  await guard(async () => {
    const state = await bring([...(input.files ?? [])]);
    closeSheet();
    if (state?.notes?.length) toast(state.notes.join(" "));
    await openNew(state);
  }, (sentence) => { said.textContent = sentence; });
  input.value = "";
}

/** @param {HTMLFormElement} form @param {FormData} fields @returns {Duplicate} */
function duplicate(form, fields) {
  const n = (/** @type {string} */ name) => String(fields.get(name));
  return {
    do: "duplicate", node: form.dataset.node ?? "", count: n("count"), how: /** @type {Duplicate["how"]} */ (n("how")),
    move: [n("mx"), n("my"), n("mz")], turn: [n("tx"), n("ty"), n("tz")], scale: [n("scale"), n("scale"), n("scale")],
    radius: n("radius"), across: n("across"), ...(fields.get("grouped") && { group: n("group") }),
  };
}

// what is done to the chosen objects is done to all of them, as one step

function hide() {
  const visible = isPressed(maybe("#tree [data-act=hide]"));
  return commit(chosenNodes().map((node) => ({ do: "change-object", node, visible })));
}

function remove() {
  const [node, ...also] = chosenNodes();
  return commit([{ do: "remove-object", node, also }]);
}

async function group() {
  const state = await commit([{ do: "group", nodes: chosenNodes() }]);
  if (state?.added) await chooseNodes(state.added);
}

const ungroup = () => commit([{ do: "ungroup", nodes: chosenNodes() }]);

/** What the page can do with objects. */
export function offerObjects() {
  act(
    { name: "add-object", keys: ["A"], run: () => sheet("object-form", { at: store.facts.at }), label: "Add an object" },
    { name: "duplicate", keys: ["Ctrl+D"], run: () => sheet("duplicate-form", { node: chosenNode() }), label: "Duplicate the chosen object" },
    { name: "hide", keys: ["H"], run: hide, label: "Hide or show the chosen objects" },
    { name: "remove-objects", run: remove, label: "Remove the chosen objects" },
    { name: "group", keys: ["Ctrl+G"], run: group, label: "Group the chosen objects" },
    { name: "ungroup", keys: ["Ctrl+Shift+G"], run: ungroup, label: "Let the chosen groups go" },
    { name: "add-this", run: async (button) => openNew(button && (await apply(button))) },
  );
  document.addEventListener("change", (event) => {
    const input = over(event, "#bring-file", HTMLInputElement);
    if (input?.files?.length) bringChosen(input);
  });
  sheetForm("duplicate-form", {
    prepare: (form) => form.addEventListener("input", () => {
      for (const part of all("[data-for]", form)) part.hidden = !part.dataset.for?.split(" ").includes(field(form, "how").value);
    }),
    land: async (form, fields) => {
      const state = await commit([duplicate(form, fields)], { quiet: true });
      if (state?.added) await chooseNodes(state.added);
      return state;
    },
  });
}
