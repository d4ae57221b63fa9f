// Help where the question arises: F1 says what the control is that has the focus, or lies under the pointer.

import { act } from "lazzik/lib/actions.js";
import { element, maybe } from "lazzik/lib/dom.js";

/** What is meant: the control with the focus, else what lies under the pointer. */
function meant() {
  const focused = document.activeElement;
  if (focused instanceof HTMLElement && focused !== document.body && told(focused)) return focused;
  return [...document.querySelectorAll(":hover")].reverse().find((each) => each instanceof HTMLElement && told(each)) ?? null;
}

/** The help of a control: its own, or that of the label and the field around it. @param {Element} control */
function told(control) {
  const knob = control.closest(".knob");
  const of = control.getAttribute("title") || knob?.querySelector("[title]")?.getAttribute("title");
  return of ?? control.closest("[title]")?.getAttribute("title") ?? "";
}

function show() {
  maybe(".help-bubble")?.remove();
  const control = meant();
  const bubble = element("p", { className: "help-bubble", role: "status" }, control ? told(control)
    : "Rest the pointer on a number, a choice or a button, or go to it by Tab, and press F1: it says what it is.");
  document.body.append(bubble);
  const box = control?.getBoundingClientRect() ?? new DOMRect(innerWidth / 2, innerHeight / 3, 0, 0);
  const below = box.bottom + 8 + bubble.offsetHeight < innerHeight;
  bubble.style.left = `${Math.max(8, Math.min(box.left, innerWidth - bubble.offsetWidth - 8))}px`;
  bubble.style.top = `${below ? box.bottom + 6 : box.top - bubble.offsetHeight - 6}px`;
  const close = new AbortController();
  for (const kind of ["keydown", "pointerdown", "wheel"]) {
    document.addEventListener(kind, (event) => {
      if (event instanceof KeyboardEvent && event.key === "F1") return;
      bubble.remove();
      close.abort();
    }, { signal: close.signal, capture: true });
  }
}

/** Begin to listen. */
export function offerHelp() {
  act({ name: "help", keys: ["F1"], run: show, label: "Say what this is: the control under the pointer, or with the focus" });
}
