"""Runs the migrations on the database the program names, all in one transaction: whole or not at all."""

from alembic import context
from sqlalchemy import create_engine, event, pool

engine = create_engine("sqlite://", creator=context.config.attributes["connect"], poolclass=pool.NullPool)


@event.listens_for(engine, "connect")
def _no_transactions_of_its_own(connection, _):  # type: ignore[no-untyped-def]
    connection.isolation_level = None  # the driver would begin none before a change of tables


@event.listens_for(engine, "begin")
def _begin(connection):  # type: ignore[no-untyped-def]
    connection.exec_driver_sql("BEGIN IMMEDIATE")


with engine.connect() as connection:
    context.configure(connection=connection, render_as_batch=True, transactional_ddl=True)
    with context.begin_transaction():
        context.run_migrations()
