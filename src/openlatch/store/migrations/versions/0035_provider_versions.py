"""How a provider was reached is kept, version by version, so that one can go back to what worked."""

from alembic import op

revision = "0035"
down_revision = "0034"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table provider_versions (
            workspace_id uuid not null references workspaces,
            provider_id uuid not null,
            number integer not null check (number > 0),
            settings jsonb not null,
            set_by text not null,
            set_by_id uuid,
            set_at timestamptz,
            primary key (workspace_id, provider_id, number),
            foreign key (workspace_id, provider_id) references providers
        )
    """)
    op.execute("alter table provider_versions enable row level security")
    op.execute("alter table provider_versions force row level security")
    op.execute(
        "create policy own_workspace on provider_versions "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
