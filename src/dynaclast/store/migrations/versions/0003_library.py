"""fields and falloffs the artist keeps for other shots

Revision ID: 0003
Revises: 0002
"""

import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from dynaclast.store.migrations.steps import create_table, drop_table

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    create_table(
        "library",
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("item", sa.JSON(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("kind", "name"),
    )


def downgrade() -> None:
    drop_table("library")
