"""How long a holder keeps what happened, and which of the oldest events are in files elsewhere."""

from alembic import op

revision = "0045"
down_revision = "0044"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """
        alter table workspaces
            add column keep_events_days integer not null default 0,
            add column keep_activity_days integer not null default 400,
            add column keep_readings_days integer not null default 0
        """
    )
    op.execute(
        """
        alter table seals
            add column archived bigint not null default 0,
            add column archived_link text,
            add constraint seals_archived check (archived <= grown and (archived = 0) = (archived_link is null))
        """
    )
    # What is in a file elsewhere can be cleared, by the owner of the tables: the login of the service may delete none.
    op.execute(
        """
        create or replace function events_stand() returns trigger language plpgsql as $$
        begin
            if tg_op = 'DELETE' and old.number is not null
                and old.number <= (select archived from seals where workspace_id = old.workspace_id)
            then
                return old;
            end if;
            if tg_op = 'DELETE' or old.number is not null or new.content is distinct from old.content then
                raise exception 'the log is append-only' using errcode = 'integrity_constraint_violation';
            end if;
            return new;
        end $$
        """
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
