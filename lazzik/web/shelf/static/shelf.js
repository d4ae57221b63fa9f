// The shelf: found by words, sorts and tags; what is on it changed, removed, put back, taken in from a file; and taken into a scene.

import { act } from "lazzik/lib/actions.js";
import { form as sendForm, post } from "lazzik/lib/api.js";
import { all, field, maybe, one } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { send } from "lazzik/studio/history.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";

/** What narrows the shelf. */
const wanted = { text: "", sort: "", tag: "" };

/**
 * Whether a card is one of those that are looked for.
 * @param {{ foundBy?: string, sort?: string, tags?: string }} card
 * @param {typeof wanted} narrowed
 */
export function isFound(card, narrowed) {
  const words = narrowed.text.trim().toLocaleLowerCase().split(/\s+/);
  return words.every((word) => (card.foundBy ?? "").includes(word)) && (!narrowed.sort || card.sort === narrowed.sort)
    && (!narrowed.tag || JSON.parse(card.tags ?? "[]").includes(narrowed.tag));
}

function narrow() {
  let shown = 0;
  for (const card of all(".shelf-card")) {
    card.hidden = !isFound(card.dataset, wanted);
    shown += card.hidden ? 0 : 1;
  }
  one("#shelf-none").hidden = shown > 0;
}

/** One of a row of buttons is pressed; again lets it go. @param {"sort" | "tag"} what @param {HTMLElement | null} button */
function by(what, button) {
  const value = button?.dataset[what] ?? "";
  wanted[what] = wanted[what] === value ? "" : value;
  for (const other of all(`[data-act=shelf-${what}]`)) other.setAttribute("aria-pressed", String((other.dataset[what] ?? "") === wanted[what]));
  narrow();
}

/** @param {string} text */
export const tagsIn = (text) => [...new Set(text.split(",").map((tag) => tag.trim().replace(/\s+/g, " ")).filter(Boolean))];

/** What a refusal is told in. @param {string} sentence */
const told = (sentence) => { one("#shelf-error").textContent = sentence; };

/** Take what a button stands for into the scene, and go where it says. @param {HTMLElement | null} button */
async function take(button) {
  await guard(async () => {
    const landed = await send("take", JSON.parse(button?.dataset.take ?? "{}"));
    const then = button?.dataset.then ?? "";
    if (then) location.assign(landed.layer ? `${then}?at=${encodeURIComponent(landed.layer)}` : then);
  }, (sentence) => toast(sentence));
}

const dialog = () => one("#shelf-dialog", document, HTMLDialogElement);

/** @param {HTMLElement | null} button */
function change(button) {
  const form = one("#shelf-change-form", document, HTMLFormElement);
  for (const name of ["label", "note", "tags"]) field(form, name).value = button?.dataset[name] ?? "";
  form.dataset.key = button?.dataset.key ?? "";
  one(".field-error", form).textContent = "";
  dialog().showModal();
}

/** @param {SubmitEvent} event */
async function changed(event) {
  event.preventDefault();
  const form = one("#shelf-change-form", document, HTMLFormElement);
  const value = (/** @type {string} */ name) => field(form, name).value;
  await guard(async () => {
    await post(`/shelf/${form.dataset.key}`, { label: value("label"), note: value("note"), tags: tagsIn(value("tags")) });
    location.reload();
  }, (sentence) => { one(".field-error", form).textContent = sentence; });
}

/** @param {string} url */
const done = (url) => guard(async () => {
  await post(url, {});
  location.reload();
}, told);

/** @param {HTMLInputElement} input */
async function takeIn(input) {
  const [file] = input.files ?? [];
  if (!file) return;
  told("");
  const content = new FormData();
  content.append("file", file);
  await guard(async () => {
    const found = await sendForm("/shelf/file", content);
    sessionStorage.setItem("lazzik-shelf", `${found.new} of ${found.items} in ${file.name} are new on the shelf.`);
    location.reload();
  }, told);
  input.value = "";
}

/** What goes on the shelf out of a scene. */
export function offerKeeping() {
  act({ name: "keep-on-shelf", run: (button) => sheet("keep-form", { sort: button?.dataset.sort, part: button?.dataset.part }) });
  sheetForm("keep-form", {
    land: async (form, fields) => {
      await post(`${store.url}/keep`, {
        sort: form.dataset.sort, part: form.dataset.part, label: fields.get("label"), note: fields.get("note"),
        tags: tagsIn(String(fields.get("tags"))),
      });
      toast(`${fields.get("label")} is on the shelf.`);
      return true;
    },
  });
}

if (typeof document !== "undefined" && maybe("#shelf-cards")) {
  act(
    { name: "take", run: take },
    { name: "shelf-sort", run: (button) => by("sort", button) },
    { name: "shelf-tag", run: (button) => by("tag", button) },
    { name: "shelf-change", run: change },
    { name: "shelf-close", run: () => dialog().close() },
    { name: "shelf-remove", run: (button) => done(`/shelf/${button?.dataset.key}/remove`) },
    { name: "shelf-put-back", run: () => done("/shelf/put-back") },
  );
  one("#shelf-find", document, HTMLInputElement).addEventListener("input", (event) => {
    if (event.currentTarget instanceof HTMLInputElement) wanted.text = event.currentTarget.value;
    narrow();
  });
  maybe("#shelf-change-form", document, HTMLFormElement)?.addEventListener("submit", changed);
  const input = maybe("#shelf-file", document, HTMLInputElement);
  input?.addEventListener("change", () => takeIn(input));
  const said = sessionStorage.getItem("lazzik-shelf");
  if (said) toast(said);
  sessionStorage.removeItem("lazzik-shelf");
}
