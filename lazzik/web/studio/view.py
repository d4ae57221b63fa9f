"""What the studio shows beside the strata and the tree: the dials, and how many objects move."""

from __future__ import annotations

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.knob import Knob, shown

BEYONDS = (
    ("hold", "hold"),
    ("straight", "go straight on"),
    ("repeat", "repeat"),
    ("alternate", "repeat to and fro"),
    ("accumulate", "repeat and add up"),
)
"""What the base may do beyond its keys, and how that is said."""


def dials(scene: Scene) -> list[Knob]:
    """The scene's dials as knobs."""
    rows = []
    for dial in scene.dials:
        number = dial.value if isinstance(dial.value, Channel) else Channel(value=dial.value)
        rows.append(
            Knob(
                address=f"dials/{dial.id}",
                name=dial.id,
                label=dial.label,
                value=shown(base_value(number)),
                quantity=dial.quantity,
                keyed=bool(number.keys),
                driven=number.moves,
            )
        )
    return rows
