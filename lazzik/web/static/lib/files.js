// Files that a person chooses, kept with the scenes.

import { upload } from "./api.js";
import { element } from "./dom.js";

const PICTURES = ".png,.jpg,.jpeg,.webp";

/** @param {string} accept @returns {Promise<File | null>} */
const chooseFile = (accept) => new Promise((done) => {
  const field = element("input", { type: "file", accept });
  field.addEventListener("change", () => done(field.files?.[0] ?? null));
  field.addEventListener("cancel", () => done(null));
  field.click();
});

/**
 * A picture that the person chooses, kept; null if none was chosen.
 * @returns {Promise<{ asset: string, label: string } | null>}
 */
export async function choosePicture() {
  const file = await chooseFile(PICTURES);
  if (!file) return null;
  const { asset, label } = await upload(file);
  return { asset, label };
}
