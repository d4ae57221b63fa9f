"""Addresses as paths through the document, and back."""

from __future__ import annotations

from lazzik.core.scene.address import Address
from lazzik.core.scene.differences import BASE, Path
from lazzik.core.scene.scene import PARTS

OWN = {"dials": "value", "recipes": "stack", "sheaves": "weight"}
"""What of a part that is no object its address leads to."""


def path_of(text: str) -> Path:
    """Where in the document the number or layer at an address is, or the place of an object ('vane/position'). Raises
    UnknownAddress if it is malformed."""
    address = Address.parse(text)
    if address.node == "clips":
        clip, _, track = address.path.partition(".")
        path: Path = ("clips", clip, "tracks", track, "motion")
    elif address.node in OWN:
        path = (address.node, address.path, OWN[address.node])
    else:
        path = ("nodes", address.node, *address.path.split("."))
    for hop in address.hops:
        path = (*path, "layers", hop.layer, *((hop.number,) if hop.number else ()))
    return path


def part_of(text: str) -> Path:
    """The dial, recipe, clip or sheaf that an address leads into; of an object what `path_of` says."""
    path = path_of(text)
    return path[:2] if path[0] in PARTS else path


def address_of(path: Path) -> str:
    """The address of the number or layer at a path, or of the one that it leads into; '' if there is none."""
    path = path[:-1] if path[-1:] == (BASE,) else path
    kind, slug, *rest = (*path, "", "")[: max(2, len(path))]
    if kind not in ("nodes", "clips", *OWN) or not slug:
        return ""
    if kind == "clips":
        if rest[:1] != ["tracks"] or len(rest) < 3:
            return ""
        written, rest = f"clips/{slug}.{rest[1]}", rest[3:]
    elif kind in OWN:
        if rest[:1] != [OWN[kind]]:
            return ""
        written, rest = f"{kind}/{slug}", rest[1:]
    else:
        if not rest:
            return ""
        end = rest.index("layers") if "layers" in rest else len(rest)
        written, rest = f"{slug}/{'.'.join(rest[:end])}", rest[end:]
    while len(rest) > 1 and rest[0] == "layers":
        written += f"#{rest[1]}" + (f".{rest[2]}" if len(rest) > 2 else "")
        rest = rest[3:]
    return written
