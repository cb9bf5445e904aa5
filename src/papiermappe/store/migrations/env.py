"""Alembic's entry: runs the migrations on the database that `store.database.migrate` names."""

from alembic import context
from sqlalchemy import create_engine

from papiermappe.store.models import Base


def _ours(_: object, name: str | None, kind: str, *__: object) -> bool:
    return not (kind == "table" and (name or "").startswith("procrastinate_"))


engine = create_engine(context.config.attributes["database_url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, include_object=_ours)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
