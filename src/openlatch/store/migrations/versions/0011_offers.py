"""Offers of access, in one part or several, and the entries that show them."""

from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table offers (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            address text not null,
            name text not null,
            party_id uuid not null,
            basis text not null,
            starts_at timestamptz,
            made_by text not null,
            made_at timestamptz not null,
            lapses_at timestamptz not null,
            confirmed text[] not null,
            state text not null,
            left_at timestamptz,
            answered_at timestamptz,
            replaces uuid,
            request_id uuid,
            version integer not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("create index offers_latest on offers (workspace_id, made_at desc, id desc)")
    op.execute("create index offers_waiting on offers (workspace_id, lapses_at) where state = 'waiting'")
    op.execute("create index offers_address on offers (workspace_id, address)")
    op.execute("""
        create table offer_parts (
            workspace_id uuid not null references workspaces, id uuid not null,
            offer_id uuid not null,
            place integer not null,
            entry_id uuid not null,
            live_id uuid,
            next_at timestamptz,
            part jsonb not null,
            primary key (workspace_id, id),
            foreign key (workspace_id, offer_id) references offers on delete cascade
        )
    """)
    op.execute("create index offer_parts_offer on offer_parts (workspace_id, offer_id, place)")
    op.execute("create unique index offer_parts_entry on offer_parts (workspace_id, entry_id)")
    op.execute("create index offer_parts_next on offer_parts (workspace_id, next_at) where next_at is not null")
    for table in ("offers", "offer_parts"):
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} using "
            "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
