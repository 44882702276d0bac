"""The log as a tree of hashes: what proofs are made of, and its root beside the last link."""

from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table log_nodes (
            workspace_id uuid not null references workspaces,
            level smallint not null,
            place bigint not null,
            hash bytea not null,
            primary key (workspace_id, level, place)
        )
    """)
    op.execute("alter table log_nodes enable row level security")
    op.execute("alter table log_nodes force row level security")
    op.execute(
        "create policy own_workspace on log_nodes "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
    op.execute("""
        create function log_nodes_stand() returns trigger language plpgsql as $$
        begin
            raise exception 'the log is append-only' using errcode = 'integrity_constraint_violation';
        end $$
    """)
    op.execute(
        "create trigger log_nodes_stand before update or delete on log_nodes "
        "for each row execute function log_nodes_stand()"
    )
    # Of a log that was sealed before, the tree is made by and by, where it is sealed next.
    op.execute("alter table seals add column grown bigint not null default 0, add column root text")
    # The worker finds logs whose tree is behind by the same door as those with events to seal.
    op.execute(
        "create policy housekeeping on seals for select using (current_setting('openlatch.housekeeping', true) = 'on')"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
