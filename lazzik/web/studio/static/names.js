// Names and values typed where they stand: by F2, or by a double press.

import { act } from "lazzik/lib/actions.js";
import { element, maybe, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { toast } from "lazzik/lib/toasts.js";
import { numberEdit } from "lazzik/stack/knobs.js";
import { chosenNodes } from "./choice.js";
import { commit } from "./history.js";
import { refresh } from "./session.js";

const LONGEST = 120; // characters

/** The name that is meant: of the lane that has the focus or is around it, else of the chosen object. */
function meant() {
  const lane = document.activeElement?.closest(".lane") ?? null;
  return (lane && maybe("[data-rename]", lane)) ?? maybe("#tree .object.chosen [data-rename]");
}

/**
 * Let something be typed where it stands. Enter and leaving it keep it, Escape leaves it as it was; what is refused stays to
 * be mended, with the reason under it.
 * @param {HTMLElement} place what is typed over
 * @param {string} before
 * @param {string} label what is typed, for those who can't see it
 * @param {(text: string) => Promise<unknown>} keep
 * @param {() => void} [next] what Tab leads to, when it is kept
 */
function typeOver(place, before, label, keep, next) {
  if (place.nextElementSibling?.matches(".rename")) return;
  const field = element("input", { className: "rename", value: before, maxLength: LONGEST, spellcheck: false, autocomplete: "off" });
  field.setAttribute("aria-label", label);
  const said = element("p", { className: "field-error typed-error", role: "alert" });
  let [open, asking] = [true, false];
  const close = () => {
    open = false;
    field.remove();
    said.remove();
  };
  /** @param {boolean} leaving another place has the keyboard by now */
  const finish = async (leaving) => {
    if (!open || asking) return false;
    const text = field.value.trim();
    let refused = "";
    if (text && text !== before) {
      asking = true;
      await guard(() => keep(text), (sentence) => { refused = sentence; });
      asking = false;
    }
    if (refused && !leaving) {
      said.textContent = refused;
      field.setAttribute("aria-invalid", "true");
      field.after(said);
      return false;
    }
    close();
    if (refused) toast(refused);
    await refresh(); // what became of the row meanwhile, or what it was if this was refused
    return true;
  };
  // what is done within the field is not done to the row around it
  for (const kind of ["click", "dblclick", "pointerdown"]) {
    field.addEventListener(kind, (event) => { event.stopPropagation(); if (kind === "click") event.preventDefault(); });
  }
  field.addEventListener("keydown", async (event) => {
    event.stopPropagation();
    const goesOn = event.key === "Tab" && !event.shiftKey && next;
    if (event.key !== "Enter" && event.key !== "Escape" && !goesOn) return;
    event.preventDefault();
    if (event.key === "Escape") field.value = before;
    if (await finish(false) && goesOn) next?.();
  });
  field.addEventListener("blur", () => finish(true));
  place.after(field);
  field.focus();
  field.select();
}

/** Rename what an element is the name of. @param {HTMLElement | null} name that says in its data which edit does it */
export function rename(name) {
  if (!name?.dataset.rename) return;
  const before = name.textContent?.trim() ?? "";
  const edit = JSON.parse(name.dataset.rename);
  // of several chosen objects all get the name, and a number each
  const nodes = edit.do === "change-object" && chosenNodes().includes(edit.node) ? chosenNodes() : [];
  const edits = nodes.length > 1 ? nodes.map((node) => ({ ...edit, node })) : [edit];
  typeOver(name, before, `Name of ${edits.length > 1 ? `${edits.length} objects` : before}`, (label) => {
    name.textContent = label;
    return commit(edits.map((each) => ({ ...each, label })), { quiet: true });
  }, edit.do === "change-object" ? () => renameAfter(edit.node) : undefined);
}

/** Go on with the name of the row after an object's. @param {string} node */
function renameAfter(node) {
  rename(maybe(`#row-${CSS.escape(node)} + li[id^=row-] > a [data-rename]`));
}

/** Type a number's value, at the frame that is shown where it has keys. @param {HTMLElement} number in the tree */
function typeValue(number) {
  const { address = "", unit = "" } = number.dataset;
  const before = (number.textContent ?? "").trim().replace(unit, "").replace("−", "-").trim();
  typeOver(number, before, `Value of ${address}`, (text) => commit([numberEdit(number, text)], { quiet: true }));
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
