"""The stage of each scene as a browser saw it, for the list of scenes."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "picture",
        sa.Column("scene", sa.String(32), sa.ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("media", sa.String(40), nullable=False),
        sa.Column("content", sa.LargeBinary, nullable=False),
    )
    op.execute("DELETE FROM card")  # cards say other things by now; they are made again when they are seen
