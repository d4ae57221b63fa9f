"""Which version of the document a revision was written in: those of before are of the first."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("revision", sa.Column("version", sa.Integer, nullable=False, server_default="1"))
