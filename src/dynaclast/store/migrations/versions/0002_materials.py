"""materials saved by the artist

Revision ID: 0002
Revises: 0001
"""

import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from dynaclast.store.migrations.steps import create_table, drop_table

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    create_table(
        "materials",
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("preset", sa.JSON(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )


def downgrade() -> None:
    drop_table("materials")
