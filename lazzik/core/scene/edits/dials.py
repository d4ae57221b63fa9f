"""Edits of the scene's dials. A dial's value is a number like any other: 'set' and the rest reach it as dials/name."""

from __future__ import annotations

from typing import Literal

from lazzik.core.document import Label, Name, Typed
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.dial import TAKEN, Dial, Unit
from lazzik.core.scene.edits.base import Edit, free_slug
from lazzik.core.scene.references import readers
from lazzik.core.scene.scene import Scene


class AddDial(Edit):
    """Put a new dial into the scene. Formulas know it by a name made from its label."""

    do: Literal["add-dial"] = "add-dial"
    label: Label
    value: Typed = 1.0
    unit: Unit = "×"
    low: Typed = 0.0
    high: Typed = 2.0

    def apply(self, scene: Scene) -> Scene:
        name = free_name(self.label, {dial.id for dial in scene.dials} | TAKEN, "dial")
        dial = Dial(id=name, label=self.label, value=self.value, unit=self.unit, low=self.low, high=self.high)
        return scene.with_part(dial)

    def describe(self, scene: Scene) -> str:
        return f"add dial {self.label}"


class ChangeDial(Edit):
    """Rename a dial or give its slider another span. Only what is given changes; formulas keep its name."""

    do: Literal["change-dial"] = "change-dial"
    dial: Name
    label: Label | None = None
    unit: Unit | None = None
    low: Typed | None = None
    high: Typed | None = None

    def apply(self, scene: Scene) -> Scene:
        changes = {name: getattr(self, name) for name in self.model_fields_set - {"do", "dial"}}
        return scene.with_part(_dial(scene, self.dial).replaced(**changes))

    def describe(self, scene: Scene) -> str:
        return f"change dial {_dial(scene, self.dial).label}"


class RemoveDial(Edit):
    """Take a dial away. One that is read stays: it would leave its readers without a value."""

    do: Literal["remove-dial"] = "remove-dial"
    dial: Name

    def apply(self, scene: Scene) -> Scene:
        gone = _dial(scene, self.dial)
        reading = [address for address, reads in readers(scene) if any(_within(f"dials/{gone.id}", r) for r in reads)]
        if reading:
            more = f" and {len(reading) - 1} more" if len(reading) > 1 else ""
            raise InvalidEdit(f"The dial {gone.label} is read by {reading[0]}{more}; let them read another first")
        return scene.replaced(dials=tuple(dial for dial in scene.dials if dial.id != gone.id))

    def describe(self, scene: Scene) -> str:
        return f"remove dial {_dial(scene, self.dial).label}"


def free_name(wish: str, taken: frozenset[str] | set[str], otherwise: str) -> str:
    """A name for formulas made from a label that nothing else has: 'Wind speed' -> 'wind_speed', 'wind_speed_2' …"""
    slug = free_slug(wish, set())
    stem = (slug.replace("-", "_") if slug[0].isalpha() else f"{otherwise}_{slug.replace('-', '_')}")[:26].strip("_")
    if stem not in taken:
        return stem
    return next(name for n in range(2, len(taken) + 3) if (name := f"{stem}_{n}") not in taken)


def _dial(scene: Scene, name: str) -> Dial:
    dial = scene.dial(name)
    if dial is None:
        raise UnknownAddress(f"There is no dial '{name}' in this scene", f"dials/{name}")
    return dial


def _within(root: str, address: str) -> bool:
    return address == root or address.startswith(f"{root}#")
