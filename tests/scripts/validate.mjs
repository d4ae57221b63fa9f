// Prints the Khronos validator's report on a .glb file as JSON.

import { readFileSync } from "node:fs";
import { validateBytes } from "gltf-validator";

const report = await validateBytes(new Uint8Array(readFileSync(process.argv[2])));
process.stdout.write(JSON.stringify(report.issues));
