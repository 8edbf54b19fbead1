"""what a bake's frames took, and how far its preparation is, so that the time left can be told

Revision ID: 0007
Revises: 0006
"""

import sqlalchemy as sa

from dynaclast.store.migrations.steps import add_column, drop_column

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_column("chunks", sa.Column("seconds", sa.Float(), nullable=False, server_default="0"))
    for name in ("prepared", "preparing"):
        add_column("takes", sa.Column(name, sa.Float(), nullable=False, server_default="0"))


def downgrade() -> None:
    drop_column("chunks", "seconds")
    for name in ("prepared", "preparing"):
        drop_column("takes", name)
