"""Sheets belong to sources of a site; an import draws on them in roles, and findings and corrections know in which."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "source",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_index("ix_source_site_id", "source", ["site_id"])
    op.create_table(
        "drawn_sheet",
        sa.Column("import_id", sa.Integer(), sa.ForeignKey("import.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("role", sa.Text(), primary_key=True),
        sa.Column("sheet_id", sa.Integer(), sa.ForeignKey("sheet.id"), nullable=False),
    )
    op.create_index("ix_drawn_sheet_sheet_id", "drawn_sheet", ["sheet_id"])
    # Every original was of one import; each becomes a source of that import's site, of the same number.
    op.execute(
        """INSERT INTO source (id, site_id, name, by, at)
        SELECT original.id, import.site_id, original.filename, import.created_by, import.created_at
        FROM original JOIN import ON import.id = original.import_id"""
    )
    op.execute(
        "SELECT setval(pg_get_serial_sequence('source', 'id'), (SELECT coalesce(max(id), 0) + 1 FROM source), false)"
    )
    op.add_column("original", sa.Column("source_id", sa.Integer(), nullable=True))
    op.execute("UPDATE original SET source_id = id")
    op.alter_column("original", "source_id", nullable=False)
    op.create_foreign_key("fk_original_source_id", "original", "source", ["source_id"], ["id"], ondelete="CASCADE")
    op.create_index("ix_original_source_id", "original", ["source_id"])
    op.execute(
        """INSERT INTO drawn_sheet (import_id, role, sheet_id)
        SELECT import_id, role, max(id) FROM sheet GROUP BY import_id, role"""
    )
    op.drop_column("sheet", "role")
    op.drop_column("sheet", "import_id")
    op.drop_column("original", "import_id")
    op.create_index("ix_sheet_original_id", "sheet", ["original_id"])
    op.add_column("correction", sa.Column("role", sa.Text(), server_default="", nullable=False))
    op.drop_constraint("pk_correction", "correction")
    op.create_primary_key("pk_correction", "correction", ["import_id", "role", "row", "column"])
    op.add_column("finding", sa.Column("sheet", sa.Text(), server_default="", nullable=False))


def downgrade() -> None:
    op.drop_column("finding", "sheet")
    op.execute("DELETE FROM correction WHERE role <> ''")
    op.drop_constraint("pk_correction", "correction")
    op.drop_column("correction", "role")
    op.create_primary_key("pk_correction", "correction", ["import_id", "row", "column"])
    op.drop_index("ix_sheet_original_id", table_name="sheet")
    for table in ("original", "sheet"):
        op.add_column(table, sa.Column("import_id", sa.Integer(), nullable=True))
    op.add_column("sheet", sa.Column("role", sa.Text(), server_default="", nullable=False))
    # A sheet that several imports draw on stays with one of them.
    op.execute(
        """UPDATE sheet SET import_id = drawn_sheet.import_id, role = drawn_sheet.role
        FROM drawn_sheet WHERE drawn_sheet.sheet_id = sheet.id"""
    )
    op.execute("DELETE FROM sheet WHERE import_id IS NULL")
    op.execute("""UPDATE original SET import_id = sheet.import_id FROM sheet WHERE sheet.original_id = original.id""")
    op.execute("DELETE FROM original WHERE import_id IS NULL")
    for table in ("original", "sheet"):
        op.alter_column(table, "import_id", nullable=False)
        op.create_foreign_key(f"fk_{table}_import_id", table, "import", ["import_id"], ["id"], ondelete="CASCADE")
        op.create_index(f"ix_{table}_import_id", table, ["import_id"])
    op.drop_column("original", "source_id")
    op.drop_table("drawn_sheet")
    op.drop_table("source")
