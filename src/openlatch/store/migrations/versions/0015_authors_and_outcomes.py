"""Who ordered, offered and gave is kept by id; what came of things in batches and rounds by a word of its own.

Of what was stored before, the name of whoever did it is all that is known.
"""

from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

AUTHORS = (
    ("orders", "ordered_by_id"),
    ("batches", "ordered_by_id"),
    ("offers", "made_by_id"),
    ("entries", "given_by_id"),
)
GONE = "It had ended before its turn came."
CALLED_OFF = "cancelled before its turn came"


def upgrade() -> None:
    for table, column in AUTHORS:
        op.execute(f"alter table {table} add column {column} uuid")
    op.execute("alter table batch_items add column came_to text not null default ''")
    op.execute("alter table round_items add column gone boolean not null default false")
    for table in ("batch_items", "round_items"):
        # Row-level security keeps even the owner of the table from rows of workspaces.
        op.execute(f"alter table {table} no force row level security")
    came_to = f"case trouble when '{GONE}' then 'gone' when '{CALLED_OFF}' then 'cancelled' else 'refused' end"
    op.execute(f"update batch_items set came_to = {came_to} where trouble <> ''")
    op.execute(f"update round_items set gone = true where trouble = '{GONE}'")
    for table in ("batch_items", "round_items"):
        op.execute(f"alter table {table} force row level security")


def downgrade() -> None:
    for table, column in (*AUTHORS, ("batch_items", "came_to"), ("round_items", "gone")):
        op.execute(f"alter table {table} drop column {column}")
