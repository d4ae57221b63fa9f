"""What the shelf holds, as a small scene in which it is seen: for its picture."""

from __future__ import annotations

from lazzik.core.air.wind import Wind
from lazzik.core.channel.channel import Channel
from lazzik.core.geometry.primitives import Ball, Box, Tube
from lazzik.core.layers.clip import Play
from lazzik.core.layers.recipe import Recipe, Use
from lazzik.core.scene.edits.object_recipes import PutObjectRecipe
from lazzik.core.scene.node import Color, Look, Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_item import ShelfItem

SECONDS = 4.0
"""The longest that a picture goes on before it begins anew."""

ACROSS = 3
"""Needles at most."""

LEANS = 14.0
"""Degrees that a needle leans for a change that is well seen, of what is no angle."""

AIR = Node(id="specimens-wind", label="Wind", field=Wind(kind="wind", speed=5.0))
"""What moves objects that answer it, where they bring no air of their own."""

PAPER, INK = Look(color=Color(r=0.902, g=0.863, b=0.776)), Look(color=Color(r=0.18, g=0.435, b=0.408))
"""Looks of our own: bone and pine."""


def specimen(item: ShelfItem) -> Scene:
    """A scene that shows an item of the shelf."""
    content = item.content
    last = min(content.last, content.first + round(SECONDS * content.fps))
    scene = content.replaced(name=item.label, last=last)
    match item.sort:
        case "recipe":
            recipe = content.recipe(item.part)
            assert recipe is not None  # the item was checked
            return scene.replaced(nodes=_shown(recipe))
        case "object":
            seen = PutObjectRecipe(recipe=item.part).apply(scene)
            return seen if seen.fields else seen.replaced(nodes=(*seen.nodes, AIR))
        case "clip":
            clip = next(clip for clip in content.clips if clip.id == item.part)
            nodes = []
            for k, track in enumerate(clip.tracks[:ACROSS]):
                values = [key.value for key in track.motion.keys] or [0.0]
                size = 1.0 if track.unit == "°" else LEANS / (max(max(values) - min(values), 1e-9) / 2)
                play = Play(
                    kind="clip", id="clip", label="Clip", source=clip.address(track), start=float(content.first),
                    size=size,
                )  # fmt: skip
                nodes.append(_needle(f"needle-{k}", 1.0 * k, Channel(layers=(play,))))
            return scene.replaced(nodes=tuple(nodes))
        case "pose":
            pose = next(pose for pose in content.poses if pose.id == item.part)
            most = max(abs(held.value) for held in pose.held) or 1.0
            leans = [3.0 * LEANS * held.value / most for held in pose.held[:ACROSS]]
            return scene.replaced(nodes=tuple(_needle(f"needle-{k}", 1.0 * k, v) for k, v in enumerate(leans)))
        case "material":
            return scene


def _shown(recipe: Recipe) -> tuple[Node, ...]:
    """What a recipe of a number moves: a needle, a ball, a box or a light, by its unit."""

    def number(size: float = 1.0, base: float = 0.0) -> Channel:
        use = Use(kind="recipe", id="use", label=recipe.label, recipe=recipe.id, size=size)
        return recipe.stack.replaced(value=base, layers=(use,))

    match recipe.unit:
        case "°":
            return (_needle("needle", 0.0, number()),)
        case "m":
            ball = Ball(kind="ball", radius=0.3 * max(recipe.reach, 1e-3) / 0.15)
            far = 4.0 * recipe.reach
            frame = Node(id="frame", label="Frame", shape=Box(kind="box", width=3 * far, height=0.02 * far), look=PAPER)
            return (frame, Node(id="ball", label="Ball", shape=ball, look=INK, position=Position(y=number())))
        case "×":
            box = Node(
                id="box", label="Box", shape=Ball(kind="ball"), look=INK,
                scale=Scale(x=number(base=1.0), y=number(base=1.0), z=number(base=1.0)),
            )  # fmt: skip
            return (Node(id="frame", label="Frame", shape=Box(kind="box", width=3.0, height=0.02), look=PAPER), box)
        case "":
            light = Look(color=Color(r=0.914, g=0.769, b=0.416))
            # outlines have no light, so what would shine grows
            grows = Scale(x=number(base=1.0), y=number(base=1.0), z=number(base=1.0))
            return (Node(id="light", label="Light", shape=Ball(kind="ball"), look=light, scale=grows),)
        case _:
            return (_needle("needle", 0.0, number(LEANS / recipe.reach)),)


def _needle(slug: str, x: float, turn: Channel | float) -> Node:
    shape = Tube(kind="tube", radius=0.07, upper=0.4, height=1.6, around=8, base=True)
    return Node(
        id=slug, label="Needle", shape=shape, look=INK, position=Position(x=x), rotation=Rotation(z=turn),
    )  # fmt: skip
