"""Where tests are: in the folder that has the name of what they test."""

from __future__ import annotations

from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_tests_mirror_the_code_folder_by_folder() -> None:
    """A folder of the code that holds modules has its tests in one of the same name, and no other has any."""
    code = {path.parent.relative_to(ROOT / "lazzik") for path in (ROOT / "lazzik" / "core").rglob("[a-z]*.py")}
    tests = {path.parent.relative_to(ROOT / "tests") for path in (ROOT / "tests" / "core").rglob("test_*.py")}
    assert {folder for folder in code if folder != Path("core/scene/edits")} == tests
    assert {path.name for path in (ROOT / "tests").iterdir() if (path / "__init__.py").exists()} == {
        "browser", "core", "store", "web", "work",
    }  # fmt: skip
