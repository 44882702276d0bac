"""The first schema: workspaces, people, the inventory, flags, orders, the log, and the queue."""

from pathlib import Path
from typing import Any

from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

TABLES = """
create table workspaces (
    workspace_id uuid primary key,
    slug text not null constraint workspaces_slug unique,
    name text not null,
    zone text not null,
    circle_domains text[] not null,
    unused_days integer not null check (unused_days > 0),
    created_at timestamptz not null
);

create table people (
    workspace_id uuid not null references workspaces, id uuid not null,
    name text not null,
    address text not null,
    role text not null,
    password_hash text not null,
    created_at timestamptz not null,
    primary key (workspace_id, id),
    constraint people_address unique (workspace_id, address)
);

create table sign_ins (
    workspace_id uuid not null, id uuid not null,
    person_id uuid not null,
    secret_hash bytea not null,
    created_at timestamptz not null,
    expires_at timestamptz not null,
    primary key (workspace_id, id),
    foreign key (workspace_id, person_id) references people on delete cascade
);

create table tokens (
    workspace_id uuid not null, id uuid not null,
    person_id uuid not null,
    name text not null,
    secret_hash bytea not null,
    scope text not null,
    created_at timestamptz not null,
    expires_at timestamptz not null,
    last_used_at timestamptz,
    revoked_at timestamptz,
    primary key (workspace_id, id),
    foreign key (workspace_id, person_id) references people on delete cascade
);

create table failed_sign_ins (
    workspace_id uuid not null references workspaces, id uuid not null,
    address text not null,
    at timestamptz not null,
    primary key (workspace_id, id)
);
create index failed_sign_ins_recent on failed_sign_ins (workspace_id, address, at);

create table providers (
    workspace_id uuid not null references workspaces, id uuid not null,
    name text not null,
    connector text not null,
    settings jsonb not null,
    secret bytea not null,
    read_every integer not null check (read_every > 0),
    stale_after integer not null check (stale_after > 0),
    abilities jsonb not null,
    last_complete timestamptz,
    next_reading timestamptz,
    primary key (workspace_id, id),
    constraint providers_name unique (workspace_id, name)
);

create table accounts (
    workspace_id uuid not null, id uuid not null,
    ref text not null,
    provider_id uuid not null,
    key text not null,
    name text not null,
    criticality text not null,
    practice boolean not null,
    version integer not null,
    primary key (workspace_id, id),
    constraint accounts_key unique (workspace_id, provider_id, key),
    foreign key (workspace_id, provider_id) references providers
);

create table parties (
    workspace_id uuid not null references workspaces, id uuid not null,
    ref text not null,
    kind text not null,
    name text not null,
    addresses text[] not null,
    status text not null,
    verified boolean not null,
    version integer not null,
    primary key (workspace_id, id)
);

create index accounts_ref on accounts (workspace_id, ref);
create index accounts_name on accounts (workspace_id, lower(name));
create index parties_ref on parties (workspace_id, ref);

create table identifiers (
    workspace_id uuid not null,
    scheme text not null,
    value text not null,
    party_id uuid not null,
    primary key (workspace_id, scheme, value),
    foreign key (workspace_id, party_id) references parties
);
create index identifiers_party on identifiers (workspace_id, party_id);

create table entries (
    workspace_id uuid not null, id uuid not null,
    ref text not null,
    provider_id uuid not null,
    account_id uuid not null,
    party_id uuid not null,
    key text not null,
    kind text not null,
    level text not null,
    powers text[] not null,
    state text not null,
    end_reason text,
    permissions text[] not null,
    resources text[] not null,
    given_at timestamptz,
    given_by text not null,
    accepted_at timestamptz,
    last_used timestamptz,
    use_known boolean not null,
    used_powers text[],
    ends_at timestamptz,
    end_unknown boolean not null,
    reviewed_at timestamptz[] not null,
    basis text not null,
    hangs_on text,
    dependencies jsonb not null,
    device text not null,
    network text not null,
    first_seen timestamptz,
    last_seen timestamptz,
    ended_at timestamptz,
    version integer not null,
    severity smallint not null,
    outside boolean not null,
    primary key (workspace_id, id),
    foreign key (workspace_id, provider_id) references providers,
    foreign key (workspace_id, account_id) references accounts,
    foreign key (workspace_id, party_id) references parties,
    constraint entries_ended check ((state = 'ended') = (end_reason is not null))
);
create unique index entries_standing_key on entries (workspace_id, provider_id, key) where state <> 'ended';
create index entries_ref on entries (workspace_id, ref);
create index entries_account on entries (workspace_id, account_id);
create index entries_party on entries (workspace_id, party_id);
create index entries_severity on entries (workspace_id, severity desc, id);

create table readings (
    workspace_id uuid not null, id uuid not null,
    provider_id uuid not null,
    state text not null,
    asked_by text not null,
    asked_at timestamptz not null,
    finished_at timestamptz,
    seen integer not null,
    total integer,
    counts jsonb not null,
    trouble text not null,
    primary key (workspace_id, id),
    foreign key (workspace_id, provider_id) references providers
);
create unique index readings_one_open on readings (workspace_id, provider_id) where state in ('queued', 'running');
create index readings_provider on readings (workspace_id, provider_id, id);

create table flags (
    workspace_id uuid not null, id uuid not null,
    rule text not null,
    entry_id uuid not null,
    severity text not null,
    facts jsonb not null,
    reason text not null,
    clears text not null,
    raised_at timestamptz not null,
    cleared_at timestamptz,
    primary key (workspace_id, id),
    foreign key (workspace_id, entry_id) references entries
);
create unique index flags_one_standing on flags (workspace_id, entry_id, rule) where cleared_at is null;

create table orders (
    workspace_id uuid not null, id uuid not null,
    ref text not null,
    entry_id uuid not null,
    action text not null,
    state text not null,
    plan jsonb not null,
    steps jsonb not null,
    reason text not null,
    ordered_by text not null,
    ordered_at timestamptz not null,
    idempotency_key text not null,
    entry_state text not null,
    attempts integer not null,
    why text not null,
    again_at timestamptz,
    finished_at timestamptz,
    receipt jsonb,
    version integer not null,
    primary key (workspace_id, id),
    foreign key (workspace_id, entry_id) references entries,
    constraint orders_proved check ((state = 'proved') = (receipt is not null))
);
create unique index orders_one_open on orders (workspace_id, entry_id) where state not in ('proved', 'cancelled');
create index orders_ref on orders (workspace_id, ref);

create table events (
    workspace_id uuid not null references workspaces, id uuid not null,
    at timestamptz not null,
    actor text not null,
    act text not null,
    subject text not null,
    subject_id uuid not null,
    content jsonb not null,
    number bigint,
    link text,
    -- Which transaction wrote it: the sealer takes only what no running transaction can still precede.
    written_by xid8 not null default pg_current_xact_id(),
    primary key (workspace_id, id),
    constraint events_number unique (workspace_id, number),
    constraint events_sealed check ((number is null) = (link is null))
);
create index events_unsealed on events (workspace_id) where number is null;
create index events_subject on events (workspace_id, subject_id, number);

create table seals (
    workspace_id uuid primary key references workspaces,
    size bigint not null,
    link text not null,
    sealed_at timestamptz not null
);

create table replies (
    workspace_id uuid not null,
    person_id uuid not null,
    key text not null,
    fingerprint text not null,
    status integer not null,
    body text not null,
    created_at timestamptz not null,
    primary key (workspace_id, person_id, key),
    foreign key (workspace_id, person_id) references people on delete cascade
);

-- A sealed event is never altered and nothing sealed or unsealed is ever taken out of the log.
create function events_stand() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' or old.number is not null or new.content is distinct from old.content then
        raise exception 'the log is append-only' using errcode = 'integrity_constraint_violation';
    end if;
    return new;
end $$;
create trigger events_stand before update or delete on events for each row execute function events_stand();
"""

