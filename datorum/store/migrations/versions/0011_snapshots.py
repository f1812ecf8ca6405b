"""Snapshots of sites; the way that a site is reached, and what it is to be spared; when what was learnt was cleared."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("site", sa.Column("way", sa.Text(), server_default="rest", nullable=False))
    op.add_column("site", sa.Column("limits", JSONB(), server_default="{}", nullable=False))
    op.create_table(
        "snapshot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("record_type", sa.Text(), nullable=False),
        sa.Column("description_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("error", sa.Text(), server_default="", nullable=False),
        sa.Column("stop", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("records_read", sa.Integer(), server_default="0", nullable=False),
        sa.Column("records_on_site", sa.Integer(), nullable=True),
        sa.Column("totals", JSONB(), server_default="[]", nullable=False),
        sa.Column("reading", sa.Integer(), server_default="1", nullable=False),
        sa.Column("newest", sa.Text(), nullable=True),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("began_with", sa.Integer(), server_default="0", nullable=False),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("as_of", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_snapshot"),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name="fk_snapshot_site_id", ondelete="CASCADE"),
        sa.ForeignKeyConstraint(
            ["description_id"], ["site_description.id"], name="fk_snapshot_description_id", ondelete="CASCADE"
        ),
    )
    op.create_index("ix_snapshot_site_id", "snapshot", ["site_id", "record_type"])
    op.create_table(
        "snapshot_chunk",
        sa.Column("snapshot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("records", sa.Integer(), nullable=False),
        sa.Column("mark", sa.Text(), nullable=True),
        sa.Column("parquet", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("snapshot_id", "number", name="pk_snapshot_chunk"),
        sa.ForeignKeyConstraint(
            ["snapshot_id"], ["snapshot.id"], name="fk_snapshot_chunk_snapshot_id", ondelete="CASCADE"
        ),
    )
    op.create_table(
        "learning_cleared",
        sa.Column("record_type", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("record_type", name="pk_learning_cleared"),
    )


def downgrade() -> None:
    op.drop_table("learning_cleared")
    op.drop_table("snapshot_chunk")
    op.drop_table("snapshot")
    op.drop_column("site", "limits")
    op.drop_column("site", "way")
