"""One function per user intention: load, ask the core, save, log, enqueue.

Operations never commit: the caller owns the transaction, so they compose, and the log event and the queued job land
with the change. Each carries the name under which `core.people.roles.OPERATIONS` says who may do it; see `gate`.
"""
