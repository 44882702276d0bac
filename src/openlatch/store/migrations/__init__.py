"""The database's history: Alembic migrations, applied by `openlatch service migrate`."""
