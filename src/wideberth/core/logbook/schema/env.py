"""What Alembic runs its versions in: the connection that it is given, in the transaction that is open."""

from alembic import context

context.configure(connection=context.config.attributes["connection"], transactional_ddl=True)
context.run_migrations()
