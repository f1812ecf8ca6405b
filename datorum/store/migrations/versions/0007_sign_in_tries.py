"""Tries to sign in, by person and address."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sign_in_try",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("good", sa.Boolean(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.clock_timestamp()),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_try")),
    )
    op.create_index("ix_sign_in_try_name", "sign_in_try", ["name", "at"])
    op.create_index("ix_sign_in_try_address", "sign_in_try", ["address", "at"])


def downgrade() -> None:
    op.drop_table("sign_in_try")
