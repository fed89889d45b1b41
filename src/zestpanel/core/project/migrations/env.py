"""Runs the migrations on the database the program names."""

from alembic import context
from sqlalchemy import create_engine, pool

engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "", poolclass=pool.NullPool)
with engine.connect() as connection:
    context.configure(connection=connection, render_as_batch=True)
    with context.begin_transaction():
        context.run_migrations()
