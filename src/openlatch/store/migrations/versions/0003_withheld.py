"""How much may vanish in one reading, and readings that ask whether it really did."""

from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        "alter table providers add column most_gone integer not null default 30 check (most_gone between 1 and 100)"
    )
    op.execute(
        "alter table readings add column accept_loss boolean not null default false, "
        "add column withheld integer not null default 0"
    )
