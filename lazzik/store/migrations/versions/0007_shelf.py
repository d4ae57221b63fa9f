"""What is kept across scenes, and what it looks like."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "shelf",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("content", sa.Text),
        sa.Column("made", sa.DateTime, nullable=False),
    )
    op.create_table(
        "specimen",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("drawn_of", sa.String(64), nullable=False),
        sa.Column("content", sa.LargeBinary, nullable=False),
    )
