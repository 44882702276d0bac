"""What a mail server has not taken yet is measured too: a letter that waits to be tried again is not due."""

from alembic import op

revision = "0047"
down_revision = "0046"
branch_labels = None
depends_on = None

WAITING = "from notices where sent_at is null and due_at <= now"
FAILING = (
    " union all select 'letters_failing', '', count(*) from notices "
    "where sent_at is null and due_at is not null and attempts > 0"
)


def upgrade() -> None:
    database = op.get_bind()
    written = "select pg_get_functiondef('openlatch_measured_each(timestamptz, interval)'::regprocedure)"
    function = str(database.exec_driver_sql(written).scalar())
    if WAITING not in function:
        raise RuntimeError("openlatch_measured_each is not as this migration knows it")
    database.exec_driver_sql(function.replace(WAITING, WAITING + FAILING))


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
