"""Everything that can be wrong with what somebody asked for.

LazzikError
├── UnknownAddress   (LookupError)  a written address leads nowhere
├── InvalidEdit      (ValueError)   an edit that the scene can't take
├── InvalidDocument  (ValueError)   a text that is not a scene
├── BadNumber        (ValueError)   a typed number that can't be read
├── BadFormula       (ValueError)   a formula that can't be read, or has no value somewhere
├── Overtaken                       long work that lands on a scene that has gone on
├── UnknownAsset     (LookupError)  a mesh, font or picture that the scene names and nobody holds
└── InvalidAsset     (ValueError)   a file offered as one that is malformed, hostile or too large

Every message is a sentence for the person who made the mistake: what was wrong, and where.
"""

from __future__ import annotations


class LazzikError(Exception):
    """Base of the family. `where` is the address, field or file in which the mistake sits ('' if nowhere)."""

    def __init__(self, message: str, where: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.where = where


class UnknownAddress(LazzikError, LookupError):
    """An address that no object, number or layer of the scene answers to."""


class InvalidEdit(LazzikError, ValueError):
    """An edit whose outcome would not be a scene, or that does not fit what it is applied to."""


class InvalidDocument(LazzikError, ValueError):
    """A text offered as a scene that is malformed, hostile, too large or of another version."""


class BadFormula(LazzikError, ValueError):
    """A formula that is not one, or that has no finite value at a frame. `column` counts from 1; 0 is nowhere."""

    def __init__(self, message: str, column: int = 0, where: str = "") -> None:
        super().__init__(f"{message} (column {column})" if column else message, where)
        self.column = column


class BadNumber(LazzikError, ValueError):
    """A number typed into a field that is neither a number nor plain arithmetic."""


class UnknownAsset(LazzikError, LookupError):
    """An asset that the scene names and that no keeper holds."""


class InvalidAsset(LazzikError, ValueError):
    """A file offered as a mesh, a font or a picture that is malformed, hostile or too large."""


class Overtaken(LazzikError):
    """Work whose beginnings are no longer what they were."""


def plain(message: str) -> str:
    """A checker's message as the end of a sentence."""
    message = message.removeprefix("Value error, ")
    return message[:1].lower() + message[1:]
