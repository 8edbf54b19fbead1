"""takes have names and notes; what is deleted is kept for a while

Revision ID: 0006
Revises: 0005
"""

import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from dynaclast.store.migrations.steps import add_column, drop_column

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("shots", "takes"):
        add_column(table, sa.Column("deleted", mysql.DATETIME(fsp=6), nullable=True))
        add_column(table, sa.Column("note", sa.String(length=400), nullable=False, server_default=""))
    add_column("takes", sa.Column("name", sa.String(length=80), nullable=False, server_default=""))


def downgrade() -> None:
    for table in ("shots", "takes"):
        drop_column(table, "deleted")
        drop_column(table, "note")
    drop_column("takes", "name")
