// The deliver page: each format's form begins a job; a film is drawn here and sent picture by picture.

import { post, Refused } from "lazzik/lib/api.js";
import { film } from "./film.js";
import { follow } from "lazzik/lib/jobs.js";

const sceneUrl = `/scenes/${location.pathname.split("/")[2]}`;

// a form that was sent before this listens would only load the page again
for (const button of document.querySelectorAll(".format-form [type=submit]")) button.disabled = false;

document.addEventListener("submit", async (event) => {
  const form = event.target.closest(".format-form");
  if (!form) return;
  event.preventDefault();
  const said = form.querySelector(".field-error");
  const button = form.querySelector("[type=submit]");
  said.textContent = "";
  button.disabled = true;
  try {
    const fields = Object.fromEntries(new FormData(form));
    if (form.id === "film-form") await film(form, fields, sceneUrl);
    else await follow(await post(`${sceneUrl}/deliver/${form.dataset.format}`, fields));
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    said.textContent = error.message;
  } finally {
    button.disabled = false;
  }
});
