"""Scenes as text: one JSON form on disk, in the database and over the wire; and refusing what is none."""

from __future__ import annotations

import json

from pydantic import ValidationError

from lazzik.core.errors import InvalidDocument, plain
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.scene.address import DEEPEST, depth
from lazzik.core.scene.bundle import check_assets, packed_assets, unpack_assets
from lazzik.core.scene.form import LARGEST_TEXT, VERSION
from lazzik.core.scene.references import circle, circle_said
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.upgrade import MALFORMED, upgraded
from lazzik.core.scene.visit import layered

MOST_VALUES = 1_500_000
"""Values of a document: those of a thousand channels with a key on each of 300 frames. Each takes about 250 bytes."""


def scene_text(scene: Scene, *, indent: int | None = None) -> str:
    """The scene as JSON, its assets last. What has its default is left out; `format` and `version` always stand first.

    Raises UnknownAsset if one that it needs is not here."""
    head = {"format": scene.format, "version": scene.version}
    assets = packed_assets(scene)
    tail = {"assets": assets} if assets else {}
    return json.dumps(head | scene_json(scene) | tail, indent=indent, ensure_ascii=False, allow_nan=False)


def scene_json(scene: Scene) -> dict[str, object]:
    """The scene as plain JSON values, as a revision stores it."""
    return scene.model_dump(mode="json", exclude_defaults=True)


def read_scene(text: str | bytes, assets: AssetStore | None = None, *, stored: bool = False) -> Scene:
    """Read a scene, whose assets are where it is said or come with it. One that was `stored` is known to be whole.

    Raises InvalidDocument, saying what is wrong and where; UnknownAsset or InvalidAsset if something heavy that it
    needs is not there or damaged."""
    if len(text) > LARGEST_TEXT:
        raise InvalidDocument(f"The file is larger than {LARGEST_TEXT // 2**20} MB, the most a scene may have.")
    # what is heavy is base64, which has no commas
    values = text.count(b",") if isinstance(text, bytes) else text.count(",")
    if values > MOST_VALUES:
        raise InvalidDocument(f"The scene holds {values:,} values; {MOST_VALUES:,} are the most.")
    assets = AssetStore() if assets is None else assets
    text = _without_assets(text, assets)
    try:
        scene = Scene.model_validate_json(text)
    except ValidationError as error:
        earlier = next((p["input"] for p in error.errors(include_url=False) if p["loc"] == ("version",)), None)
        if type(earlier) is not int or not 0 < earlier < VERSION:
            raise InvalidDocument(_sentence(error)) from None
        scene = _of_earlier(text)
    scene = scene.with_assets(assets)
    for address, number in layered(scene):
        if depth(number) > DEEPEST:
            raise InvalidDocument(f"Layers on {address} are nested deeper than {DEEPEST}.", address)
    if members := circle(scene):
        raise InvalidDocument(f"The scene can't be read: {circle_said(scene, members)}.", members[0])
    if not stored:
        for node in scene.kept_nodes:
            check_assets(node, assets)
    return scene


def _of_earlier(text: str | bytes) -> Scene:
    """A scene of an earlier version, step by step as the present one."""
    try:
        return Scene.model_validate(upgraded(json.loads(text)))
    except (RecursionError, *MALFORMED) as error:
        problem = _sentence(error) if isinstance(error, ValidationError) else "it is malformed"
        raise InvalidDocument(f"The scene is of an earlier version and can't be read: {problem}") from None


def _without_assets(text: str | bytes, assets: AssetStore) -> str | bytes:
    """The document alone; the assets that came with it are kept from then on."""
    if (b'"assets"' not in text) if isinstance(text, bytes) else ('"assets"' not in text):
        return text
    try:
        content = json.loads(text)
    except (ValueError, RecursionError):
        return text  # refused where the document is read
    if not isinstance(content, dict) or "assets" not in content:
        return text
    unpack_assets(content.pop("assets"), assets)
    return json.dumps(content)


def _sentence(error: ValidationError) -> str:
    """What is wrong with a document, in one sentence."""
    problems = error.errors(include_url=False)
    first = problems[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("constant", "layered"))
    if first["type"] == "json_invalid":
        return f"This is not JSON that can be read: {first['ctx']['error']}."
    if first["loc"] in (("format",), ("version",)):
        return (
            f"This is not a Lazzik scene of version {VERSION}: its {first['loc'][0]} is {str(first['input'])[:40]!r}."
        )
    more = f" ({len(problems) - 1} more such problems.)" if len(problems) > 1 else ""
    return f"The scene can't be read: at {where or 'the top'}, {plain(first['msg'])}.{more}"
