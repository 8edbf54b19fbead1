"""bakes that give way to those an artist asked for

Revision ID: 0008
Revises: 0007
"""

import sqlalchemy as sa

from dynaclast.store.migrations.steps import add_column, drop_column

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_column("takes", sa.Column("behind", sa.Boolean(), nullable=False, server_default="0"))


def downgrade() -> None:
    drop_column("takes", "behind")
