"""Remarks at frames, as a page for review saves them to a file; and refusing what is none."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, ValidationError

from lazzik.core.document import Frozen
from lazzik.core.errors import InvalidDocument, plain
from lazzik.core.scene.edits.marks import AddMark
from lazzik.core.scene.mark import LONGEST_REMARK
from lazzik.core.scene.scene import MOST_MARKS

LARGEST = 4 * 2**20
"""Bytes of a file."""


class RemarkAt(Frozen):
    """One remark."""

    frame: Annotated[int, Field(ge=-1_000_000, le=1_000_000)]
    text: Annotated[str, Field(min_length=1, max_length=LONGEST_REMARK)]
    of: Annotated[str, Field(max_length=400)] = ""
    """The versions that were seen."""


class RemarksFile(Frozen):
    """A file of remarks."""

    format: Literal["lazzik-remarks"]
    version: Literal[1]
    scene: Annotated[str, Field(max_length=400)] = ""
    by: Annotated[str, Field(max_length=80)] = ""
    remarks: Annotated[tuple[RemarkAt, ...], Field(max_length=MOST_MARKS)]


def read_remarks(text: str | bytes) -> RemarksFile:
    """Read a file of remarks. Raises InvalidDocument, saying what is wrong with it."""
    if len(text) > LARGEST:
        raise InvalidDocument(f"The file is larger than {LARGEST // 2**20} MB, the most that remarks may have.")
    try:
        return RemarksFile.model_validate_json(text)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        if first["type"] == "json_invalid" or first["loc"][:1] in ((), ("format",), ("version",)):
            raise InvalidDocument("This is no file of remarks that a page for review saved.") from None
        where = ".".join(str(part) for part in first["loc"])
        raise InvalidDocument(f"The remarks can't be read: at {where}, {plain(first['msg'])}.") from None


def marks_of(file: RemarksFile) -> list[AddMark]:
    """The edits that make remarks marks: named by who wrote them, with the version that they are about."""
    label = f"Remark by {file.by}" if file.by else "Remark"
    return [
        AddMark(frame=float(row.frame), label=label[:110], color="plum", remark=_said(row, file.scene))
        for row in file.remarks
    ]


def _said(row: RemarkAt, scene: str) -> str:
    about = f" ({row.of})" if row.of and row.of != scene else ""
    return f"{row.text[: LONGEST_REMARK - len(about)]}{about}"
