"""A table that has grown much is known to the planner soon, and not when the database happens to look."""

from alembic import op

revision = "0044"
down_revision = "0043"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Only the owner of a table can have it looked at.
    op.execute(
        "create function openlatch_learn(many bigint) returns bigint language plpgsql security definer "
        "set search_path = public, pg_temp as $$ "
        "declare one name; done bigint := 0; "
        "begin "
        "for one in select s.relname from pg_stat_user_tables s join pg_class c on c.oid = s.relid "
        "where s.schemaname = 'public' and s.n_mod_since_analyze > many + greatest(c.reltuples, 0) / 2 "
        "and pg_get_userbyid(c.relowner) = current_user loop "
        "execute 'analyze (skip_locked) ' || quote_ident(one); done := done + 1; end loop; "
        "return done; end $$"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
