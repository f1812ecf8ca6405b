"""The audit log is chained by hashes, so that an entry that was removed or altered shows."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "audit_seal",
        sa.Column("number", sa.BigInteger(), primary_key=True, autoincrement=False),
        sa.Column("audit_id", sa.BigInteger(), nullable=False, unique=True),
        sa.Column("hash", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("audit_seal")
