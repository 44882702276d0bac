"""People who are invited, disabled or removed, how each wants to see days, and from where their sessions come."""

from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        alter table people
            add column state text not null default 'active',
            add column zone text not null default '',
            add column dates text not null default '',
            add column seen_at timestamptz,
            alter column password_hash drop not null,
            drop constraint people_address
    """)
    # Whoever was removed leaves their name to what they did, and their address to whoever has it next.
    op.execute("create unique index people_address on people (workspace_id, address) where state <> 'removed'")
    op.execute("""
        alter table sign_ins
            add column seen_at timestamptz,
            add column device text not null default '',
            add column network text not null default ''
    """)
    op.execute("alter table failed_sign_ins add column network text not null default ''")
    op.execute("create index failed_sign_ins_network on failed_sign_ins (workspace_id, network, at)")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
