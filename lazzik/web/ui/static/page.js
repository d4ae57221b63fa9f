// What every page shares: theme, history, the finder, and small manners of forms.

import { guard } from "lazzik/lib/guard.js";
import { action, listen } from "lazzik/studio/finder.js";
import { commit, redo, undo } from "lazzik/studio/history.js";
import { toast } from "lazzik/lib/toasts.js";

const root = document.documentElement;

function switchTheme() {
  root.dataset.bsTheme = root.dataset.bsTheme === "dark" ? "light" : "dark";
  localStorage.setItem("lazzik-theme", root.dataset.bsTheme);
  document.dispatchEvent(new Event("theme"));
}

document.getElementById("theme").addEventListener("click", switchTheme);
if (document.getElementById("history")) {
  action("undo", ["Ctrl+Z"], undo, "Undo");
  action("redo", ["Ctrl+Shift+Z", "Ctrl+Y"], redo, "Redo");
}
action("theme", [], switchTheme, "Switch between day and dusk");
action("scenes", [], () => { location.href = "/scenes"; }, "All scenes");
for (const link of document.querySelectorAll(".steps a")) {
  action(`go-${link.textContent}`, [], () => { location.href = link.href; }, `Go to ${link.textContent}`);
}
listen();

document.addEventListener("submit", async (event) => {
  const question = event.target.dataset.confirm;
  if (question && !confirm(question)) event.preventDefault();
  if (event.target.id !== "scene-form") return;
  event.preventDefault();
  const form = event.target;
  const changes = { do: "change-scene" };
  for (const field of form.querySelectorAll("input")) if (field.value !== field.defaultValue) changes[field.name] = field.value;
  if (Object.keys(changes).length === 1) return;
  await guard(async () => {
    if (await commit([changes], { quiet: true })) location.reload();
  }, (sentence) => { form.querySelector(".field-error").textContent = sentence; });
});

// a scene file is sent as soon as it is chosen; what is wrong with it is said beside the button
document.querySelector("#open-form input")?.addEventListener("change", async (event) => {
  const said = document.getElementById("open-error");
  said.textContent = "Reading …";
  const response = await fetch("/scenes/open", { method: "POST", body: new FormData(event.target.form) }).catch(() => null);
  if (response?.ok) location.href = response.url;
  else said.textContent = (await response?.json().catch(() => null))?.error ?? "The file could not be sent.";
  event.target.value = "";
});

// buttons of pages other than the studio that carry their edits, and lead somewhere once they are stored
document.addEventListener("click", async (event) => {
  const button = event.target.closest("button[data-put]");
  if (button && (await commit(JSON.parse(button.dataset.put)))) location.assign(button.dataset.then ?? location.href);
});

// placing a bake or taking one back made on an older revision says so here, like any other edit
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (event.defaultPrevented || !/\/bake(\/[^/]+\/(take-back|again))?$/.test(form.getAttribute("action") ?? "")) return;
  event.preventDefault();
  const response = await fetch(form.action, { method: "POST", body: new URLSearchParams(new FormData(form)) }).catch(() => null);
  if (response?.ok) return location.assign(response.url), location.reload();
  const told = await response?.json().catch(() => null);
  toast(told?.error ?? "Lazzik's server does not answer; nothing was changed.", ["Reload", () => location.reload()]);
});
