// Objects: added, duplicated, hidden, and brought in from files.

import { act, isPressed } from "lazzik/lib/actions.js";
import { form as asked, upload } from "lazzik/lib/api.js";
import { all, element, field, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { apply, commit, send } from "lazzik/studio/history.js";
import { chooseNodes, chosenNodes } from "lazzik/studio/choice.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet, sheet, sheetForm } from "lazzik/studio/sheets.js";

/** @import { Duplicate } from "lazzik/lib/types.d.ts" */
/** @import { Landed } from "lazzik/studio/history.js" */

// what opens as more than its numbers, what has a run first
const LAID_OPEN = [/\/(particles|cloth|swarm)$/, /\/(air|copies)$/];
const FONT = /\.(ttf|otf)$/i;
const PICTURE = /\.(png|jpe?g|webp)$/i;
const TABLE = /\.csv$/i;

/** Choose the object that a step added, its shape open if it has one. @param {Landed | null | undefined} state */
async function openNew(state) {
  const rows = (state?.added ?? []).map((id) => ({ id, row: maybe(`#row-${CSS.escape(id)} > a`, document, HTMLAnchorElement) }));
  const at = (/** @type {HTMLAnchorElement | null} */ link) => (link ? new URL(link.href).searchParams.get("at") ?? "" : "");
  const [{ id: added, row } = { id: "", row: null }] = [...LAID_OPEN.flatMap((sort) => rows.filter((each) => sort.test(at(each.row)))), ...rows];
  if (!added) return;
  const opens = at(row);
  const isGroup = row?.querySelector(`svg use[href$="#diagram-3"]`) !== null;
  await choose(LAID_OPEN.some((sort) => sort.test(opens)) ? opens : isGroup ? `${added}/rotation.z` : `${added}/shape`, { moving: false });
}

/**
 * @typedef {object} Preview what files would bring
 * @property {string} label
 * @property {string[]} objects
 * @property {number} triangles
 * @property {number[]} size metres along x, y, z
 * @property {number} moving
 * @property {string[]} clips
 * @property {string[]} notes
 * @property {string} drawn SVG
 */

/** The files that were chosen and looked into, until they are brought in. @type {File[]} */
let waiting = [];

/** What the server is told of files of objects. @param {File[]} files */
function contentOf(files) {
  const content = new FormData();
  for (const file of files) content.append("file", file);
  content.set("depth", one("[name=depth]", document, HTMLInputElement).value || "0");
  return content;
}

/**
 * A font becomes new lettering, a picture a sheet, a table curves: at once. All else is looked into first; null then.
 * @param {File[]} files
 */
async function takeAtOnce(files) {
  const [first] = files;
  if (FONT.test(first.name)) {
    const { label, asset } = await upload(first);
    return commit([{ do: "add-object", label, shape: { kind: "lettering", font: asset } }], { quiet: true });
  }
  if (PICTURE.test(first.name) && files.length === 1) {
    const { label, asset } = await upload(first);
    return commit([{ do: "bring-picture", label, asset }], { quiet: true });
  }
  if (!TABLE.test(first.name)) return null;
  const content = new FormData();
  content.append("file", first);
  content.set("at", store.facts.channel);
  content.set("fitted", String(one("[name=fitted]", document, HTMLInputElement).checked));
  return send("bring-curves", content);
}

const most = (/** @type {string[]} */ names) => names.slice(0, 8).join(", ") + (names.length > 8 ? ` and ${names.length - 8} more` : "");

/** @param {Preview} found */
function paintPreview(found) {
  const box = one("#bring-preview");
  one("strong", box).textContent = found.label;
  const count = `${found.objects.length} object${found.objects.length === 1 ? "" : "s"}`;
  const parts = [`${count}, ${found.triangles.toLocaleString("en")} triangles: ${most(found.objects)}`];
  if (found.moving) parts.push(`${found.moving} of them move`);
  if (found.clips.length) parts.push(`clips: ${most(found.clips)}`);
  one("[data-what]", box).textContent = `${parts.join("; ")}.`;
  one("[data-notes]", box).textContent = found.notes.join(" ");
  const picture = one(".preview-picture", box);
  // the drawing is the server's own, and shown as a picture: nothing in it can act
  const shown = element("img", { alt: `${found.label} from the front`, src: `data:image/svg+xml,${encodeURIComponent(found.drawn)}` });
  picture.replaceChildren(...(found.drawn ? [shown] : []));
  const size = one("#bring-size", box, HTMLSelectElement);
  const told = () => {
    const [x, y, z] = found.size.map((metres) => Number((metres * Number(size.value)).toPrecision(3)));
    one("[data-size]", box).textContent = `${x} × ${y} × ${z} m`;
  };
  size.onchange = told;
  told();
  box.hidden = false;
}

/** @param {HTMLInputElement} input */
async function lookInto(input) {
  const said = one("dialog .field-error");
  said.textContent = "Reading …";
  one("#bring-preview").hidden = true;
  await guard(async () => {
    const files = [...(input.files ?? [])];
    const state = await takeAtOnce(files);
    said.textContent = "";
    if (state) return landed(state);
    paintPreview(await asked(`${store.url}/look-into`, contentOf(files)));
    waiting = files;
    one("[data-act=bring-in]").focus();
    return undefined;
  }, (sentence) => { said.textContent = sentence; });
  input.value = "";
}

/** @param {Landed} state */
async function landed(state) {
  closeSheet();
  if (state.notes?.length) toast(state.notes.join(" "));
  await openNew(state);
}

/** What was looked into comes into the scene. */
async function bringIn() {
  const said = one("dialog .field-error");
  await guard(async () => {
    const content = contentOf(waiting);
    content.set("size", one("#bring-size", document, HTMLSelectElement).value);
    await landed(await send("bring", content));
  }, (sentence) => { said.textContent = sentence; });
}

/** @param {HTMLFormElement} form @param {FormData} fields @returns {Duplicate} */
function duplicate(form, fields) {
  const n = (/** @type {string} */ name) => String(fields.get(name));
  const [node, ...also] = (form.dataset.node ?? "").split(" ");
  return {
    do: "duplicate", node, also, count: n("count"), how: /** @type {Duplicate["how"]} */ (n("how")),
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

/** Add what a button carries: its edits, or something from the shelf. @param {HTMLElement | null} button */
async function addThis(button) {
  if (!button?.dataset.take) return openNew(button && (await apply(button)));
  const said = one("dialog .field-error");
  return guard(async () => landed(await send("take", JSON.parse(button.dataset.take ?? "{}"))), (sentence) => { said.textContent = sentence; });
}

/** What the page can do with objects. */
export function offerObjects() {
  act(
    { name: "add-object", keys: ["A"], run: () => sheet("object-form", { at: store.facts.at }), label: "Add an object" },
    { name: "duplicate", keys: ["Ctrl+D"], run: () => sheet("duplicate-form", { node: chosenNodes() }), label: "Duplicate the chosen objects" },
    { name: "hide", keys: ["H"], run: hide, label: "Hide or show the chosen objects" },
    { name: "remove-objects", run: remove, label: "Remove the chosen objects" },
    { name: "group", keys: ["Ctrl+G"], run: group, label: "Group the chosen objects" },
    { name: "ungroup", keys: ["Ctrl+Shift+G"], run: ungroup, label: "Let the chosen groups go" },
    { name: "bring-in", run: bringIn },
    { name: "add-this", run: addThis },
  );
  document.addEventListener("change", (event) => {
    const input = over(event, "#bring-file", HTMLInputElement);
    if (input?.files?.length) lookInto(input);
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
