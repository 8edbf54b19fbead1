"""materials saved by the artist

Revision ID: 0002
Revises: 0001
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "materials",
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("preset", sa.JSON(), nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )


def downgrade() -> None:
    op.drop_table("materials")
