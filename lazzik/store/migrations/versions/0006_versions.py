"""Named states of scenes, and what is being tried in them."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "version",
        sa.Column("row", sa.Integer, primary_key=True),
        sa.Column("scene", sa.String(32), sa.ForeignKey("scene.id", ondelete="CASCADE"), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("name", sa.String(400), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("changes", sa.String(400), nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
        sa.Column("media", sa.String(40)),
        sa.Column("picture", sa.LargeBinary),
    )
    op.create_index("version_scene", "version", ["scene", "row"])
    op.create_table(
        "trial",
        sa.Column("scene", sa.String(32), sa.ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("name", sa.String(400), nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
    )
