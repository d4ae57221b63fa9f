"""`python -m tools.fonts`: makes the fonts for lettering from those that ship with the pages, one weight of each."""

from __future__ import annotations

import shutil
from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).parent.parent / "lazzik"
WEIGHTS = {"instrument-sans": 600, "bricolage-grotesque": 700, "spline-sans-mono": 500}


def main() -> None:
    """Write them, each with its licence beside it."""
    folder = ROOT / "core" / "geometry" / "fonts"
    folder.mkdir(exist_ok=True)
    for name, weight in WEIGHTS.items():
        source = ROOT / "web" / "static" / "vendor" / name
        font = TTFont(source / f"{name}-latin-wght-normal.woff2")
        font.flavor = None
        instantiateVariableFont(font, {"wght": weight}).save(folder / f"{name}.ttf")
        shutil.copy(source / "LICENSE", folder / f"{name}.LICENSE")


if __name__ == "__main__":
    main()
