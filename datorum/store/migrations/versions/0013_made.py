"""Records of other types that a plan makes first, and those that are put right at its end."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("plan", sa.Column("made", postgresql.JSONB(), server_default="{}", nullable=False))
    op.add_column("plan", sa.Column("put_right", sa.Integer(), server_default="0", nullable=False))
    op.add_column("plan_row", sa.Column("of_row", sa.BigInteger(), nullable=True))
    op.add_column("plan_row", sa.Column("record_type", sa.Text(), server_default="", nullable=False))


def downgrade() -> None:
    op.drop_column("plan_row", "record_type")
    op.drop_column("plan_row", "of_row")
    op.drop_column("plan", "put_right")
    op.drop_column("plan", "made")
