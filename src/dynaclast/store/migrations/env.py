"""Alembic's entry: runs migrations on the database the caller names."""

from alembic import context

from dynaclast.store.database import connect
from dynaclast.store.models import Base

url = context.config.attributes["url"]
with connect(url).connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
