"""Files that values name: what an import or a migration was given of them, and their contents, each once."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "file_content",
        sa.Column("sha256", sa.Text(), primary_key=True),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("media", sa.Text(), nullable=False),
    )
    op.create_table(
        "file_content_part",
        sa.Column("sha256", sa.Text(), sa.ForeignKey("file_content.sha256", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "named_file",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("import_id", sa.Integer(), sa.ForeignKey("import.id", ondelete="CASCADE"), nullable=True),
        sa.Column("migration_id", sa.Integer(), sa.ForeignKey("migration.id", ondelete="CASCADE"), nullable=True),
        sa.Column("came_by", sa.Text(), nullable=False),
        sa.Column("came_in", sa.Text(), server_default="", nullable=False),
        sa.Column("sha256", sa.Text(), sa.ForeignKey("file_content.sha256"), nullable=True, index=True),
        sa.Column("problem", sa.Text(), server_default="", nullable=False),
    )
    op.create_index(None, "named_file", ["import_id", "came_by"], unique=True)
    op.create_index(None, "named_file", ["migration_id", "came_by"], unique=True)
    op.add_column("plan", sa.Column("handed_in", sa.Integer(), server_default="0", nullable=False))


def downgrade() -> None:
    op.drop_column("plan", "handed_in")
    op.drop_table("named_file")
    op.drop_table("file_content_part")
    op.drop_table("file_content")
