"""Orders of more than one step, batches of orders, and providers that do not answer for a while."""

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

NEW = ("batches", "batch_items", "keys")


def upgrade() -> None:
    op.execute("alter table providers add column down_until timestamptz")
    _everywhere("""update providers set abilities = '{"raises": [], "levels": {}}'::jsonb || abilities""", "providers")
    for table in ("sign_ins", "tokens"):
        op.execute(f"alter table {table} add column confirmed_at timestamptz")
        _everywhere(f"update {table} set confirmed_at = created_at", table)
        op.execute(f"alter table {table} alter column confirmed_at set not null")
    op.execute("alter table orders add column batch_id uuid")
    op.execute("create index orders_batch on orders (workspace_id, batch_id) where batch_id is not null")
    # An order of one step becomes one whose steps say whom they are about.
    _everywhere(
        """
        update orders set steps = (
            select jsonb_agg(step || jsonb_build_object(
                'entry', case when step->>'call' = 'end' then e.key else '' end,
                'party', case when step->>'call' = 'receipt' then '' else coalesce(
                    (select min(i.value) from identifiers i where i.workspace_id = e.workspace_id
                     and i.party_id = e.party_id and i.scheme = e.provider_id::text), e.party_id::text) end,
                'change', null, 'until', null) order by place)
            from jsonb_array_elements(orders.steps) with ordinality as s (step, place))
        from entries e where e.workspace_id = orders.workspace_id and e.id = orders.entry_id
        """,
        "orders",
        "entries",
        "identifiers",
    )
    _everywhere("""update orders set plan = '{"stop": "", "ways_out": []}'::jsonb || plan""", "orders")
    op.execute("""
        create table batches (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            kind text not null check (kind in ('bulk', 'leaver')),
            action text not null,
            wanted jsonb not null,
            party_id uuid,
            reason text not null,
            ordered_by text not null,
            ordered_at timestamptz not null,
            begins_at timestamptz,
            cancelled_at timestamptz,
            primary key (workspace_id, id),
            foreign key (workspace_id, party_id) references parties
        )
    """)
    op.execute("create index batches_ref on batches (workspace_id, ref)")
    op.execute("""
        create table batch_items (
            workspace_id uuid not null, batch_id uuid not null, place integer not null,
            phase integer not null,
            entry_id uuid,
            action text not null,
            text text not null,
            who text not null,
            order_id uuid,
            trouble text not null,
            done_at timestamptz,
            done_by text not null,
            primary key (workspace_id, batch_id, place),
            foreign key (workspace_id, batch_id) references batches,
            foreign key (workspace_id, entry_id) references entries,
            foreign key (workspace_id, order_id) references orders
        )
    """)
    op.execute(
        "create index batch_items_left on batch_items (workspace_id, batch_id, place) "
        "where order_id is null and trouble = '' and done_at is null"
    )
    op.execute("""
        create table keys (
            workspace_id uuid not null references workspaces, place integer not null,
            name text not null,
            public jsonb not null,
            secret bytea not null,
            made_at timestamptz not null,
            primary key (workspace_id, place)
        )
    """)
    for table in NEW:
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} using "
            "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )


def _everywhere(statement: str, *tables: str) -> None:
    """Change the rows of all workspaces, which row-level security keeps even from the owner of the tables."""
    for table in tables:
        op.execute(f"alter table {table} no force row level security")
    op.execute(statement)
    for table in tables:
        op.execute(f"alter table {table} force row level security")
