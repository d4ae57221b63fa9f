"""What the list of scenes shows of each, so that it need not be worked out to be shown."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "card",
        sa.Column("scene", sa.String(32), sa.ForeignKey("scene.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("content", sa.Text, nullable=False),
    )
