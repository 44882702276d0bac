"""Accounts that are locked against being open to anyone; what was done by whom, and on whose behalf."""

from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table accounts add column locked boolean")
    op.execute("""update providers set abilities = abilities || '{"narrows": [], "pauses": [], "dates": []}'::jsonb""")
    op.execute("""
        create table activity (
            workspace_id uuid not null, id uuid not null,
            provider_id uuid not null,
            key text not null,
            at timestamptz not null,
            account_id uuid not null,
            party_id uuid not null,
            how text not null,
            behalf_of uuid,
            entry_id uuid,
            power text,
            what text not null,
            primary key (workspace_id, id),
            constraint activity_key unique (workspace_id, provider_id, key),
            foreign key (workspace_id, provider_id) references providers,
            foreign key (workspace_id, account_id) references accounts,
            foreign key (workspace_id, party_id) references parties,
            foreign key (workspace_id, behalf_of) references parties,
            foreign key (workspace_id, entry_id) references entries
        )
    """)
    op.execute("create index activity_account on activity (workspace_id, account_id, at desc, id desc)")
    op.execute("create index activity_party on activity (workspace_id, party_id)")
    op.execute("create index activity_behalf on activity (workspace_id, behalf_of) where behalf_of is not null")
    op.execute("create index activity_latest on activity (workspace_id, at desc, id desc)")
    op.execute("alter table activity enable row level security")
    op.execute("alter table activity force row level security")
    op.execute(
        "create policy own_workspace on activity using "
        "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
    # Superseded by those of 0004, which carry the second column of the same order.
    op.execute("drop index entries_severity")
