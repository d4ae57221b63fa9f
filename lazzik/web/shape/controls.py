"""The controls of an object's shape: those of a deformer, and those of the shape itself."""

from __future__ import annotations

from collections.abc import Iterator

from lazzik.core.channel.channel import base_value
from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers import Deformer
from lazzik.core.deformers.masks import MASKS
from lazzik.core.document import counts_under, option_of
from lazzik.core.geometry.font_names import SHIPPED
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import LONGEST, Lettering
from lazzik.core.geometry.shapes import AnyShape
from lazzik.core.scene.address import find_at
from lazzik.core.scene.edits.copies import turning
from lazzik.core.scene.node import Node
from lazzik.core.scene.picture import Picture
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.controls import Control, Select, Swatch, TypedField, select_of
from lazzik.web.ui.knob import Knob, shown

MASK_TITLES = {mask.model_fields["kind"].annotation.__args__[0]: mask.title for mask in MASKS}  # type: ignore[union-attr]
MADE_HERE = ("ball", "gradient", "noise")
"""Masks that need nothing but numbers."""

PIVOTS = (
    ("", "move to …"), ("middle", "the box's middle"), ("base", "the box's foot"), ("top", "the box's top"),
    ("low-corner", "its low corner"), ("high-corner", "its high corner"), ("pick", "a point picked on the stage"),
)  # fmt: skip
"""Where a pivot can be moved to, and how that is said."""


def number_control(scene: Scene, node: Node, path: str, *, label: str = "", about: str = "") -> Knob:
    """A number of an object; what it is called and what it is about are its quantity's, if nothing is said."""
    address = f"{node.id}/{path}"
    place = find_at(scene, address)
    own = place.channel
    return Knob(
        address=address,
        name=path.removeprefix("deform.").partition(".")[2] if path.startswith("deform.") else path,
        label=label or place.quantity.label or path.rpartition(".")[2].replace("_", " "),
        value=shown(base_value(own)),
        quantity=place.quantity,
        keyed=bool(own.keys),
        driven=own.moves,
        about=about,
    )


def loop_field(part: str, loop: float | None, edit: dict[str, str], what: str = "it repeats") -> TypedField:
    """After how many frames something repeats that is no layer."""
    return TypedField(
        id=f"{part}-loop", label="loop", help=f"Frames after which {what}. Empty is endless.",
        value="" if loop is None else shown(loop), unit="fr", edit=edit, into="loop", takes="slug", group="time",
        placeholder="open",
    )  # fmt: skip


def deformer_controls(scene: Scene, node: Node, deformer: Deformer) -> Iterator[Control]:
    """What the strip of a deformer offers: what does anything under what is chosen."""
    kind, path = type(deformer), f"deform.{deformer.id}"
    edit = {"do": "change-deformer", "node": node.id, "deformer": deformer.id}
    settings = kind.settings()
    chosen = {name: getattr(deformer, name) for name in settings}
    last = ("axis", "fade", "start", "end", "fade_length")  # of where it acts: what all kinds have stands first
    for name in [*last, *(n for n in (*numbers_of(kind), *settings) if n not in last and n != "weight")]:
        if name in settings:
            option = option_of(kind, name)
            yield select_of(
                option,
                name,
                settings[name],
                chosen[name],
                id=f"d-{deformer.id}-{name}",
                edit=edit,
                into=f"settings.{name}",
            )
        elif counts_under(numbers_of(kind)[name].only, chosen):
            yield number_control(scene, node, f"{path}.{name}")
    yield Select(
        id="d-of",
        label="sits on",
        help="The object that it goes with: itself, or another one.",
        value=deformer.placement.of or "",
        options=(("", "itself"), *((slug, name) for slug, name in scene.called.items() if slug != node.id)),
        edit=edit,
        into="of",
        takes="slug",
        group="where",
    )
    yield from (number_control(scene, node, f"{path}.placement.{n}") for n in numbers_of(type(deformer.placement)))
    yield _mask(node, deformer)
    if deformer.mask:
        yield from (number_control(scene, node, f"{path}.mask.{name}") for name in numbers_of(type(deformer.mask)))
        yield Select(
            id="d-invert",
            label="acts",
            help="Whether it acts where the mask is full, or where it is empty.",
            value=str(deformer.mask.invert).lower(),
            options=(("false", "inside"), ("true", "outside")),
            edit=edit,
            into="mask_invert",
            takes="truth",
            group="mask",
        )


