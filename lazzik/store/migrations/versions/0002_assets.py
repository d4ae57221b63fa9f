"""What is heavy and stands apart from the documents."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "asset",
        sa.Column("name", sa.String(64), primary_key=True),
        sa.Column("content", sa.LargeBinary, nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
    )
