"""One script made of several modules."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path

import pytest

from lazzik.core.formats import scripts
from lazzik.core.formats.scripts import WEB, joined

PARTS = """\
export const one = 1;
export function two() { return 2; }
export async function three() { return 3; }
export function* four() { yield 4; }
export async function* five() { yield 5; }
export class Six {}
const seven = 7;
export { seven as eight };
"""


def test_all_that_a_module_exports_is_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(scripts, "WEB", tmp_path)
    (tmp_path / "parts.js").write_text(PARTS)
    entry = tmp_path / "entry.js"
    entry.write_text(
        'import * as parts from "./parts.js";\nconst [of] = [await parts.five().next()];\n'
        "console.log(JSON.stringify([Object.keys(parts), of.value, parts.eight]));\n"
    )
    made = joined([entry])
    told = subprocess.run(["node", "--input-type=module", "-"], input=made, capture_output=True, text=True, check=True)
    assert json.loads(told.stdout) == [["one", "two", "three", "four", "five", "Six", "eight"], 5, 7]


def test_no_page_has_a_script_with_statements_of_modules() -> None:
    for entry in ("studio/static/studio.js", "versions/static/versions.js", "deliver/static/deliver.js"):
        assert not re.findall(r"^(?:import|export)\b.*", joined([WEB / entry]), re.M)
