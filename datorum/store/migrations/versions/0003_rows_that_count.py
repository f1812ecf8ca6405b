"""Rows corrected and left out by hand, findings accepted, rules added, mappings and value tables kept by name."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # What was kept before is one reading away: a chunk without rows is filled in when its sheet is read again.
    op.add_column("chunk", sa.Column("first_row", sa.BigInteger(), nullable=False, server_default="0"))
    op.add_column("chunk", sa.Column("last_row", sa.BigInteger(), nullable=False, server_default="9223372036854775807"))
    op.add_column("import", sa.Column("revision", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("check_result", sa.Column("revision", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("check_result", sa.Column("left_out", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("check_result", sa.Column("basis", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.add_column("finding", sa.Column("accepted", sa.Boolean(), nullable=False, server_default="false"))
    op.add_column("plan", sa.Column("revision", sa.Integer(), nullable=False, server_default="0"))
    op.create_table(
        "correction",
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("column", sa.Text(), nullable=False),
        sa.Column("value", sa.Text(), nullable=True),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_correction_import_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("import_id", "row", "column", name=op.f("pk_correction")),
    )
    op.create_table(
        "left_out_row",
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("out", sa.Boolean(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["import_id"], ["import.id"], name=op.f("fk_left_out_row_import_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("import_id", "row", name=op.f("pk_left_out_row")),
    )
    op.create_table(
        "left_out_of_check",
        sa.Column("check_id", sa.Integer(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["check_id"], ["check_result.id"], name=op.f("fk_left_out_of_check_check_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("check_id", "row", name=op.f("pk_left_out_of_check")),
    )
    op.create_table(
        "acceptance",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("rule", sa.Text(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=True),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_acceptance_import_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_acceptance")),
    )
    op.create_index(op.f("ix_acceptance_import_id"), "acceptance", ["import_id"])
    op.create_table(
        "site_rule",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("record_type", sa.Text(), nullable=False),
        sa.Column("formula", sa.Text(), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("blocks", sa.Boolean(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_site_rule_site_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site_rule")),
    )
    op.create_index("ix_site_rule_site_id", "site_rule", ["site_id", "record_type"])
    op.create_table(
        "library",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("record_type", sa.Text(), nullable=False),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_library")),
        sa.UniqueConstraint("kind", "name", name=op.f("uq_library_kind")),
    )


def downgrade() -> None:
    op.drop_table("library")
    op.drop_table("site_rule")
    op.drop_table("acceptance")
    op.drop_table("left_out_of_check")
    op.drop_table("left_out_row")
    op.drop_table("correction")
    op.drop_column("plan", "revision")
    op.drop_column("finding", "accepted")
    op.drop_column("check_result", "basis")
    op.drop_column("check_result", "left_out")
    op.drop_column("check_result", "revision")
    op.drop_column("import", "revision")
    op.drop_column("chunk", "last_row")
    op.drop_column("chunk", "first_row")
