// The list of scenes: found by name, put in order, renamed where they stand; what one can begin with moves under the pointer.

import { all, element, maybe, one } from "lazzik/lib/dom.js";

/** @typedef {"changed" | "name" | "moving"} Order */

const cards = () => all(".scene-card");

/** Show the scenes whose names have a text in them. @param {string} text */
export function find(text) {
  const wanted = text.trim().toLocaleLowerCase();
  let shown = 0;
  for (const card of cards()) {
    card.hidden = !(card.dataset.name ?? "").toLocaleLowerCase().includes(wanted);
    shown += card.hidden ? 0 : 1;
  }
  one("#scene-count").textContent = String(shown);
  one("#none-found").hidden = shown > 0;
}

/**
 * Which of two scenes comes first.
 * @param {Order} order
 * @returns {(a: { [name: string]: string | undefined }, b: { [name: string]: string | undefined }) => number}
 */
export function before(order) {
  if (order === "name") return (a, b) => (a.name ?? "").localeCompare(b.name ?? "", undefined, { numeric: true });
  if (order === "moving") return (a, b) => Number(b.moving) - Number(a.moving);
  return (a, b) => (b.changed ?? "").localeCompare(a.changed ?? "");
}

/** @param {Order} order */
function sort(order) {
  const first = before(order);
  one("#scene-cards").append(...cards().sort((a, b) => first(a.dataset, b.dataset)));
}

/** Let a name be typed where it stands; Enter keeps it, Escape leaves it. @param {HTMLElement} card @param {string} scene */
function rename(card, scene) {
  const name = card.dataset.name ?? "";
  const field = element("input", { className: "form-control form-control-sm rename-scene", name: "name", value: name, maxLength: 120 });
  field.setAttribute("aria-label", `Name of ${name}`);
  const form = element("form", { method: "post", action: `/scenes/${scene}/name` }, field);
  field.addEventListener("keydown", (event) => { if (event.key === "Escape") form.remove(); });
  field.addEventListener("blur", () => { if (field.value.trim() && field.value !== name) form.requestSubmit(); else form.remove(); });
  card.append(form);
  field.focus();
  field.select();
}

const still = () => matchMedia("(prefers-reduced-motion: reduce)").matches;

/** Moves while it is pointed at, or has the focus. @param {HTMLElement} start */
function liven(start) {
  const picture = maybe("img", start, HTMLImageElement);
  const [rest, moves] = [picture?.src ?? "", picture?.dataset.moves];
  if (!picture || !moves) return;
  for (const kind of ["pointerenter", "focus"]) start.addEventListener(kind, () => { if (!still()) picture.src = moves; });
  for (const kind of ["pointerleave", "blur"]) start.addEventListener(kind, () => { picture.src = rest; });
}

if (typeof document !== "undefined") {
  maybe("#find-scene", document, HTMLInputElement)?.addEventListener("input", (event) => {
    if (event.currentTarget instanceof HTMLInputElement && maybe("#none-found")) find(event.currentTarget.value);
  });
  const order = maybe("#sort-scenes", document, HTMLSelectElement);
  if (order && order.value !== "changed") sort(/** @type {Order} */ (order.value)); // chosen before this was listening
  order?.addEventListener("change", (event) => {
    if (event.currentTarget instanceof HTMLSelectElement) sort(/** @type {Order} */ (event.currentTarget.value));
  });
  for (const button of all("[data-rename-scene]")) {
    const card = /** @type {HTMLElement} */ (button.closest(".scene-card"));
    button.addEventListener("click", () => rename(card, button.dataset.renameScene ?? ""));
  }
  for (const start of all(".start")) liven(start);
}
