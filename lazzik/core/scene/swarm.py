"""Swarm: particles that keep their distance, as the document holds it. How they go is worked out in core/simulate."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

from lazzik.core.document import Option, Quantity, Slug
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.scene.carried import Blended

IN_AIR = {"wind": ("surface", "all")}
AS_SHELL = {"drawn": ("shell",)}
AS_DOTS = {"drawn": ("balls", "points")}


class Swarm(Blended):
    """What is filled with it, what moves it, and how it is drawn."""

    title: ClassVar[str] = "Swarm"
    looks: ClassVar[tuple[str, ...]] = (*Blended.looks, "drawn", "size", "fine", "round")

    of: Slug | None = None
    """The object that is filled at first."""
    fills: Annotated[
        Literal["body", "hollow"],
        Option(
            "What of the object is filled at first: its own inside, or what it encloses and then holds.",
            words={"body": "its body", "hollow": "its hollow"},
        ),
    ] = "body"
    full: Annotated[
        Number, Quantity("", "Share of that height up to which it is filled.", (0, 1), 0.01, low=0, high=1,
                         label="filled to")
    ] = 1.0  # fmt: skip
    spacing: Annotated[
        Number,
        Quantity("m", "How far they are apart at rest. Half of it is eight times as many.", (0.02, 0.2), 0.001,
                 low=1e-3, high=1000, label="apart"),
    ] = 0.05  # fmt: skip
    viscosity: Annotated[
        Number,
        Quantity("/s", "How quickly neighbours come to go alike: 2 is water, 40 is honey.", (0, 60), 0.1, low=0,
                 high=100_000),
    ] = 3.0  # fmt: skip
    cohesion: Annotated[
        Number,
        Quantity("m/s²", "How strongly it holds together: by so much is its surface drawn inward.", (0, 30), 0.1, low=0,
                 high=100_000),
    ] = 0.0  # fmt: skip
    gravity: Annotated[Number, Quantity("×", "Times the weight that it has.", (-1, 1), 0.01, group="wind")] = 1.0
    wind: Annotated[
        Literal["surface", "all", "still"],
        Option("What of it the air takes along.", label="in the air", group="wind",
               words={"surface": "its surface", "all": "all of it", "still": "nothing"}),
    ] = "surface"  # fmt: skip
    answers: Annotated[
        Number,
        Quantity("s", "Seconds in which that takes up the speed of the air.", (0, 5), 0.01, low=0, high=1000,
                 group="wind", label="answers in", only=IN_AIR),
    ] = 1.0  # fmt: skip
    friction: Annotated[
        Number,
        Quantity("", "Share of the speed along an object that is lost in a frame where it touches.", (0, 1), 0.01,
                 low=0, high=1, group="wind"),
    ] = 0.05  # fmt: skip
    drawn: Annotated[
        Literal["shell", "balls", "points"],
        Option("How it is drawn.", group="look", words={"shell": "one shell"}),
    ] = "shell"
    size: Annotated[
        Number,
        Quantity("×", "How large one is drawn, in times of their distance.", (0.2, 2), 0.01, low=0, high=100,
                 group="look", only=AS_DOTS),
    ] = 1.0  # fmt: skip
    fine: Annotated[
        Number,
        Quantity("×", "How finely the shell is cut: so many cells along their distance.", (0.5, 2), 0.05, low=0.25,
                 high=4, group="look", only=AS_SHELL, label="cut finely"),
    ] = 1.0  # fmt: skip
    round: Annotated[
        Number,
        Quantity("×", "How far the shell reaches about each: small ones show drops, large ones join them.", (1, 3),
                 0.05, low=0.8, high=4, group="look", only=AS_SHELL, label="joined over"),
    ] = 1.6  # fmt: skip

    @classmethod
    def settings(cls) -> dict[str, tuple[Any, ...]]:
        """Its choices that are no numbers: field -> what may be chosen."""
        names = ("fills", "wind", "drawn")
        return {name: cls.model_fields[name].annotation.__args__ for name in names}  # type: ignore[union-attr]

    @property
    def met(self) -> tuple[Slug, ...]:
        """The objects that it can't pass: those that it meets, and last that whose hollow it fills."""
        held = self.of if self.fills == "hollow" else None
        return (*(slug for slug in self.colliders if slug != held), *((held,) if held is not None else ()))

    @property
    def refers(self) -> tuple[Slug, ...]:
        """The objects that it names."""
        return (*((self.of,) if self.of is not None else ()), *self.colliders)

    def without(self, gone: set[Slug]) -> Self:
        """The same without objects that are gone."""
        return super().without(gone).replaced(of=None if self.of in gone else self.of)

    def renamed(self, names: dict[str, str]) -> Self:
        """The same, naming copies of objects where these are copied too (object -> copy)."""
        return super().renamed(names).replaced(of=names.get(self.of or "", self.of))
