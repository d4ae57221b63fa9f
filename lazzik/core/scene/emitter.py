"""Emitter: what sends out particles, as the document holds it. How they go is worked out in core/simulate."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from lazzik.core.document import LARGEST, Finite, Option, Quantity, Slug
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.scene.carried import Carried

MOST_POINTS = 12
"""Points of a curve over life."""

OF_OBJECT = ("surface", "inside", "edges")
"""Beginnings that an object has."""

STEADY = {"comes": ("steadily",)}
AT_ONCE = {"comes": ("at once",)}
IN_AIR = {"wind": ("air",)}
AS_COPIES = {"drawn": ("copies",)}
SPINNING = {"drawn": ("copies",), "turned": ("spin",)}

Share = Annotated[Finite, Field(ge=0, le=1)]
Amount = Annotated[Finite, Field(ge=0, le=1000)]
OverLife = Annotated[tuple[tuple[Share, Amount], ...], Field(min_length=1, max_length=MOST_POINTS)]
"""(share of life, times) points of a curve, in order; straight between them."""

ColorOverLife = Annotated[tuple[tuple[Share, Share, Share, Share, Share], ...], Field(min_length=1, max_length=12)]
"""(share of life, red, green, blue as screens code them, how solid) in order."""

ALWAYS = ((0.0, 1.0), (1.0, 1.0))
WHITE = ((0.0, 1.0, 1.0, 1.0, 1.0), (1.0, 1.0, 1.0, 1.0, 1.0))


class Emitter(Carried):
    """What comes, how it sets out, what moves it, where it ends, and how it is drawn."""

    title: ClassVar[str] = "Emitter"
    looks: ClassVar[tuple[str, ...]] = (
        *Carried.looks, "drawn", "copy_of", "size", "size_varies", "turned", "spin", "spin_varies", "size_over_life",
        "color_over_life",
    )  # fmt: skip

    begin: Annotated[
        Literal["point", "surface", "inside", "edges"],
        Option(
            "Where they begin: where this stands, or on an object's surface, inside of it, or along its edges.",
            label="from",
            words={"point": "here", "surface": "a surface", "inside": "the inside", "edges": "edges"},
        ),
    ] = "point"
    of: Slug | None = None
    """The object whose surface, inside or edges that are."""
    comes: Annotated[
        Literal["steadily", "at once"],
        Option("Whether they come over time, or all at once."),
    ] = "steadily"
    rate: Annotated[
        Number,
        Quantity(
            "/s", "How many come in a second.", (0, 1000), 1, low=0, high=1_000_000, label="how many", only=STEADY
        ),
    ] = 120.0
    amount: Annotated[
        Number,
        Quantity("", "How many come at once.", (0, 5000), 1, low=0, high=10_000_000, whole=True, only=AT_ONCE),
    ] = 500.0
    start: Annotated[
        Number, Quantity("fr", "Frame on which they begin to come.", (0, 250), 1, moment=True, label="begins at")
    ] = 0.0
    lasts: Annotated[
        Number, Quantity("fr", "Frames over which they come; 0 is for ever.", (0, 250), 1, low=0, only=STEADY)
    ] = 0.0
    life: Annotated[Number, Quantity("s", "Seconds that one lives.", (0.1, 12), 0.1, low=0, high=10_000)] = 4.0
    life_varies: Annotated[
        Number, Quantity("", "Share by which lives differ.", (0, 1), 0.01, low=0, high=1, label="life varies")
    ] = 0.2
    ahead: Annotated[
        Number,
        Quantity("s", "Seconds that it has been under way at the first frame.", (0, 12), 0.1, low=0, high=600),
    ] = 0.0
    seed: Annotated[
        Number, Quantity("", "Another seed is other particles.", (0, 99), 1, low=0, high=LARGEST, whole=True)
    ] = 0.0
    push: Annotated[
        Number, Quantity("m/s", "How fast they set out, away from where they begin.", (0, 10), 0.05, group="where")
    ] = 1.0
    push_varies: Annotated[
        Number,
        Quantity("", "Share by which that differs.", (0, 1), 0.01, low=0, high=1, group="where", label="push varies"),
    ] = 0.3
    spread: Annotated[
        Number, Quantity("°", "Degrees to every side of that way.", (0, 180), 1, low=0, high=180, group="where")
    ] = 20.0
    inherits: Annotated[
        Number,
        Quantity("", "Share of the speed of what carries it.", (0, 1), 0.01, group="where", label="of the carrier"),
    ] = 1.0
    wind: Annotated[
        Literal["air", "still"],
        Option("Whether the air carries them.", label="in the air", group="wind", words={"air": "yes", "still": "no"}),
    ] = "air"
    answers: Annotated[
        Number,
        Quantity(
            "s", "Seconds in which one takes up the speed of the air.", (0, 3), 0.01, low=0, high=1000, group="wind",
            label="answers in", only=IN_AIR,
        ),
    ] = 0.4  # fmt: skip
    gravity: Annotated[
        Number, Quantity("×", "Times the weight that they have; below 0 they rise.", (-1, 1), 0.01, group="wind")
    ] = 0.1
    meets: Annotated[
        Literal["bounce", "stick", "end"],
        Option("What one does where it meets an object.", label="there they", group="wind"),
    ] = "bounce"
    bounce: Annotated[
        Number,
        Quantity("", "Share of the speed toward it that it keeps, back.", (0, 1), 0.01, low=0, high=1, group="wind",
                 only={"meets": ("bounce",)}),
    ] = 0.3  # fmt: skip
    friction: Annotated[
        Number,
        Quantity("", "Share of the speed along it that it loses.", (0, 1), 0.01, low=0, high=1, group="wind",
                 only={"meets": ("bounce",)}),
    ] = 0.2  # fmt: skip
    thickness: Annotated[
        Number, Quantity("m", "Metres before a surface at which one meets it.", (0, 0.2), 0.001, low=0, high=10,
                         group="wind")
    ] = 0.0  # fmt: skip
    drawn: Annotated[
        Literal["puffs", "points", "copies"],
        Option("How they are drawn.", group="look", words={"puffs": "soft puffs", "copies": "copies of an object"}),
    ] = "puffs"
    copy_of: Slug | None = None
    """The object of which copies are drawn."""
    size: Annotated[Number, Quantity("m", "How large one is.", (0, 0.5), 0.005, low=0, high=1000, group="look")] = 0.05
    size_varies: Annotated[
        Number,
        Quantity("", "Share by which sizes differ.", (0, 1), 0.01, low=0, high=1, group="look", label="size varies"),
    ] = 0.4
    turned: Annotated[
        Literal["way", "spin"],
        Option(
            "How copies are turned: their x along their way, or each about an axis of its own.", group="look",
            words={"way": "along their way", "spin": "spinning"}, only=AS_COPIES,
        ),
    ] = "way"  # fmt: skip
    spin: Annotated[
        Number,
        Quantity("°/s", "How fast one turns.", (-720, 720), 1, group="look", only=SPINNING),
    ] = 90.0
    spin_varies: Annotated[
        Number,
        Quantity("", "Share by which that differs.", (0, 1), 0.01, low=0, high=1, group="look", only=SPINNING,
                 label="spin varies"),
    ] = 0.5  # fmt: skip
    size_over_life: OverLife = ALWAYS
    answer_over_life: OverLife = ALWAYS
    color_over_life: ColorOverLife = WHITE

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for name in ("size_over_life", "answer_over_life", "color_over_life"):
            shares = [point[0] for point in getattr(self, name)]
            if any(b <= a for a, b in pairwise(shares)):
                raise ValueError(f"the points of {name.replace('_', ' ')} must rise in time")
        return self

    @classmethod
    def settings(cls) -> dict[str, tuple[Any, ...]]:
        """Its choices that are no numbers: field -> what may be chosen."""
        names = ("begin", "comes", "wind", "meets", "drawn", "turned")
        return {name: cls.model_fields[name].annotation.__args__ for name in names}  # type: ignore[union-attr]

    @property
    def refers(self) -> tuple[Slug, ...]:
        """The objects that it names."""
        named = (self.of, self.copy_of, *self.colliders)
        return tuple(slug for slug in named if slug is not None)

    def without(self, gone: set[Slug]) -> Self:
        """The same without objects that are gone: what began on one begins here, what copied one is puffs."""
        changes: dict[str, Any] = {}
        if self.of in gone:
            changes |= {"of": None, "begin": "point"}
        if self.copy_of in gone:
            changes |= {"copy_of": None, "drawn": "puffs"}
        return super().without(gone).replaced(**changes)

    def renamed(self, names: dict[str, str]) -> Self:
        """The same, naming copies of objects where these are copied too (object -> copy)."""
        return (
            super()
            .renamed(names)
            .replaced(of=names.get(self.of or "", self.of), copy_of=names.get(self.copy_of or "", self.copy_of))
        )
