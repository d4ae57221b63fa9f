// Names and values typed where they stand: by F2, or by a double press.

import { act } from "lazzik/lib/actions.js";
import { element, maybe, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { numberEdit } from "lazzik/stack/knobs.js";
import { commit } from "./history.js";
import { refresh } from "./session.js";

const LONGEST = 120; // characters

/** The name that is meant: of the lane that has the focus or is around it, else of the chosen object. */
function meant() {
  const lane = document.activeElement?.closest(".lane") ?? null;
  return (lane && maybe("[data-rename]", lane)) ?? maybe("#tree .object.chosen [data-rename]");
}

/**
 * Let something be typed where it stands; Enter and leaving it keep it, Escape leaves it as it was.
 * @param {HTMLElement} place what is typed over
 * @param {string} before
 * @param {string} label what is typed, for those who can't see it
 * @param {(text: string) => Promise<unknown>} keep
 */
function typeOver(place, before, label, keep) {
  if (place.nextElementSibling?.matches(".rename")) return;
  const field = element("input", { className: "rename", value: before, maxLength: LONGEST, spellcheck: false, autocomplete: "off" });
  field.setAttribute("aria-label", label);
  let open = true;
  const close = () => {
    open = false;
    field.remove();
  };
  const finish = async () => {
    if (!open) return;
    const text = field.value.trim();
    close();
    if (text && text !== before) await guard(() => keep(text));
    await refresh(); // what became of the row meanwhile, or what it was if this was refused
  };
  // what is done within the field is not done to the row around it
  for (const kind of ["click", "dblclick", "pointerdown"]) {
    field.addEventListener(kind, (event) => { event.stopPropagation(); if (kind === "click") event.preventDefault(); });
  }
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    if (event.key === "Escape") field.value = before;
    finish();
  });
  field.addEventListener("blur", finish);
  place.after(field);
  field.focus();
  field.select();
}

/** Rename what an element is the name of. @param {HTMLElement | null} name that says in its data which edit does it */
export function rename(name) {
  if (!name?.dataset.rename) return;
  const before = name.textContent?.trim() ?? "";
  const edit = JSON.parse(name.dataset.rename);
  typeOver(name, before, `Name of ${before}`, (label) => {
    name.textContent = label;
    return commit([{ ...edit, label }]);
  });
}

/** Type a number's value, at the frame that is shown where it has keys. @param {HTMLElement} number in the tree */
function typeValue(number) {
  const { address = "", unit = "" } = number.dataset;
  const before = (number.textContent ?? "").trim().replace(unit, "").replace("−", "-").trim();
  typeOver(number, before, `Value of ${address}`, (text) => commit([numberEdit(number, text)]));
}

/** Begin to listen. */
export function listenToNames() {
  act(
    { name: "rename", keys: ["F2"], run: () => rename(meant()), label: "Rename the chosen object, or the layer that has the focus" },
    { name: "rename-layer", run: () => rename(maybe(".lane.chosen [data-rename]")), label: "Rename the open layer or deformer" },
  );
  document.addEventListener("dblclick", (event) => {
    const [name, number] = [over(event, "[data-rename]"), over(event, "#tree [data-now]")];
    if (!name && !number) return;
    event.preventDefault();
    if (number) typeValue(number);
    else rename(name);
  });
}
