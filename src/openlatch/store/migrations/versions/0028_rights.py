"""What is asked of all workspaces together is asked by functions of the owner's; nobody else gets in by that door."""

from alembic import op

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None

FUNCTIONS = {
    "openlatch_workspaces()": ("setof workspaces", "select * from workspaces order by slug"),
    "openlatch_unsealed()": (
        "setof uuid",
        "select workspace_id from events where number is null union select workspace_id from seals where grown < size",
    ),
    "openlatch_due(now timestamptz)": (
        "setof uuid",
        "select distinct workspace_id from providers where next_reading <= now",
    ),
    "openlatch_due_again(now timestamptz)": (
        "setof uuid",
        "select distinct workspace_id from upcoming where at <= now",
    ),
}


def upgrade() -> None:
    for table in ("workspaces", "events", "providers", "upcoming", "seals"):
        op.execute(f"drop policy housekeeping on {table}")
        op.execute(
            f"create policy housekeeping on {table} for select using ("
            "current_setting('openlatch.housekeeping', true) = 'on' and current_user = "
            f"(select pg_get_userbyid(relowner) from pg_class where oid = '{table}'::regclass))"
        )
    for function, (returns, body) in FUNCTIONS.items():
        # The door is open while the function looks, and for the owner's functions alone.
        op.execute(
            f"create function {function} returns {returns} language plpgsql security definer "
            "set search_path = public, pg_temp as $$ begin "
            "perform set_config('openlatch.housekeeping', 'on', true); "
            f"return query {body}; "
            "perform set_config('openlatch.housekeeping', '', true); "
            "end $$"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
