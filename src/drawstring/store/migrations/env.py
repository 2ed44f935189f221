"""How Alembic reaches the database."""

from alembic import context
from sqlalchemy import create_engine, text

from drawstring.store.models import Base

config = context.config
engine = create_engine(str(config.get_main_option("sqlalchemy.url")))
with engine.connect() as connection:
    # Two servers started at once must not migrate at once; the second one waits and finds nothing to do.
    connection.execute(text("SELECT pg_advisory_lock(728411)"))
    connection.commit()
    try:
        context.configure(connection=connection, target_metadata=Base.metadata)
        with context.begin_transaction():
            context.run_migrations()
        connection.commit()
    finally:
        connection.execute(text("SELECT pg_advisory_unlock(728411)"))
        connection.commit()
engine.dispose()
