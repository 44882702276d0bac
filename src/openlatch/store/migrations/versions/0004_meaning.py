"""What providers' words mean, hours, when each power was used, publishers, vouching, views, digests."""

from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""
        alter table entries
            drop column used_powers,
            add column uses jsonb,
            add column stated text[],
            add column unknown text[] not null default '{}',
            add column hours jsonb,
            add column digest bytea,
            add column by_hand boolean not null default false,
            add column vouched_at timestamptz,
            add column vouched_by text not null default ''
    """)
    op.execute("alter table identifiers add column digest bytea")
    op.execute("update entries set stated = powers")
    op.execute(
        "alter table parties add column publisher text not null default '', add column home text not null default ''"
    )
    # One for each order of the inventory that needs nothing of another table; see store.entries.SORTS.
    for name, order in (
        ("severity", "(-severity), coalesce(last_used, '1970-01-01 00:00+00'::timestamptz), id"),
        ("last_used", "coalesce(last_used, '1970-01-01 00:00+00'::timestamptz), id"),
        ("given", "coalesce(given_at, '1970-01-01 00:00+00'::timestamptz) desc, id desc"),
        ("ends", "coalesce(ends_at, '9999-12-31 00:00+00'::timestamptz), id"),
    ):
        op.execute(f"create index entries_by_{name} on entries (workspace_id, {order}) where state <> 'ended'")
    op.execute("alter table providers add column vouch_days integer not null default 90 check (vouch_days > 0)")
    op.execute("""
        update providers set abilities = jsonb_build_object(
            'lists', abilities->'ends', 'ends', abilities->'ends', 'at_once', abilities->'at_once',
            'redone_by', case when abilities->'restorable' = 'false' then 'party' else 'holder' end, 'ends_teams', true,
            'consent', '', 'consent_for', jsonb_build_array()
        )
    """)
    op.execute(
        "create index identifiers_domain on identifiers (workspace_id, split_part(value, '@', 2)) "
        "where scheme = 'address'"
    )
    op.execute("create index parties_name on parties (workspace_id, lower(name))")
    op.execute("""
        create table words (
            workspace_id uuid not null, provider_id uuid not null,
            word text not null,
            powers text[] not null,
            corrected_by text not null,
            corrected_at timestamptz not null,
            primary key (workspace_id, provider_id, word),
            foreign key (workspace_id, provider_id) references providers
        )
    """)
    op.execute("alter table memberships add column how text not null default 'member'")
    op.execute("""
        create table views (
            workspace_id uuid not null, id uuid not null,
            person_id uuid not null,
            name text not null,
            query text not null,
            primary key (workspace_id, id),
            constraint views_name unique (workspace_id, person_id, name),
            foreign key (workspace_id, person_id) references people on delete cascade
        )
    """)
    op.execute("alter table views enable row level security")
    op.execute("alter table views force row level security")
    op.execute(
        "create policy own_workspace on views using "
        "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
    op.execute("alter table words enable row level security")
    op.execute("alter table words force row level security")
    op.execute(
        "create policy own_workspace on words using "
        "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
    )
