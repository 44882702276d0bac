"""Security events that providers send or have fetched: from whom they come, what each said, and what came of it."""

from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None

TABLES = ("event_streams", "security_events")


def upgrade() -> None:
    op.execute("""
        create table event_streams (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            provider_id uuid not null,
            issuer text not null,
            audience text not null,
            keys text not null,
            poll text not null,
            made_by text not null,
            made_at timestamptz not null,
            heard_at timestamptz,
            trouble text not null,
            secret bytea not null,
            secret_hash bytea not null,
            key_set jsonb,
            keys_at timestamptz,
            primary key (workspace_id, id),
            unique (workspace_id, provider_id),
            foreign key (workspace_id, provider_id) references providers
        )
    """)
    op.execute("""
        create table security_events (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            ref text not null,
            provider_id uuid not null,
            stream_id uuid not null,
            jti text not null,
            reported text not null,
            keys text[] not null,
            addresses text[] not null,
            at timestamptz not null,
            received_at timestamptz not null,
            party_id uuid,
            came_to text not null,
            done_at timestamptz,
            primary key (workspace_id, id),
            unique (workspace_id, stream_id, jti, reported),
            foreign key (workspace_id, provider_id) references providers
        )
    """)
    op.execute("create index security_events_provider on security_events (workspace_id, provider_id, id)")
    for table in TABLES:
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} "
            "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )
    op.execute("alter table parties add column reported text, add column reported_at timestamptz")
    op.execute("alter table webhooks add column form text not null default 'news'")
    op.execute("alter table webhooks add column audience text not null default ''")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
