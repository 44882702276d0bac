"""Reviews: plans, rounds with their items and reports, calendars; and what people are told."""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

NEW = ("review_plans", "rounds", "round_items", "round_reports", "calendars", "notices")


def upgrade() -> None:
    op.execute("alter table entries add column unanswered_at timestamptz")
    op.execute("""
        create table review_plans (
            workspace_id uuid not null references workspaces, id uuid not null,
            ref text not null,
            name text not null,
            body jsonb not null,
            paused boolean not null,
            next_at timestamptz,
            created_by text not null,
            seen bigint not null,
            version integer not null,
            primary key (workspace_id, id),
            unique (workspace_id, name)
        )
    """)
    op.execute("create index review_plans_next on review_plans (workspace_id, next_at) where not paused")
    op.execute("""
        create table rounds (
            workspace_id uuid not null, id uuid not null,
            ref text not null,
            plan_id uuid not null,
            plan jsonb not null,
            why text not null,
            occurrence timestamptz not null,
            opened_at timestamptz not null,
            due_at timestamptz not null,
            policy integer not null,
            state text not null check (state in ('open', 'settling', 'closed', 'cancelled')),
            paused_at timestamptz,
            settled_by text not null,
            settled_at timestamptz,
            closed_at timestamptz,
            compared jsonb,
            version integer not null,
            primary key (workspace_id, id),
            foreign key (workspace_id, plan_id) references review_plans,
            -- however many schedulers there are, a review takes place once
            unique (workspace_id, plan_id, occurrence)
        )
    """)
    op.execute("create index rounds_ref on rounds (workspace_id, ref)")
    op.execute("create index rounds_open on rounds (workspace_id, state) where state in ('open', 'settling')")
    op.execute("""
        create table round_items (
            workspace_id uuid not null, round_id uuid not null, place integer not null,
            entry_id uuid not null,
            account_id uuid not null,
            party_id uuid not null,
            facts jsonb not null,
            reviewer uuid,
            decision jsonb,
            order_id uuid,
            trouble text not null,
            left_open jsonb,
            version integer not null,
            primary key (workspace_id, round_id, place),
            foreign key (workspace_id, round_id) references rounds,
            foreign key (workspace_id, entry_id) references entries,
            foreign key (workspace_id, order_id) references orders
        )
    """)
    op.execute("create index round_items_entry on round_items (workspace_id, entry_id)")
    op.execute("""
        create table round_reports (
            workspace_id uuid not null, round_id uuid not null,
            content jsonb not null,
            signed text not null,
            primary key (workspace_id, round_id),
            foreign key (workspace_id, round_id) references rounds
        )
    """)
    op.execute("""
        create table calendars (
            workspace_id uuid not null, person_id uuid not null,
            secret_hash bytea not null,
            made_at timestamptz not null,
            primary key (workspace_id, person_id),
            foreign key (workspace_id, person_id) references people
        )
    """)
    op.execute("alter table parties add column sponsor uuid")
    op.execute("alter table people add column telling text not null default 'at-once'")
    op.execute("""
        create table notices (
            workspace_id uuid not null, id uuid not null,
            person_id uuid,
            address text not null,
            name text not null,
            key text not null,
            title text not null,
            text text not null,
            link text not null,
            made_at timestamptz not null,
            due_at timestamptz,
            sent_at timestamptz,
            letter_id uuid,
            attempts integer not null default 0,
            trouble text not null default '',
            primary key (workspace_id, id),
            foreign key (workspace_id, person_id) references people,
            -- nobody is told the same twice
            unique (workspace_id, address, key)
        )
    """)
    op.execute("create index notices_due on notices (workspace_id, due_at) where sent_at is null")
    op.execute("create index notices_of on notices (workspace_id, person_id, made_at desc)")
    for table in NEW:
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} using "
            "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
