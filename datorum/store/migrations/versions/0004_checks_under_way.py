"""Checks that a worker has under way: how far each is, and whether it is to stop."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "checking",
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("rows_done", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("stop", sa.Boolean(), nullable=False, server_default="false"),
        sa.Column("error", sa.Text(), nullable=False, server_default=""),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_checking_import_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("import_id", name=op.f("pk_checking")),
    )


def downgrade() -> None:
    op.drop_table("checking")
