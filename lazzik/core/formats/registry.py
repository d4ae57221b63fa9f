"""The formats that a scene can be taken away in. A new one is its own file and its class's name here."""

from __future__ import annotations

from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.base import Format
from lazzik.core.formats.csv_curves import CsvCurves
from lazzik.core.formats.gltf import Gltf
from lazzik.core.formats.json_curves import JsonCurves, SceneFile
from lazzik.core.formats.particle_files import ParticleFiles
from lazzik.core.formats.review_page import ReviewPage
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.formats.usd import OpenUsd

FORMATS: dict[str, type[Format]] = {
    kind.name: kind
    for kind in (ReviewPage, Gltf, OpenUsd, ParticleFiles, SceneFile, JsonCurves, CsvCurves, AnimatedSvg)
}
"""In the order in which they are offered."""


def format_for(name: str) -> Format:
    """The format that a file's name asks for by its ending. Raises InvalidEdit if none has it."""
    for kind in FORMATS.values():
        forms = kind.choices().get("form", ())
        for ending in sorted((*forms, kind.ending), key=len, reverse=True):
            if name.lower().endswith(f".{ending}") and (kind.ending == "curves.json") == name.endswith(".curves.json"):
                return kind.model_validate({"form": ending} if ending in forms else {})
    raise InvalidEdit(f"'{name[-60:]}' must end in {', '.join(endings())}", "--out")


def endings() -> list[str]:
    """All endings that a file may have."""
    return [f".{e}" for kind in FORMATS.values() for e in kind.choices().get("form", (kind.ending,))]


__all__ = ["FORMATS", "Format", "endings", "format_for"]
