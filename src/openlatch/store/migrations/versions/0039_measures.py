"""What is measured over all workspaces together is counted by a function of the owner's."""

from alembic import op

revision = "0039"
down_revision = "0038"
branch_labels = None
depends_on = None

COUNTED = """
    select 'orders', state, count(*)::float8 from orders where state not in ('proved', 'cancelled') group by state
    union all select 'readings_overdue', '', count(*) from providers
        where next_reading < now - interval '5 minutes' and removed_at is null and not paused
    union all select 'reading_age_seconds', '', coalesce(extract(epoch from now - min(last_complete)), 0)
        from providers where removed_at is null and not paused and next_reading is not null
    union all select 'readings_failed', '', count(*) from readings
        where state = 'failed' and finished_at > now - interval '1 hour'
    union all select 'events_waiting', '', count(*) from events where number is null
    union all select 'events_waiting_seconds', '', coalesce(extract(epoch from now - min(at)), 0)
        from events where number is null
    union all select 'letters_waiting', '', count(*) from notices where sent_at is null and due_at <= now
"""


def upgrade() -> None:
    for table in ("orders", "readings", "notices"):
        op.execute(
            f"create policy housekeeping on {table} for select using ("
            "current_setting('openlatch.housekeeping', true) = 'on' and current_user = "
            f"(select pg_get_userbyid(relowner) from pg_class where oid = '{table}'::regclass))"
        )
    op.execute(
        "create function openlatch_measured(now timestamptz) returns table (name text, label text, value float8) "
        "language plpgsql security definer set search_path = public, pg_temp as $$ begin "
        "perform set_config('openlatch.housekeeping', 'on', true); "
        f"return query {COUNTED}; "
        "perform set_config('openlatch.housekeeping', '', true); "
        "end $$"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
