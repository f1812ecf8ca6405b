"""The addresses of records to which texts of a plan lead, as its runs have been told them."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "plan_address",
        sa.Column("plan_id", sa.Integer(), sa.ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("item", sa.BigInteger(), primary_key=True),
        sa.Column("address", sa.Text(), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("plan_address")
