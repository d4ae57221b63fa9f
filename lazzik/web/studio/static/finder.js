// Every action of a page by name: Ctrl+K lists them with their shortcuts.

const actions = [];
const ARROWS = { ArrowLeft: "←", ArrowRight: "→" };
const OWN = /^(Space|Arrow|Home|End|Delete)/;
const typing = (target) => target.closest("input:not([type=range]), select, textarea, [contenteditable]");

export function action(name, keys, run, label) {
  actions.push({ name, keys, run, label });
}

export const run = (name) => actions.find((item) => item.name === name)?.run();

const named = (event) =>
  (event.ctrlKey || event.metaKey ? "Ctrl+" : "") + (event.shiftKey && event.key.length > 1 ? "Shift+" : "")
  + (event.ctrlKey && event.shiftKey && event.key.length === 1 ? "Shift+" : "")
  + (event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key);

export function listen() {
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-act]");
    if (button) run(button.dataset.act);
  });
  document.addEventListener("keydown", (event) => {
    if (event.defaultPrevented || document.querySelector("dialog[open]")) return;
    const keys = named(event);
    const found = actions.find((item) => item.keys.includes(keys));
    if (!found) return;
    // text that is chosen or being typed is copied and pasted as everywhere
    if (/^Ctrl\+(Shift\+)?[CV]$/.test(keys) && (typing(event.target) || String(getSelection()))) return;
    const plain = !keys.startsWith("Ctrl+");
    // a field in which something was typed undoes its own typing first
    if (!plain && keys !== "Ctrl+K" && typing(event.target) && event.target.value !== event.target.defaultValue) return;
    if (plain && typing(event.target)) return;
    // a control reached by keyboard keeps its own keys
    if (plain && OWN.test(keys) && event.target.matches(":focus-visible") && event.target.closest("button, a, summary, [role=slider], [role=separator], .bead, .corner, .edge")) return;
    event.preventDefault();
    found.run();
  });
  action("find", ["Ctrl+K"], open, "Find an action");
}

function open() {
  const dialog = document.createElement("dialog");
  dialog.className = "finder";
  dialog.setAttribute("aria-label", "Find an action");
  const field = document.createElement("input");
  field.className = "form-control";
  field.placeholder = "What would you like to do?";
  field.setAttribute("aria-label", "Action");
  const list = document.createElement("ul");
  dialog.append(field, list);
  const close = () => { dialog.close(); dialog.remove(); };
  const show = () => {
    const wanted = field.value.toLowerCase();
    list.replaceChildren(...actions.filter((item) => item.label.toLowerCase().includes(wanted)).map((item, index) => {
      const row = document.createElement("li");
      row.className = index === 0 ? "first" : "";
      const button = document.createElement("button");
      button.type = "button";
      button.className = "action";
      button.append(item.label);
      const keys = document.createElement("kbd");
      keys.textContent = item.keys.map((key) => ARROWS[key] ?? key).join(" or ");
      button.append(keys);
      button.addEventListener("click", () => { close(); item.run(); });
      row.append(button);
      return row;
    }));
  };
  field.addEventListener("input", show);
  dialog.addEventListener("keydown", (event) => {
    const rows = [...list.querySelectorAll("button")];
    const at = rows.indexOf(document.activeElement);
    if (event.key === "Enter" && at < 0 && rows.length) { event.preventDefault(); rows[0].click(); }
    if (event.key === "ArrowDown") { event.preventDefault(); rows[Math.min(at + 1, rows.length - 1)]?.focus(); }
    if (event.key === "ArrowUp") { event.preventDefault(); (rows[at - 1] ?? field).focus(); }
  });
  dialog.addEventListener("close", () => dialog.remove());
  document.body.append(dialog);
  show();
  dialog.showModal();
}
