"""What sites do to values by themselves, as far as somebody has accepted it."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "tolerance",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("record_type", sa.Text(), nullable=False),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("rule", sa.Text(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False),
        sa.UniqueConstraint("site_id", "record_type", "field", "rule", name="uq_tolerance_site_id"),
    )
    op.add_column("mismatch", sa.Column("rule", sa.Text(), server_default="", nullable=False))
    op.add_column("verification", sa.Column("tolerated", sa.Integer(), server_default="0", nullable=False))


def downgrade() -> None:
    op.drop_column("verification", "tolerated")
    op.drop_column("mismatch", "rule")
    op.drop_table("tolerance")
