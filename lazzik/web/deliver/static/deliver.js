// The deliver page: each format's form begins a job; a film is drawn here and sent picture by picture.

import { post } from "lazzik/lib/api.js";
import { all, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { followJob } from "lazzik/lib/jobs.js";
import { store } from "lazzik/lib/store.js";
import { Stage } from "lazzik/stage/stage.js";
import { film } from "./film.js";

// a form that was sent before this listens would only load the page again
for (const button of all(".format-form [type=submit]", document, HTMLButtonElement)) button.disabled = false;

document.addEventListener("submit", async (event) => {
  const form = over(event, ".format-form", HTMLFormElement);
  if (!form) return;
  event.preventDefault();
  const said = one(".field-error", form);
  const button = one("[type=submit]", form, HTMLButtonElement);
  said.textContent = "";
  button.disabled = true;
  try {
    await guard(async () => {
      const content = new FormData(form);
      const fields = /** @type {Record<string, string>} */ (Object.fromEntries(content));
      const states = content.getAll("states");
      if (form.id === "film-form") await film(form, fields);
      else await followJob(await post(`${store.url}/deliver/${form.dataset.format}`, { ...fields, ...(states.length && { states }) }));
    }, (sentence) => { said.textContent = sentence; });
  } finally {
    button.disabled = false;
  }
});

window.lazzik = { film, Stage };
