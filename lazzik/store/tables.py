"""What the database holds."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from sqlalchemy import ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from lazzik.core.scene.form import VERSION

Id = Annotated[str, mapped_column(String(32), primary_key=True)]
Short = Annotated[str, mapped_column(String(400))]


def now() -> datetime:
    """The present, in UTC."""
    return datetime.now(UTC).replace(tzinfo=None)


class Table(DeclarativeBase):
    """All tables."""


class SceneRow(Table):
    """A scene: its name as of the head, and which revision is the head."""

    __tablename__ = "scene"

    id: Mapped[Id]
    name: Mapped[Short]
    head: Mapped[int]
    changed: Mapped[datetime] = mapped_column(default=now)


class CardRow(Table):
    """What the list of scenes shows of one, as of a revision."""

    __tablename__ = "card"

    scene: Mapped[str] = mapped_column(ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int]
    content: Mapped[str] = mapped_column(Text)


class PictureRow(Table):
    """A scene's stage as a browser saw it, as of a revision."""

    __tablename__ = "picture"

    scene: Mapped[str] = mapped_column(ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int]
    media: Mapped[str] = mapped_column(String(40))
    content: Mapped[bytes] = mapped_column(LargeBinary)


class AssetRow(Table):
    """Something heavy, named by the SHA-256 of its bytes, so that it is stored once however often it is used."""

    __tablename__ = "asset"

    name: Mapped[str] = mapped_column(String(64), primary_key=True)
    content: Mapped[bytes] = mapped_column(LargeBinary)
    made: Mapped[datetime] = mapped_column(default=now)


class RevisionRow(Table):
    """One state of a scene. Undo and redo move the head along the parents; nothing is ever overwritten."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("scene", "number"), Index("revision_parent", "scene", "parent"))

    row: Mapped[int] = mapped_column(primary_key=True)
    scene: Mapped[str] = mapped_column(ForeignKey("scene.id", ondelete="CASCADE"))
    number: Mapped[int]
    parent: Mapped[int | None]
    label: Mapped[Short]
    version: Mapped[int] = mapped_column(default=VERSION, server_default="1")
    """The document's version in which patch and snapshot are written. A patch leads on from one of the same version."""
    patch: Mapped[str | None] = mapped_column(Text)
    """RFC 6902 operations that lead here from the parent."""
    snapshot: Mapped[str | None] = mapped_column(Text)
    """The whole document as it came, where no patch leads to it from one of its version."""
    packed: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The whole document, now and then, so that opening replays only a few patches. It was put together of an earlier
    one and the patches since, so it names nothing that these don't."""
    made: Mapped[datetime] = mapped_column(default=now)


class VersionRow(Table):
    """A named state of a scene, told in words, with its stage as a browser saw it."""

    __tablename__ = "version"
    __table_args__ = (Index("version_scene", "scene", "row"),)

    row: Mapped[int] = mapped_column(primary_key=True)
    scene: Mapped[str] = mapped_column(ForeignKey("scene.id", ondelete="CASCADE"))
    revision: Mapped[int]
    name: Mapped[Short]
    note: Mapped[str] = mapped_column(Text)
    changes: Mapped[Short]
    """What differs from the version before it."""
    made: Mapped[datetime] = mapped_column(default=now)
    media: Mapped[str | None] = mapped_column(String(40))
    picture: Mapped[bytes | None] = mapped_column(LargeBinary)


class TrialRow(Table):
    """Something that is being tried in a scene, and the revision to return to."""

    __tablename__ = "trial"

    scene: Mapped[str] = mapped_column(ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int]
    name: Mapped[Short]
    made: Mapped[datetime] = mapped_column(default=now)


class ShelfRow(Table):
    """Something on the shelf. A row without content stands for one that ships with the program and was removed."""

    __tablename__ = "shelf"

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    content: Mapped[str | None] = mapped_column(Text)
    """The item as its file has it, with all that is heavy."""
    made: Mapped[datetime] = mapped_column(default=now)


class SpecimenRow(Table):
    """What something on the shelf looks like, and what it was drawn of."""

    __tablename__ = "specimen"

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    drawn_of: Mapped[str] = mapped_column(String(64))
    content: Mapped[bytes] = mapped_column(LargeBinary)