def shape_controls(scene: Scene, node: Node) -> Iterator[Control]:
    """What a shape itself offers: sizes, mesh, pivot, look."""
    shape = node.shape
    if shape is not None:
        if isinstance(shape, Lettering):
            yield from _lettering(node, shape)
        yield from (number_control(scene, node, f"shape.{name}", about="size") for name in numbers_of(type(shape)))
        for field in shape.settable():
            yield from _settable(node, shape, field)
        yield from _pivot(node)
    if node.targets:
        for row in node.targets.rows:
            yield number_control(scene, node, f"targets.rows.{row.id}.weight", label=row.label.lower(), about="size")
    if node.look:
        parts = [find_at(scene, f"{node.id}/look.color.{part}").channel for part in "rgb"]
        levels = [round(255 * min(1.0, max(0.0, base_value(part)))) for part in parts]
        yield Swatch(
            address=f"{node.id}/look.color",
            hex="#{:02x}{:02x}{:02x}".format(*levels),
            keyed=tuple(bool(part.keys) for part in parts),
        )
        yield from (number_control(scene, node, f"look.{name}", about="look") for name in ("glow", "roughness"))
        if shape is not None and shape.mesh(scene.assets).coordinates is not None:
            yield from _picture(scene, node, node.look.picture)


def _mask(node: Node, deformer: Deformer) -> Select:
    """Where it acts at all. Values that need more than themselves end in ' …'."""
    mask = deformer.mask
    own = node.shape.weights if isinstance(node.shape, MeshShape) else None
    options = [("", "none"), *((kind, MASK_TITLES[kind].lower()) for kind in MADE_HERE)]
    picture = f"picture {mask.label}" if mask and mask.kind == "picture" and mask.label else "picture …"
    options.append(("picture", picture))
    if own:
        options.append((f"weights:{own}", "the mesh's own"))
    options.append(("weights", "painted …"))
    of_mesh = mask is not None and mask.kind == "weights" and own is not None and mask.asset == own
    return Select(
        id="d-mask",
        label="made by",
        help="Where it acts at all: everywhere, or where a ball, a gradient, patches, a picture or paint lets it.",
        value="" if mask is None else f"weights:{own}" if of_mesh else mask.kind,
        options=tuple(options),
        data={"deformer": deformer.id, "mask": ""},
        group="mask",
    )


def _picture(scene: Scene, node: Node, picture: Picture | None) -> Iterator[Control]:
    edit = {"do": "change-picture", "node": node.id}
    options = [("", "none"), *([(picture.asset, picture.label)] if picture else []), ("surface …", "from a file …")]
    yield Select(
        id="n-picture", label="picture", help="A PNG, JPEG or WebP on its surface; the colour tints it.",
        value=picture.asset if picture else "", options=tuple(options), edit=edit, into="asset", takes="slug",
        group="look",
    )  # fmt: skip
    if picture is None:
        return
    option = option_of(Picture, "beyond")
    yield select_of(
        option, "beyond", option.words, picture.beyond, id="n-beyond", edit=edit, into="beyond", group="look"
    )
    yield from (number_control(scene, node, f"look.picture.{name}", about="look") for name in numbers_of(Picture))


def _lettering(node: Node, shape: Lettering) -> Iterator[Control]:
    edit = {"do": "change-shape", "node": node.id}
    yield TypedField(
        id="n-text", label="text", help="What is written.", value=shape.text, edit=edit, into="fields.text",
        group="size", most=LONGEST, wide=True, mode="text",
    )  # fmt: skip
    fonts = [(font, font) for font in SHIPPED]
    if shape.font not in SHIPPED:
        fonts.append((shape.font, "from a file"))
    yield Select(
        id="n-font", label="font", help="The letters' forms.", value=shape.font, options=tuple(fonts),
        edit=edit, into="fields.font", group="size",
    )  # fmt: skip


def _settable(node: Node, shape: AnyShape, field: str) -> Iterator[Control]:
    value, option = getattr(shape, field), option_of(type(shape), field)
    id, edit, into = f"n-{field}", {"do": "change-shape", "node": node.id}, f"fields.{field}"
    if isinstance(value, bool):
        words = (("false", option.words.get("false", "no")), ("true", option.words.get("true", "yes")))
        yield Select(
            id=id, label=option.label or field, help=option.help, value=str(value).lower(), options=words, edit=edit,
            into=into, takes="truth", group="size",
        )  # fmt: skip
    elif isinstance(value, int):
        yield TypedField(
            id=id, label=option.label or field.replace("_", " "), help=option.help, value=str(value), unit="seg",
            edit=edit, into=into, takes="number", group="mesh", rest=str(value), mode="numeric",
        )  # fmt: skip


def _pivot(node: Node) -> Iterator[Control]:
    """About which point it turns."""
    turns = turning(node)
    help = (
        f"Its {turns} changes over time: about another point that is another motion. It stays where its bases put it."
        if turns
        else "About which point it turns; nothing that is seen moves."
    )
    data = {"stay": "rest" if turns else "always"}
    yield Select(
        id="d-pivot", label="pivot", help=help, value="", options=PIVOTS, data=data | {"pivot": ""}, group="mesh",
        rest="",
    )  # fmt: skip
    assert node.shape is not None
    for place, axis in enumerate("xyz"):
        value = shown(node.shape.pivot[place])
        yield TypedField(
            id=f"d-pivot-{axis}", label=f"pivot {axis}", help=help, value=value, unit="m",
            data=data | {"pivot-axis": str(place)}, group="mesh", rest=value,
        )  # fmt: skip
