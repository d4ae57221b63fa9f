// Marks: named frames on the ruler. They are pressed to be read and changed, dragged to other frames, and stepped through.

import { act } from "lazzik/lib/actions.js";
import { follow } from "lazzik/lib/drag.js";
import { all, element, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { onView, toFrame, toX } from "lazzik/timeline/timeaxis.js";
import { commit, send } from "lazzik/studio/history.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";

/** @import { Edit, MarkFacts } from "lazzik/lib/types.d.ts" */
/** @import { Transport } from "lazzik/timeline/transport.js" */

/** @param {HTMLElement} button */
const markOf = (button) => store.facts.marks.find((mark) => mark.id === button.dataset.mark);

/** @param {MarkFacts} mark */
function flag(mark) {
  const button = element("button", { type: "button", className: `mark ${mark.color}` }, element("span", { className: "mark-name" }, mark.label));
  button.dataset.mark = mark.id;
  button.title = mark.remark;
  button.setAttribute("aria-label", `Mark ${mark.label}, frame ${mark.frame}${mark.remark ? `: ${mark.remark}` : ""}`);
  return button;
}

let width = 1; // of the ruler in pixels, read when it changes

/** Where it stands while it is dragged too. @param {HTMLElement} button @param {number} frame */
function stand(button, frame) {
  const x = toX(frame, width);
  button.style.transform = `translateX(${x}px)`;
  button.hidden = x < -1 || x > width + 1;
}

function place() {
  for (const button of all("#ruler .mark")) stand(button, markOf(button)?.frame ?? store.facts.first);
}

function draw() {
  const ruler = one("#ruler");
  const focused = document.activeElement instanceof HTMLElement ? document.activeElement.dataset.mark : undefined;
  for (const old of all(".mark", ruler)) old.remove();
  ruler.append(...store.facts.marks.map(flag));
  place();
  if (focused) all(".mark", ruler).find((button) => button.dataset.mark === focused)?.focus();
}

/** @param {string} mark @param {number} frame @returns {Edit[]} */
const moved = (mark, frame) => [{ do: "change-mark", mark, frame }];

/** A mark is dragged along the ruler, or pressed. @param {PointerEvent} event */
function grab(event) {
  const button = over(event, "#ruler .mark");
  const mark = button && markOf(button);
  if (!button || !mark || event.button) return;
  event.stopPropagation();
  const ruler = one("#ruler").getBoundingClientRect();
  const at = (/** @type {number} */ dx) => Math.round(toFrame(toX(mark.frame, ruler.width) + dx, ruler.width));
  let frame = mark.frame;
  follow(event, {
    move: (dx) => {
      frame = at(dx);
      button.classList.add("dragged");
      stand(button, frame);
    },
    done: (dragged) => {
      button.classList.remove("dragged");
      if (!dragged) sheet("mark", { mark: mark.id });
      else if (frame !== mark.frame) commit(moved(mark.id, frame));
    },
    gaveUp: () => { button.classList.remove("dragged"); place(); },
  });
}

/** @param {KeyboardEvent} event */
function keyed(event) {
  const button = over(event, "#ruler .mark");
  const mark = button && markOf(button);
  if (!mark) return;
  const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: 10, PageDown: -10 }[event.key];
  if (event.key !== "Enter" && event.key !== " " && event.key !== "Delete" && !by) return;
  event.preventDefault();
  event.stopPropagation();
  if (by) commit(moved(mark.id, mark.frame + by));
  else if (event.key === "Delete") commit([{ do: "remove-mark", mark: mark.id }]);
  else sheet("mark", { mark: mark.id });
}

/** Remarks that a page for review saved become marks. */
function openRemarks() {
  const input = element("input", { type: "file", id: "remarks-file", accept: ".json,application/json", hidden: true });
  document.body.append(input);
  input.addEventListener("change", async () => {
    const [file] = input.files ?? [];
    input.remove();
    if (!file) return;
    await guard(async () => {
      const content = new FormData();
      content.append("file", file);
      toast(((await send("remarks", content)).notes ?? []).join(" "));
    });
  });
  input.click();
}

/**
 * What the page can do with marks; without `changes` they are seen and stepped through alone.
 * @param {Transport} transport
 * @param {{ changes: boolean }} how
 */
export function offerMarks(transport, { changes }) {
  const { marks } = store.facts;
  const to = (/** @type {1 | -1} */ way) => {
    const frames = store.facts.marks.map((mark) => mark.frame).filter((frame) => (frame - store.frame) * way > 0);
    if (frames.length) transport.go(way > 0 ? Math.min(...frames) : Math.max(...frames));
  };
  act(
    { name: "mark-before", keys: ["Ctrl+ArrowLeft"], run: () => to(-1), label: "To the mark before" },
    { name: "mark-after", keys: ["Ctrl+ArrowRight"], run: () => to(1), label: "To the next mark" },
  );
  store.subscribe("facts", draw);
  onView(place);
  const measure = () => { width = one("#ruler").clientWidth || 1; };
  new ResizeObserver(() => { measure(); place(); }).observe(one("#ruler"));
  measure();
  if (marks) draw();
  if (!changes) return;
  act({ name: "mark", keys: ["U"], run: () => sheet("mark", { frame: store.frame }), label: "Mark the frame at the playhead" });
  act({ name: "open-remarks", run: openRemarks, label: "Open remarks from a page for review" });
  one("#ruler").addEventListener("pointerdown", grab, true);
  one("#ruler").addEventListener("keydown", keyed, true);
  sheetForm("mark-form", {
    land: (form, fields) => {
      const { mark } = form.dataset;
      const said = { label: String(fields.get("label")), frame: String(fields.get("frame")), remark: String(fields.get("remark")) };
      const color = /** @type {MarkFacts["color"]} */ (String(fields.get("color")));
      return commit([mark ? { do: "change-mark", mark, ...said, color } : { do: "add-mark", ...said, color }], { quiet: true });
    },
  });
}
