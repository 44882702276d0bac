"""Orders about who is in a team, beside those about entries."""

from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table orders alter column entry_id drop not null")
    for column in ("provider_id", "team_id", "member_id"):
        op.execute(f"alter table orders add column {column} uuid")
    op.execute("""
        alter table orders
            add foreign key (workspace_id, provider_id) references providers,
            add foreign key (workspace_id, team_id) references parties,
            add foreign key (workspace_id, member_id) references parties,
            add constraint orders_about check (
                case when entry_id is null then num_nulls(provider_id, team_id, member_id) = 0
                else num_nonnulls(provider_id, team_id, member_id) = 0 end
            )
    """)
    op.execute("""
        create unique index orders_one_open_of_member on orders (workspace_id, provider_id, team_id, member_id)
        where entry_id is null and state not in ('proved', 'cancelled')
    """)


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
