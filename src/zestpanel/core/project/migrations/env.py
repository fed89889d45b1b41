"""Runs the migrations on the database the program names."""

from alembic import context
from sqlalchemy import create_engine, pool

engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "", poolclass=pool.NullPool)
with engine.connect() as connection:
    if context.config.attributes.get("fresh"):  # nothing in it could be lost; its maker writes it through at the end
        connection.exec_driver_sql("PRAGMA synchronous=OFF")
        connection.exec_driver_sql("PRAGMA journal_mode=MEMORY")
        connection.commit()
    context.configure(connection=connection, render_as_batch=True)
    with context.begin_transaction():
        context.run_migrations()
