// What every page shares: theme, history, the finder, and small manners of forms.

import { act, listen } from "lazzik/lib/actions.js";
import { all, field, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { toast } from "lazzik/lib/toasts.js";
import { apply, commit, readHead, redo, undo } from "lazzik/studio/history.js";
import { offerVersions } from "lazzik/versions/keeping.js";
import { find } from "./finder.js";

/** @import { ChangeScene } from "lazzik/lib/types.d.ts" */

const root = document.documentElement;

function switchTheme() {
  root.dataset.bsTheme = root.dataset.bsTheme === "dark" ? "light" : "dark";
  localStorage.setItem("lazzik-theme", root.dataset.bsTheme);
  document.dispatchEvent(new Event("theme"));
}

one("#theme").addEventListener("click", switchTheme);
if (maybe("#history")) {
  readHead();
  act(
    { name: "undo", keys: ["Ctrl+Z"], run: undo, label: "Undo" },
    { name: "redo", keys: ["Ctrl+Shift+Z", "Ctrl+Y"], run: redo, label: "Redo" },
  );
  offerVersions();
}
act(
  { name: "theme", run: switchTheme, label: "Switch between day and dusk" },
  { name: "scenes", run: () => { location.href = "/scenes"; }, label: "All scenes" },
  { name: "apply", run: (button) => button && apply(button) },
  { name: "find", keys: ["Ctrl+K"], run: find, label: "Find an action" },
  ...all(".steps a", document, HTMLAnchorElement).map((link) => (
    { name: `go-${link.textContent}`, run: () => { location.href = link.href; }, label: `Go to ${link.textContent}` }
  )),
);
listen();

document.addEventListener("submit", async (event) => {
  const form = over(event, "form", HTMLFormElement);
  const question = form?.dataset.confirm;
  if (question && !confirm(question)) event.preventDefault();
  if (form?.id !== "scene-form") return;
  event.preventDefault();
  /** @type {ChangeScene} */
  const changes = { do: "change-scene" };
  for (const typed of all("input:not([type=radio])", form, HTMLInputElement)) {
    if (typed.value !== typed.defaultValue) Object.assign(changes, { [typed.name]: typed.value });
  }
  if (Object.keys(changes).length === 1) return;
  if (changes.fps !== undefined) changes.keep = /** @type {ChangeScene["keep"]} */ (field(form, "keep").value);
  await guard(async () => {
    if (await commit([changes], { quiet: true })) location.reload();
  }, (sentence) => { one(".field-error", form).textContent = sentence; });
});

// another frame rate asks what is to stay
document.addEventListener("input", (event) => {
  const rate = over(event, "#scene-form [name=fps]", HTMLInputElement);
  if (rate) one("#keep-time").hidden = rate.value === rate.defaultValue;
});

// a scene file is sent as soon as it is chosen; what is wrong with it is said beside the button
maybe("#open-form input", document, HTMLInputElement)?.addEventListener("change", async (event) => {
  const chosen = /** @type {HTMLInputElement} */ (event.currentTarget);
  const said = one("#open-error");
  said.textContent = "Reading …";
  const response = await fetch("/scenes/open", { method: "POST", body: new FormData(chosen.form ?? undefined) }).catch(() => null);
  if (response?.ok) location.href = response.url;
  else said.textContent = (await response?.json().catch(() => null))?.error ?? "The file could not be sent.";
  chosen.value = "";
});

// placing a bake or taking one back made on an older revision says so here, like any other edit
document.addEventListener("submit", async (event) => {
  const form = over(event, "form", HTMLFormElement);
  if (!form || event.defaultPrevented || !/\/bake(\/[^/]+\/(take-back|again))?$/.test(form.getAttribute("action") ?? "")) return;
  event.preventDefault();
  const fields = /** @type {[string, string][]} */ ([...new FormData(form)]);
  const response = await fetch(form.action, { method: "POST", body: new URLSearchParams(fields) }).catch(() => null);
  if (response?.ok) return location.assign(response.url), location.reload();
  const told = await response?.json().catch(() => null);
  toast(told?.error ?? "Lazzik's server does not answer; nothing was changed.", ["Reload", () => location.reload()]);
});
