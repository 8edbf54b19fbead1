"""exact names; saves with a number; documents as differences; signs of life without clocks

Revision ID: 0005
Revises: 0004
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from dynaclast.store.migrations.steps import add_column, create_table, drop_column, drop_references, drop_table

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

TABLES = ("shots", "revisions", "takes", "chunks", "assets", "pieces", "drawings", "materials", "library")
BLOB = sa.LargeBinary().with_variant(mysql.LONGBLOB(), "mariadb").with_variant(mysql.LONGBLOB(), "mysql")
TEXT = sa.Text().with_variant(mysql.LONGTEXT(), "mariadb").with_variant(mysql.LONGTEXT(), "mysql")
EXACT, BY_LANGUAGE = "utf8mb4_nopad_bin", "utf8mb4_unicode_ci"


REFERENCES = (("revisions", "shot_id", "shots"), ("takes", "shot_id", "shots"), ("chunks", "take_id", "takes"))


def _compare(how: str) -> None:
    """How all names are compared, and those of tables still to come. What refers to them is put aside meanwhile."""
    for table, _, _ in REFERENCES:
        drop_references(table)
    for table in TABLES:
        op.execute(f"ALTER TABLE {table} CONVERT TO CHARACTER SET utf8mb4 COLLATE {how}")
    for table, column, other in REFERENCES:
        op.create_foreign_key(f"{table}_of_{other}", table, other, [column], ["id"], ondelete="CASCADE")
    name = op.get_bind().execute(sa.text("SELECT DATABASE()")).scalar_one()
    op.execute(f"ALTER DATABASE `{name}` CHARACTER SET utf8mb4 COLLATE {how}")


def upgrade() -> None:
    _compare(EXACT)
    create_table(
        "texts",
        sa.Column("id", sa.String(length=64), nullable=False),
        sa.Column("data", BLOB, nullable=False),
        sa.Column("created", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    add_column("shots", sa.Column("last_save", sa.String(length=40), nullable=False, server_default=""))
    for table in ("revisions", "takes"):
        op.alter_column(table, "document", existing_type=TEXT, nullable=True)
        add_column(table, sa.Column("text", sa.String(length=64), nullable=True))
        add_column(table, sa.Column("difference", BLOB, nullable=True))
    for name in ("beats", "progress", "lost"):
        add_column("takes", sa.Column(name, sa.Integer(), nullable=False, server_default="0"))
    drop_column("takes", "heartbeat")


def downgrade() -> None:
    """Documents kept as differences cannot be read by what was before: their rows go."""
    add_column("takes", sa.Column("heartbeat", mysql.DATETIME(fsp=6), nullable=True))
    for name in ("beats", "progress", "lost"):
        drop_column("takes", name)
    for table in ("revisions", "takes"):
        op.execute(f"DELETE FROM {table} WHERE document IS NULL")
        op.alter_column(table, "document", existing_type=TEXT, nullable=False)
        drop_column(table, "text")
        drop_column(table, "difference")
    drop_column("shots", "last_save")
    drop_table("texts")
    _compare(BY_LANGUAGE)
