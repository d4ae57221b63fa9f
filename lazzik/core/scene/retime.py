"""Another frame rate with the motion as it was: whatever is measured in frames takes as long in seconds as before.

With k = new rate / old rate and the scene's first frame f₀ staying where it is, a frame f becomes

    f' = f₀ + k·(f − f₀),

or comes so many frames later besides, where the scene is to begin elsewhere,
and a length of n frames becomes k·n. Slopes are in units per second, so curves through the keys stay the same. Frames
that are named in the text of a formula stay as they are written.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lazzik.core.channel.channel import Channel, as_channel, simplest
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.channel.scaling import moved_base, scaled
from lazzik.core.channel.window import Window
from lazzik.core.document import Quantity
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers import Clip, Recipe
from lazzik.core.layers.recipe import Override, Use
from lazzik.core.scene.address import with_number
from lazzik.core.scene.morph_targets import ShapeFrames
from lazzik.core.scene.node import Node, channels_of
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.receipt import Receipt
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sheaf import WEIGHT, Sheaf
from lazzik.core.scene.visit import parts_repeating

PLAIN = Quantity()


@dataclass(frozen=True)
class TimeMap:
    """From the frames of before to those of now."""

    first: float
    """The frame that stays."""
    factor: float
    recipes: dict[str, Recipe]
    later: float = 0.0
    """Frames that all comes later besides."""

    def frame(self, frame: float) -> float:
        """A frame of the scene."""
        return self.first + self.later + self.factor * (frame - self.first)

    def number(self, number: float | Channel, quantity: Quantity, *, own_frames: bool = False) -> float | Channel:
        """A number: its keys, its layers, and its values where they are frames. `own_frames`: its keys stand on a clock
        of their own."""
        if quantity.unit == "fr":
            number = scaled(number, self.factor)
            if quantity.moment:
                number = moved_base(number, self.first * (1.0 - self.factor) + self.later)
        if not isinstance(number, Channel):
            return min(max(number, quantity.low), quantity.high)
        keys = number.keys if own_frames else self.keys(number.keys)
        return number.replaced(keys=keys, layers=tuple(self.layer(layer) for layer in number.layers))

    def keys(self, keys: tuple[Key, ...]) -> tuple[Key, ...]:
        """Keys, later or earlier."""
        return tuple(key.replaced(frame=self.frame(key.frame)) for key in keys)

    def layer(self, layer: Layer) -> Layer:
        """A layer: its window, its loop and its numbers."""
        changes: dict[str, Any] = {
            name: self.number(getattr(layer, name), quantity, own_frames=name in type(layer).own_frames)
            for name, quantity in numbers_of(type(layer)).items()
        }
        changes["window"] = self.window(layer.window)
        if layer.loop is not None:
            changes["loop"] = layer.loop * self.factor
        if isinstance(layer, Use):
            changes["overrides"] = tuple(self.override(layer, override) for override in layer.overrides)
        return layer.replaced(**changes)

    def window(self, window: Window) -> Window:
        """When something acts."""
        return window.replaced(
            start=None if window.start is None else self.frame(window.start),
            end=None if window.end is None else self.frame(window.end),
            fade_in=window.fade_in * self.factor,
            fade_out=window.fade_out * self.factor,
        )

    def sheaf(self, sheaf: Sheaf) -> Sheaf:
        """What layers share."""
        loop = None if sheaf.loop is None else sheaf.loop * self.factor
        return sheaf.replaced(window=self.window(sheaf.window), weight=self.number(sheaf.weight, WEIGHT), loop=loop)

    def override(self, use: Use, override: Override) -> Override:
        """A number that a use of a recipe has of its own."""
        recipe = self.recipes.get(use.recipe)
        exposed = next((item for item in (recipe.exposed if recipe else ()) if item.name == override.name), None)
        return override.replaced(value=self.number(override.value, exposed.quantity if exposed else PLAIN))

    def node(self, node: Node) -> Node:
        """An object: its numbers, and what of it repeats."""
        for path, number, quantity in channels_of(node):
            new = self.number(number, quantity)
            if new != number:
                node = with_number(node, path.split("."), simplest(as_channel(new)))
        return parts_repeating(node, lambda part: part.looped(part.loop and part.loop * self.factor, fit=part.fit))

    def object_recipe(self, recipe: ObjectRecipe) -> ObjectRecipe:
        """A saved object, with what belongs to it."""
        return recipe.replaced(nodes=tuple(self.node(node) for node in recipe.nodes))

    def receipt(self, receipt: Receipt) -> Receipt:
        """What a bake did."""
        lines = tuple(
            line.replaced(baked=self.keys(line.baked), former_keys=self.keys(line.former_keys))
            for line in receipt.lines
        )
        every = None if receipt.every is None else max(1, round(receipt.every * self.factor))
        first, last = round(self.frame(receipt.first)), round(self.frame(receipt.last))
        return receipt.replaced(first=first, last=max(last, first + 1), every=every, lines=lines)


def retimed(scene: Scene, fps: float, first: float | None = None) -> Scene:
    """The scene at another frame rate, its motion as long in seconds as before. Its end falls on the nearest whole
    frame. By choice it begins at another frame, and all with it.

    Raises InvalidEdit where a shape is baked to the points of every frame: those stand on whole frames.
    """
    later = 0.0 if first is None else first - scene.first
    if fps == scene.fps and later == 0.0:
        return scene
    for node in scene.kept_nodes:
        if isinstance(node.targets, ShapeFrames):
            raise InvalidEdit(
                f"The shape of {node.label} is baked to the points of every frame, which can't be moved between them. "
                "Take that bake back first, or keep the frame numbers.",
                "keep",
            )
    time = TimeMap(float(scene.first), fps / scene.fps, {recipe.id: recipe for recipe in scene.recipes}, later)
    begun = TimeMap(0.0, time.factor, time.recipes)  # clips count from their own beginning
    start = round(scene.first + later)
    last = max(start + 1, round(time.frame(scene.last)))
    recipes = tuple(recipe.replaced(stack=time.number(recipe.stack, PLAIN)) for recipe in scene.recipes)
    dials = tuple(dial.replaced(value=time.number(dial.value, dial.quantity)) for dial in scene.dials)
    receipts = tuple(time.receipt(receipt) for receipt in scene.receipts)
    clips = tuple(_clip(clip, begun) for clip in scene.clips)
    wholes = tuple(time.object_recipe(recipe) for recipe in scene.object_recipes)
    sheaves = tuple(time.sheaf(sheaf) for sheaf in scene.sheaves)
    marks = tuple(mark.replaced(frame=round(time.frame(mark.frame))) for mark in scene.marks)
    after = scene.replaced(
        fps=fps, first=start, last=last, recipes=recipes, object_recipes=wholes, dials=dials, clips=clips,
        receipts=receipts, sheaves=sheaves, marks=marks,
    )  # fmt: skip
    return after.replaced(nodes=tuple(time.node(node) for node in scene.nodes))


def _clip(clip: Clip, time: TimeMap) -> Clip:
    tracks = tuple(track.replaced(motion=time.number(track.motion, PLAIN)) for track in clip.tracks)
    return clip.replaced(length=max(1.0, clip.length * time.factor), tracks=tracks)
