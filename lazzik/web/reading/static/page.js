// A curve read: what is asked for is read at once, and read anew when another take, other columns or another rate are wanted.

import { act } from "lazzik/lib/actions.js";
import { form as sendForm, written } from "lazzik/lib/api.js";
import { all, field, one } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { toast } from "lazzik/lib/toasts.js";

const form = one("#reading-form", document, HTMLFormElement);
const place = one("#reading-found");
const files = one("[name=file]", form, HTMLInputElement);
const told = one(".field-error", form);

/** Whether numbers of the scene are read, rather than a table. */
let own = false;

/** Whether anything was read yet. */
let any = false;

let latest = 0;

/** What is asked for, read. */
async function read() {
  const asked = new FormData(form);
  if (own || !files.files?.length) asked.delete("file");
  if (own) asked.delete("column");
  const turn = ++latest;
  place.setAttribute("aria-busy", "true");
  told.textContent = "";
  await guard(async () => {
    const found = await written(form.dataset.read ?? "", asked);
    if (turn !== latest) return;
    place.innerHTML = found;
    for (const tick of all("[data-left]", place)) tick.style.left = tick.dataset.left ?? "";
    for (const share of all("[data-share]", place)) share.style.flexGrow = share.dataset.share ?? "";
    any = true;
  }, (sentence) => { if (turn === latest) told.textContent = sentence; });
  if (turn === latest) place.removeAttribute("aria-busy");
}

/** One more of the kind: another number for its pattern. */
function again() {
  const seed = one("[name=seed]", form, HTMLInputElement);
  seed.value = String((Number(seed.value) % 9999) + 1);
  return read();
}

form.addEventListener("change", (event) => {
  if (event.target === files) {
    const [file] = files.files ?? [];
    if (!file) return;
    own = false;
    one("#reading-file").textContent = file.name;
    for (const column of all("[name=column]")) column.remove();
  }
  one("[data-act=reading-again]", form, HTMLButtonElement).disabled = field(form, "take").value === "measured";
  if (any || event.target === files) read();
});
place.addEventListener("change", read);
form.addEventListener("submit", (event) => event.preventDefault());

act(
  { name: "reading-own", run: () => { own = true; return read(); } },
  { name: "reading-again", run: again },
  { name: "reading-keep", run: async (button) => {
    const { file = "", label = "" } = button?.dataset ?? {};
    const content = new FormData();
    content.append("file", new Blob([file]), "recipe.json");
    await guard(async () => {
      const { new: fresh } = await sendForm("/shelf/file", content);
      toast(fresh ? `${label} is on the shelf.` : `${label} was on the shelf already.`);
    });
  } },
);