OWNED = (
    *("workspaces", "people", "sign_ins", "tokens", "failed_sign_ins", "providers", "accounts", "parties"),
    *("identifiers", "entries", "readings", "flags", "orders", "events", "seals", "replies"),
)


def upgrade() -> None:
    raw: Any = op.get_bind().connection.driver_connection
    # Through the driver itself: the queue's functions hold percent signs that a statement would take for parameters.
    with raw.cursor() as cursor:
        cursor.execute(TABLES)
        for table in OWNED:
            cursor.execute(f"alter table {table} enable row level security")
            cursor.execute(f"alter table {table} force row level security")
            cursor.execute(
                f"create policy own_workspace on {table} using "
                "(workspace_id = nullif(current_setting('openlatch.workspace', true), '')::uuid)"
            )
        # To find a workspace by its name before anybody is signed in, and for housekeeping over all of them.
        cursor.execute(
            "create policy by_slug on workspaces for select "
            "using (slug = nullif(current_setting('openlatch.slug', true), ''))"
        )
        for table in ("workspaces", "events", "providers"):
            cursor.execute(
                f"create policy housekeeping on {table} for select "
                "using (current_setting('openlatch.housekeeping', true) = 'on')"
            )
        cursor.execute((Path(__file__).parents[1] / "procrastinate_3_10.sql").read_text())
