"""PostgreSQL through SQLAlchemy: the only layer that knows tables and SQL.

`Store.transaction` is the one owner of commit and rollback; each noun's queries hang on the transaction.
Rows never leave this layer: what comes back are the core's frozen values.
"""

from openlatch.store.transaction import Store, Transaction

__all__ = ["Store", "Transaction"]
