// The name of the object under the pointer.

import { text } from "lazzik/lib/api.js";
import { element } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";

/** @import { Stage } from "./stage.js" */

const SOON = 60; // milliseconds of rest after which it is looked up
const SPARE = 12; // looking may take one part in so many of the time

/** @type {{ revision: number, names: Record<string, string> }} */
let known = { revision: -1, names: {} };

/** @param {string} id */
async function nameOf(id) {
  if (known.revision !== store.facts.revision) known = JSON.parse(await text(`${store.url}/names`));
  return known.names[id] ?? "";
}

/** Begin to listen. @param {Stage} stage */
export function namePointed(stage) {
  const { canvas } = stage;
  const label = element("span", { className: "pointed", hidden: true });
  canvas.parentElement?.append(label);
  let [timer, cost] = [0, 0];
  const hide = () => { clearTimeout(timer); label.hidden = true; };
  /** @param {PointerEvent} event */
  const look = async ({ clientX, clientY }) => {
    const began = performance.now();
    const id = stage.pick(clientX, clientY);
    cost = performance.now() - began;
    const name = id && await nameOf(id).catch(() => "");
    label.hidden = !name;
    if (!name) return;
    label.textContent = name;
    const frame = canvas.getBoundingClientRect();
    const [x, y] = [clientX - frame.left, clientY - frame.top];
    const left = Math.min(x + 14, frame.width - label.offsetWidth - 6);
    label.style.transform = `translate(${left}px, ${y < 44 ? y + 20 : y - 30}px)`;
  };
  canvas.addEventListener("pointermove", (event) => {
    clearTimeout(timer);
    if (event.buttons) return hide();
    timer = window.setTimeout(() => look(event), Math.max(SOON, cost * SPARE));
  });
  for (const kind of ["pointerleave", "pointerdown", "wheel"]) canvas.addEventListener(kind, hide, { passive: true });
}
