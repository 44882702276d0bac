"""Teams: who belongs to which, as a provider shows it."""

from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        create table memberships (
            workspace_id uuid not null, id uuid not null,
            provider_id uuid not null,
            team_id uuid not null,
            member_id uuid not null,
            since timestamptz,
            ended_at timestamptz,
            primary key (workspace_id, id),
            foreign key (workspace_id, provider_id) references providers,
            foreign key (workspace_id, team_id) references parties,
            foreign key (workspace_id, member_id) references parties
        )
    """)
    op.execute(
        "create unique index memberships_standing on memberships (workspace_id, provider_id, team_id, member_id) "
        "where ended_at is null"
    )
    op.execute("create index memberships_member on memberships (workspace_id, member_id) where ended_at is null")
    op.execute("create index memberships_team on memberships (workspace_id, team_id) where ended_at is null")
    op.execute("alter table memberships enable row level security")
    op.execute("alter table memberships force row level security")
    op.execute(
        "create policy own_workspace on memberships using "
        "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
