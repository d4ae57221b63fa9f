"""What a scene can begin with: small scenes of our own that already move, each with one thing to do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lazzik.core.scene.scene import Scene


@dataclass(frozen=True, kw_only=True)
class Start:
    """A scene to begin with."""

    key: str
    title: str
    summary: str
    at: str
    """What is open at first."""
    task: str
    """The one thing to do, in a sentence."""

    def build(self, name: str) -> Scene:
        """The scene, under a name. What it takes is read only here: the list of starts waits for none of it."""
        from lazzik.demo.begun import BUILD

        return BUILD[self.key](name)


STARTS = (
    Start(
        key="empty", title="Empty", summary="a post and a camera", at="post/rotation.z",
        task="Press Add layer and take a Noise: the post sways at once.",
    ),
    Start(
        key="sign", title="A sign", summary="knocked, it rings", at="hinge/rotation.z#ring",
        task="Drag damping: how long does it ring after each knock?",
    ),
    Start(
        key="pennant", title="A pennant", summary="sways and streams", at="mast/rotation.z#gust",
        task="Drag period: a longer one is a calmer wind.",
    ),
    Start(
        key="mast", title="A mast in wind", summary="answers each gust", at="wind/air",
        task="Pull the tip of the arrow on the stage: how hard, and which way?",
    ),
    Start(
        key="pool", title="A pool", summary="rings from a float", at="pool/shape#rings",
        task="Drag height and ring spacing: the float sets off the rings wherever it goes.",
    ),
    Start(
        key="lettering", title="Lettering", summary="springs into place", at="letter-1/scale.y#spring",
        task="Drag frequency: how fast does each letter quiver when it has arrived?",
    ),
    Start(
        key="camera", title="A camera", summary="goes by on a shoulder", at="camera/rotation.y#hand",
        task="Press C to look through it, then drag amplitude for a steadier hand.",
    ),
)  # fmt: skip
"""All of them, in the order in which they are offered."""

BY_KEY = {start.key: start for start in STARTS}
