// The finder: every action of a page by its words, with its shortcuts.

import { actions } from "lazzik/lib/actions.js";
import { all, element } from "lazzik/lib/dom.js";

/** @type {Record<string, string>} */
const ARROWS = { ArrowLeft: "←", ArrowRight: "→" };

/** Open it. */
export function find() {
  const field = element("input", { className: "form-control", placeholder: "What would you like to do?" });
  field.setAttribute("aria-label", "Action");
  const list = element("ul");
  const dialog = element("dialog", { className: "finder" }, field, list);
  dialog.setAttribute("aria-label", "Find an action");
  const show = () => {
    const wanted = field.value.toLowerCase();
    const found = actions.filter((item) => item.label?.toLowerCase().includes(wanted));
    list.replaceChildren(...found.map((item, index) => {
      const keys = element("kbd", { textContent: (item.keys ?? []).map((key) => ARROWS[key] ?? key).join(" or ") });
      const button = element("button", { type: "button", className: "action" }, item.label ?? "", keys);
      button.addEventListener("click", () => { dialog.close(); item.run(null); });
      return element("li", { className: index === 0 ? "first" : "" }, button);
    }));
  };
  field.addEventListener("input", show);
  dialog.addEventListener("keydown", (event) => {
    const rows = all("button", list);
    const at = rows.findIndex((row) => row === document.activeElement);
    if (event.key === "Enter" && at < 0 && rows.length) { event.preventDefault(); rows[0].click(); }
    if (event.key === "ArrowDown") { event.preventDefault(); rows[Math.min(at + 1, rows.length - 1)]?.focus(); }
    if (event.key === "ArrowUp") { event.preventDefault(); (rows[at - 1] ?? field).focus(); }
  });
  dialog.addEventListener("close", () => dialog.remove());
  document.body.append(dialog);
  show();
  dialog.showModal();
}
