"""Runs count what became of their rows, so that nobody who looks has to."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("done", "failed"):
        op.add_column("run", sa.Column(name, sa.Integer(), nullable=False, server_default="0"))
    op.execute(
        "UPDATE run SET (done, failed) = (SELECT count(*) FILTER (WHERE state = 'done'),"
        " count(*) FILTER (WHERE state = 'failed') FROM plan_row WHERE plan_row.plan_id = run.plan_id)"
    )


def downgrade() -> None:
    op.drop_column("run", "failed")
    op.drop_column("run", "done")
