"""Services at which people of a workspace sign in, under which subjects those know them, and what they are asked."""

from alembic import op

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None

TABLES = ("sign_ons", "sign_on_links", "sign_on_questions")


def upgrade() -> None:
    op.execute("""
        create table sign_ons (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            name text not null,
            issuer text not null,
            client_id text not null,
            claim text not null,
            roles jsonb not null,
            second_factor boolean not null,
            secret bytea not null,
            made_at timestamptz not null,
            primary key (workspace_id, id)
        )
    """)
    op.execute("create unique index sign_ons_name on sign_ons (workspace_id, lower(name))")
    op.execute("""
        create table sign_on_links (
            workspace_id uuid not null references workspaces,
            sign_on_id uuid not null,
            subject text not null,
            person_id uuid not null,
            made_at timestamptz not null,
            primary key (workspace_id, sign_on_id, subject),
            foreign key (workspace_id, sign_on_id) references sign_ons on delete cascade,
            foreign key (workspace_id, person_id) references people
        )
    """)
    op.execute("create index sign_on_links_person on sign_on_links (workspace_id, person_id)")
    op.execute("""
        create table sign_on_questions (
            workspace_id uuid not null references workspaces,
            id uuid not null,
            sign_on_id uuid not null,
            browser_hash bytea not null,
            question bytea not null,
            person_id uuid,
            expires_at timestamptz not null,
            primary key (workspace_id, id),
            foreign key (workspace_id, sign_on_id) references sign_ons on delete cascade
        )
    """)
    for table in TABLES:
        op.execute(f"alter table {table} enable row level security")
        op.execute(f"alter table {table} force row level security")
        op.execute(
            f"create policy own_workspace on {table} "
            "using (workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
        )
    for table in ("sign_ins", "tokens"):
        op.execute(f"alter table {table} add column strong boolean not null default false")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
