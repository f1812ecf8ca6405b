"""Originals in parts, so that no file need fit into memory; what else a file offers, and how sure its dialect is."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "original_part",
        sa.Column("original_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["original_id"], ["original.id"], name=op.f("fk_original_part_original_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("original_id", "number", name=op.f("pk_original_part")),
    )
    # What is packed already is not packed again.
    op.execute("ALTER TABLE original_part ALTER COLUMN data SET STORAGE EXTERNAL")
    op.execute("ALTER TABLE chunk ALTER COLUMN parquet SET STORAGE EXTERNAL")
    op.execute("INSERT INTO original_part (original_id, number, data) SELECT id, 0, data FROM original")
    op.drop_column("original", "data")
    op.add_column("sheet", sa.Column("offered", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.add_column("sheet", sa.Column("attachments", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.add_column("sheet", sa.Column("confidence", sa.Double(), nullable=False, server_default="1"))


def downgrade() -> None:
    op.drop_column("sheet", "confidence")
    op.drop_column("sheet", "attachments")
    op.drop_column("sheet", "offered")
    op.add_column("original", sa.Column("data", sa.LargeBinary(), nullable=False, server_default=""))
    op.execute(
        "UPDATE original SET data = (SELECT string_agg(data, ''::bytea ORDER BY number) FROM original_part"
        " WHERE original_id = original.id)"
    )
    op.drop_table("original_part")
