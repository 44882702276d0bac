"""How many entries a round left out, since more were in its scope than anybody can answer."""

from alembic import op

revision = "0046"
down_revision = "0045"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("alter table rounds add column left_out integer not null default 0")


def downgrade() -> None:
    raise NotImplementedError("There is no way back to an older database; restore a backup.")
