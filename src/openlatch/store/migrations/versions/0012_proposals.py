"""Sharing documents as they were last read; proposals and what each would change; requests; and webhooks."""

from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table documents (
            workspace_id uuid not null references workspaces, provider_id uuid not null,
            key text not null,
            account_id uuid not null,
            resource text not null,
            zone text not null,
            statements jsonb not null,
            digest bytea not null,
            primary key (workspace_id, provider_id, key)
        )
    """)
    op.execute("create index documents_account on documents (workspace_id, account_id)")
    op.execute("""
        create table proposals (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            title text not null,
            made_by text not null,
            made_at timestamptz not null,
            applied_by text not null,
            applied_at timestamptz,
            batch_id uuid,
            runs integer not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("create index proposals_latest on proposals (workspace_id, made_at desc, id desc)")
    op.execute("""
        create table proposal_runs (
            workspace_id uuid not null references workspaces, proposal_id uuid not null,
            number integer not null,
            body jsonb not null,
            asked_by text not null,
            asked_at timestamptz not null,
            finished_at timestamptz,
            outcome jsonb,
            trouble text not null,
            primary key (workspace_id, proposal_id, number),
            foreign key (workspace_id, proposal_id) references proposals on delete cascade
        )
    """)
    op.execute("""
        create table requests (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            address text not null,
            name text not null,
            account text not null,
            account_id uuid,
            needs text[] not null,
            level text not null,
            reason text not null,
            ends_at timestamptz,
            asked_at timestamptz not null,
            lapses_at timestamptz not null,
            state text not null,
            answer text not null,
            answered_by text not null,
            answered_at timestamptz,
            offer_id uuid,
            version integer not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("create index requests_latest on requests (workspace_id, asked_at desc, id desc)")
    op.execute("create index requests_address on requests (workspace_id, address)")
    op.execute("""
        create table webhooks (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            url text not null,
            secret bytea not null,
            acts text[] not null,
            seen bigint not null,
            paused boolean not null,
            attempts integer not null,
            again_at timestamptz,
            trouble text not null,
            sent_at timestamptz,
            made_by text not null,
            made_at timestamptz not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("alter table batches drop constraint batches_kind_check")
    op.execute("alter table batches add check (kind in ('bulk', 'leaver', 'proposal'))")
    for table in ("documents", "proposals", "proposal_runs", "requests", "webhooks"):
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} using "
            "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
