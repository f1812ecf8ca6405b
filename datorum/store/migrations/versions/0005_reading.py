"""Files that are being read: how far each is, and whether it is to stop."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "reading",
        sa.Column("id", sa.Text(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("rows_done", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("share", sa.Float(), nullable=True),
        sa.Column("stop", sa.Boolean(), nullable=False, server_default="false"),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reading")),
    )


def downgrade() -> None:
    op.drop_table("reading")
