"""Modules joined into one script do what they did apart."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import pytest

from lazzik.core.formats import scripts

MODULES = {
    "lib.js": """
export const one = 1;
export function twice(n) { return 2 * n; }
let count = 0;
export class Counter { static next() { count += 1; return count; } }
export function* steps() { yield 8; }
export async function* slow() { yield 9; }
const hidden = 5;
export { hidden as told };
""",
    "middle.js": """
import { one, twice as doubled } from "./lib.js";
import * as all from "./lib.js";
export { told } from "./lib.js";
export async function later() { return doubled(one) + all.told; }
all.Counter.next();
""",
    "deep/first.js": """
import {
  Counter,
  one,
} from "../lib.js";
import "../middle.js";
globalThis.seen = [`first ${one ? `and: ${one}` : ""}`, Counter.next()];
// export { nothing };
const text = 'import x from "y";';
""",
    "second.js": """
import { later, told } from "./middle.js";
import { Counter, slow, steps } from "./lib.js";
globalThis.seen.push(await later(), told, Counter.next(), ...steps(), (await slow().next()).value);
console.log(JSON.stringify(globalThis.seen));
""",
}


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path.resolve()
    (folder / "deep").mkdir()
    for name, text in MODULES.items():
        (folder / name).write_text(text)
    (folder / "package.json").write_text('{"type": "module"}')
    monkeypatch.setattr(scripts, "WEB", folder)
    return folder


def ran(folder: Path, text: str) -> object:
    (folder / "run.js").write_text(text)
    done = subprocess.run(["node", folder / "run.js"], capture_output=True, text=True, check=True)
    return json.loads(done.stdout)


def test_they_say_the_same_joined_and_apart(folder: Path) -> None:
    apart = ran(folder, 'import "./deep/first.js";\nimport "./second.js";\n')
    text = scripts.joined([folder / "deep/first.js", folder / "second.js"])
    assert ran(folder, text) == apart == ["first and: 1", 2, 7, 5, 3, 8, 9]
    # each is there once, after what it imports
    order = [line for line in text.splitlines() if line.startswith("// ") and line.endswith(".js")]
    assert order == ["// lib.js", "// middle.js", "// deep/first.js", "// second.js"]


def test_what_ships_can_be_joined() -> None:
    text = scripts.joined([scripts.WEB / "ui/static/page.js", scripts.WEB / "studio/static/studio.js"])
    assert text.count("\n// ") > 90
    assert "class Strata" in text
    assert not [line for line in text.splitlines() if line.startswith(("import ", "export "))]


def test_names_lead_to_files() -> None:
    here = scripts.WEB / "stage/static/stage.js"
    places = {
        "./grid.js": "stage/static/grid.js", "lazzik/lib/api.js": "static/lib/api.js",
        "lazzik/stack/strata.js": "stack/static/strata.js", "three": "static/vendor/three/three.module.js",
        "three/addons/loaders/GLTFLoader.js": "static/vendor/three/addons/loaders/GLTFLoader.js",
    }  # fmt: skip
    for name, place in places.items():
        assert scripts.module_of(here, name) == (scripts.WEB / place).resolve()
        assert (scripts.WEB / place).is_file()
