"""Keys of one provider that were taken for one party are looked at anew by the next reading, which parts them."""

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

SEVERAL = """
    select workspace_id, scheme, party_id from identifiers
    where scheme not in ('address', 'shared') and value not like 'hand:%'
    group by workspace_id, scheme, party_id having count(*) > 1
"""


def upgrade() -> None:
    for table in ("identifiers", "entries", "parties"):
        # Row-level security keeps even the owner of the table from rows of workspaces.
        op.execute(f"alter table {table} no force row level security")
    # What people have written down is told from what a provider names: it was kept under an address, or a name.
    op.execute("""
        update identifiers one set value = 'hand:' || one.value where scheme not in ('address', 'shared')
        and exists (select from entries e where e.workspace_id = one.workspace_id and e.party_id = one.party_id
            and e.provider_id::text = one.scheme and e.by_hand)
        and exists (select from parties p where p.workspace_id = one.workspace_id and p.id = one.party_id
            and (one.value = lower(p.name) or one.value in (select lower(a) from unnest(p.addresses) a)))
    """)
    joined = f"({SEVERAL}) several where one.workspace_id = several.workspace_id and one.party_id = several.party_id"
    op.execute(f"update entries one set digest = null from {joined} and one.provider_id::text = several.scheme")
    op.execute(f"update identifiers one set digest = null from {joined} and one.scheme = several.scheme")
    for table in ("identifiers", "entries", "parties"):
        op.execute(f"alter table {table} force row level security")


def downgrade() -> None:
    """Leave what was parted as it is: it was never one."""
