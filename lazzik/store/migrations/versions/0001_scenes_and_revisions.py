"""Scenes and their revisions."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "scene",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.String(400), nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("changed", sa.DateTime, nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("row", sa.Integer, primary_key=True),
        sa.Column("scene", sa.String(32), sa.ForeignKey("scene.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent", sa.Integer),
        sa.Column("label", sa.String(400), nullable=False),
        sa.Column("patch", sa.Text),
        sa.Column("snapshot", sa.Text),
        sa.Column("made", sa.DateTime, nullable=False),
        sa.UniqueConstraint("scene", "number"),
    )
    op.create_index("revision_parent", "revision", ["scene", "parent"])
