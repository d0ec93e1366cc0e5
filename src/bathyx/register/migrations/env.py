"""Alembic's entry: the connection that is handed over, in the one transaction it is in."""

from alembic import context

from bathyx.register.ledger.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, transactional_ddl=True)
context.run_migrations()
