"""Sheets in roles beside the main one of an import; findings that know their record and line; waves of plans."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("sheet", sa.Column("role", sa.Text(), server_default="", nullable=False))
    op.add_column("finding", sa.Column("record", sa.BigInteger(), nullable=True))
    op.add_column("finding", sa.Column("line", sa.Integer(), server_default="0", nullable=False))
    op.execute("UPDATE finding SET record = row")
    op.drop_index("ix_finding_row", table_name="finding")
    op.create_index("ix_finding_record", "finding", ["check_id", "record"])
    op.add_column("plan_row", sa.Column("wave", sa.Integer(), server_default="0", nullable=False))
    op.drop_index("ix_plan_row_pending", table_name="plan_row")
    op.create_index(
        "ix_plan_row_pending", "plan_row", ["plan_id", "wave", "row"], postgresql_where=sa.text("state = 'pending'")
    )


def downgrade() -> None:
    op.drop_index("ix_plan_row_pending", table_name="plan_row")
    op.create_index("ix_plan_row_pending", "plan_row", ["plan_id", "row"],
                    postgresql_where=sa.text("state = 'pending'"))  # fmt: skip
    op.drop_column("plan_row", "wave")
    op.drop_index("ix_finding_record", table_name="finding")
    op.create_index("ix_finding_row", "finding", ["check_id", "row"])
    op.drop_column("finding", "line")
    op.drop_column("finding", "record")
    op.drop_column("sheet", "role")
