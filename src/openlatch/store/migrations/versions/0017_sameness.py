"""Whom each entry lets in as its provider names them; anyone is one party; what people say of who is who."""

from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

OWN = "i.scheme not in ('address', 'shared', 'anyone')"
READ = ("identifiers", "entries", "parties", "memberships", "activity", "offers", "batches", "round_items")


def upgrade() -> None:
    for table in READ:
        # Row-level security keeps even the owner of the table from rows of workspaces.
        op.execute(f"alter table {table} no force row level security")
    op.execute("alter table entries add column subject text not null default ''")
    op.execute("alter table identifiers add column name text not null default ''")
    op.execute("alter table identifiers add column addresses text[] not null default '{}'")
    op.execute("alter table parties add column joined_into uuid")
    op.execute("""
        create table sameness (
            workspace_id uuid not null references workspaces, id uuid not null,
            one uuid not null,
            other uuid not null,
            verdict text not null,
            reason text not null,
            decided_by text not null,
            decided_by_id uuid,
            decided_at timestamptz not null,
            before jsonb not null,
            undone_by text,
            undone_by_id uuid,
            undone_at timestamptz,
            primary key (workspace_id, id),
            foreign key (workspace_id, one) references parties,
            foreign key (workspace_id, other) references parties
        )
    """)
    op.execute("create index sameness_latest on sameness (workspace_id, decided_at desc, id desc)")
    op.execute("alter table sameness enable row level security")
    op.execute("alter table sameness force row level security")
    op.execute(
        "create policy own_workspace on sameness "
        "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
    _name_subjects()
    _one_anyone()
    # The next reading says how each of them is shown.
    op.execute(f"update identifiers i set digest = null where {OWN}")
    for table in READ:
        op.execute(f"alter table {table} force row level security")


def _name_subjects() -> None:
    """The key of whoever an entry lets in; of several, that of the one which the next reading shows."""
    keys = f"""
        select i.workspace_id, i.scheme, i.party_id, i.value like 'hand:%' as by_hand, count(*) as keys,
            min(i.value) as value
        from identifiers i where {OWN} group by 1, 2, 3, 4
    """
    op.execute(f"""
        update entries e set subject = k.value, digest = case when k.keys > 1 then null else e.digest end
        from ({keys}) k
        where k.workspace_id = e.workspace_id and k.scheme = e.provider_id::text and k.party_id = e.party_id
            and k.by_hand = e.by_hand and e.kind <> 'offer'
    """)


def _one_anyone() -> None:
    """Anyone is one party, whichever provider is open to them: the first that was known."""
    op.execute("""
        create temporary table several on commit drop as
        select workspace_id, id as was,
            first_value(id) over (partition by workspace_id order by id) as becomes
        from parties where kind = 'anyone'
    """)
    for table, column in (
        ("identifiers", "party_id"),
        ("entries", "party_id"),
        ("activity", "party_id"),
        ("activity", "behalf_of"),
        ("memberships", "member_id"),
        ("memberships", "team_id"),
        ("offers", "party_id"),
        ("batches", "party_id"),
        ("round_items", "party_id"),
    ):
        op.execute(f"""
            update {table} t set {column} = s.becomes from several s
            where s.workspace_id = t.workspace_id and t.{column} = s.was and s.was <> s.becomes
        """)
    op.execute("""
        update parties p set joined_into = s.becomes from several s
        where s.workspace_id = p.workspace_id and s.was = p.id and s.was <> s.becomes
    """)
    op.execute("""
        insert into identifiers (workspace_id, scheme, value, party_id)
        select distinct workspace_id, 'anyone', 'anyone', becomes from several
    """)
    op.execute("drop table several")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
