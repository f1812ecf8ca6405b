"""What a verification has looked at besides the fields: keys, links from both sides, pages, and people who sign in."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("plan", sa.Column("key_spans", JSONB(), server_default="{}", nullable=False))
    op.add_column("verification", sa.Column("proof", JSONB(), server_default="{}", nullable=False))


def downgrade() -> None:
    op.drop_column("verification", "proof")
    op.drop_column("plan", "key_spans")
