"""bodies by the name of their drawing; older states are kept, so that any frame can be computed again from nearby

Revision ID: 0004
Revises: 0003
"""

import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from dynaclast.store.migrations.steps import create_table, drop_table

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    create_table(
        "drawings",
        sa.Column("name", sa.String(length=64), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )


def downgrade() -> None:
    drop_table("drawings")
