// Names changed where they stand: by F2, or by a double press.

import { act } from "lazzik/lib/actions.js";
import { element, maybe, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { commit } from "./history.js";

const LONGEST = 120; // characters

/** The name that is meant: of the lane that has the focus or is around it, else of the chosen object. */
function meant() {
  const lane = document.activeElement?.closest(".lane") ?? null;
  return (lane && maybe("[data-rename]", lane)) ?? maybe("#tree .object.chosen [data-rename]");
}

/**
 * Let a name be typed where it stands; Enter and leaving it keep it, Escape leaves it as it was.
 * @param {HTMLElement | null} name an element that says in its data which edit gives it another label
 */
export function rename(name) {
  if (!name?.dataset.rename || name.nextElementSibling?.matches(".rename")) return;
  const before = name.textContent?.trim() ?? "";
  const field = element("input", { className: "rename", value: before, maxLength: LONGEST, spellcheck: false, autocomplete: "off" });
  field.setAttribute("aria-label", `Name of ${before}`);
  const edit = JSON.parse(name.dataset.rename);
  let open = true;
  const close = () => {
    open = false;
    field.remove();
  };
  const keep = async () => {
    if (!open) return;
    const label = field.value.trim();
    close();
    if (!label || label === before) return;
    name.textContent = label;
    await guard(async () => { if (!(await commit([{ ...edit, label }]))) name.textContent = before; });
  };
  // what is done within the field is not done to the row around it
  for (const kind of ["click", "dblclick", "pointerdown"]) {
    field.addEventListener(kind, (event) => { event.stopPropagation(); if (kind === "click") event.preventDefault(); });
  }
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    if (event.key === "Enter") keep();
    else close();
  });
  field.addEventListener("blur", keep);
  name.after(field);
  field.focus();
  field.select();
}

/** Begin to listen. */
export function listenToNames() {
  act(
    { name: "rename", keys: ["F2"], run: () => rename(meant()), label: "Rename the chosen object, or the layer that has the focus" },
    { name: "rename-layer", run: () => rename(maybe(".lane.chosen [data-rename]")), label: "Rename the open layer or deformer" },
  );
  document.addEventListener("dblclick", (event) => {
    const name = over(event, "[data-rename]");
    if (!name) return;
    event.preventDefault();
    rename(name);
  });
}
