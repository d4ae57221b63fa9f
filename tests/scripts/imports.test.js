import assert from "node:assert/strict";
import { readdirSync } from "node:fs";
import { test } from "node:test";

const WEB = new URL("../../lazzik/web/", import.meta.url);

for (const folder of ["static/lib", "stage/static", "timeline/static"]) {
  test(`no page is needed to import a module of ${folder}`, async () => {
    const files = readdirSync(new URL(folder, WEB)).filter((file) => file.endsWith(".js"));
    assert.ok(files.length > 0);
    for (const file of files) await import(new URL(`${folder}/${file}`, WEB).href);
  });
}
