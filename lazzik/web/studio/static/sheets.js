// Sheets over the studio: page parts from the server, whose buttons carry edits and whose forms say how they land.

import { part } from "lazzik/lib/api.js";
import { element, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { commit, send } from "./history.js";

/**
 * @typedef {object} SheetForm what a room says of a form on one of its sheets
 * @property {(form: HTMLFormElement) => void} [prepare] once it is shown
 * @property {(form: HTMLFormElement, fields: FormData) => Promise<unknown>} land its button was pressed; what it gives says
 *   whether the sheet may close. A refusal is said in the form, and the sheet stays
 */

/** @type {Record<string, SheetForm>} */
const forms = {
  // one edit with the fields' values in it
  edit: { land: (form, fields) => commit([{ ...JSON.parse(form.dataset.edit ?? ""), ...filled(form, fields) }], { quiet: true }) },
  // another page, asked with the fields' values
  go: { land: async (form, fields) => {
    location.assign(`${form.action}?${new URLSearchParams(/** @type {[string, string][]} */ ([...fields]))}`);
  } },
  // a request of its own
  send: { land: (form, fields) => send(form.dataset.send ?? "", filled(form, fields)) },
};

/**
 * Say what a form of a sheet does.
 * @param {string} id of the form
 * @param {SheetForm} form
 */
export const sheetForm = (id, form) => { forms[id] = form; };

/** @type {HTMLDialogElement | null} */
let dialog = null;

/** Close the open sheet. */
export const closeSheet = () => dialog?.close();

/** Done once when the open sheet is closed. @param {() => void} act @param {AbortSignal} [signal] */
export const onClosed = (act, signal) => dialog?.addEventListener("close", act, { once: true, signal });

/**
 * Open a sheet, or show another one in its place.
 * @param {string} name where the server has it
 * @param {Record<string, string | number | string[] | undefined>} asked
 */
export async function sheet(name, asked = {}) {
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(asked)) {
    for (const item of [value].flat()) if (item !== undefined) query.append(key, String(item));
  }
  await guard(async () => {
    show(await part(`${store.url}/${name}?${query}`), name);
  });
}

/** @param {Document} page @param {string} name */
function show(page, name) {
  const box = dialog?.open ? dialog : begin();
  box.className = `sheet-dialog sheet-${name}`;
  const close = element("button", { type: "button", className: "close", title: "Close (Escape)" }, "×");
  close.setAttribute("aria-label", "Close");
  close.addEventListener("click", closeSheet);
  // the fragment is the server's own page part, every value in it escaped there
  box.replaceChildren(close, ...page.body.children);
  box.setAttribute("aria-label", maybe("h2", box)?.textContent ?? name);
  if (!box.open) box.showModal();
  const form = maybe("form", box, HTMLFormElement);
  if (form) forms[form.id]?.prepare?.(form);
}

function begin() {
  const box = element("dialog");
  box.addEventListener("close", () => box.remove());
  box.addEventListener("click", (event) => { if (event.target === box) box.close(); });
  box.addEventListener("submit", (event) => land(event));
  document.body.append(box);
  dialog = box;
  return box;
}

/** @param {SubmitEvent} event */
async function land(event) {
  event.preventDefault();
  const form = over(event, "form", HTMLFormElement);
  const own = form && forms[form.id || (form.dataset.form ?? "")];
  if (!form || !own) return;
  const button = maybe("[type=submit]", form, HTMLButtonElement);
  const said = one(".field-error", form);
  said.textContent = "";
  if (button) button.disabled = true;
  try {
    await guard(async () => {
      if (await own.land(form, new FormData(form))) closeSheet();
    }, (sentence) => { said.textContent = sentence; });
  } finally {
    if (button) button.disabled = false;
  }
}

/**
 * The fields of a form that say something; lists are written as JSON.
 * @param {HTMLFormElement} form
 * @param {FormData} fields
 */
function filled(form, fields) {
  const read = (/** @type {string} */ name, /** @type {FormDataEntryValue} */ value) => {
    const control = form.elements.namedItem(name);
    if (control instanceof HTMLElement && control.dataset.list !== undefined) return JSON.parse(String(value));
    return value === "true" ? true : value;
  };
  return Object.fromEntries([...fields].filter(([, value]) => value !== "").map(([name, value]) => [name, read(name, value)]));
}
