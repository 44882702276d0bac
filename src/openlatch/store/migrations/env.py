"""How Alembic reaches the database: over the connection that `store.migrate` hands in."""

from alembic import context

from openlatch.store.base import Base


def _ours(_object: object, name: str | None, kind: str, _reflected: bool, _compare_to: object) -> bool:
    """Leave the queue's tables to the queue."""
    return not (kind == "table" and name is not None and name.startswith("procrastinate_"))


context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    include_object=_ours,
    transaction_per_migration=True,
)
with context.begin_transaction():
    context.run_migrations()
