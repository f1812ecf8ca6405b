"""The list of imports asks for the last change of each."""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_audit_subject_id", "audit", ["subject", "id"])


def downgrade() -> None:
    op.drop_index("ix_audit_subject_id", "audit")
