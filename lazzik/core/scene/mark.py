"""Marks: named frames of the ruler, each with a colour and a remark."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field

from lazzik.core.document import Frozen, Label, Slug

MarkColor = Literal["brick", "ochre", "moss", "lake", "plum", "ink"]
COLORS: tuple[MarkColor, ...] = get_args(MarkColor)

LONGEST_REMARK = 2000

Remark = Annotated[str, Field(max_length=LONGEST_REMARK)]


class Mark(Frozen):
    """A named frame."""

    id: Slug
    label: Label
    frame: Annotated[int, Field(ge=-1_000_000, le=1_000_000)]
    color: MarkColor = "brick"
    remark: Remark = ""
