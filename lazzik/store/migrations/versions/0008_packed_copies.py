"""Whole copies of documents that were put together from earlier ones, packed."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("revision", sa.Column("packed", sa.LargeBinary))
