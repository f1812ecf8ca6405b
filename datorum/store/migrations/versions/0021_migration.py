"""Migrations: several imports to one site, the sheets that were dropped for them, how the references of each fared, and
what a plan awaits of other imports."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "migration",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("held_most", sa.Float(), server_default="2", nullable=False),
        sa.Column("going_to", sa.Text(), nullable=True),
        sa.Column("going_by", sa.Text(), server_default="", nullable=False),
        sa.Column("going_since", sa.DateTime(timezone=True), nullable=True),
        sa.Column("agreed", JSONB(), server_default="[]", nullable=False),
        sa.Column("stopped", sa.Text(), server_default="", nullable=False),
        sa.Column("created_by", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_table(
        "dropped_sheet",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "migration_id", sa.Integer(), sa.ForeignKey("migration.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("sheet_id", sa.Integer(), sa.ForeignKey("sheet.id"), nullable=False),
        sa.Column("guesses", JSONB(), nullable=False),
        sa.Column("import_id", sa.Integer(), sa.ForeignKey("import.id", ondelete="SET NULL"), nullable=True),
        sa.Column("role", sa.Text(), server_default="", nullable=False),
    )
    op.create_table(
        "awaited",
        sa.Column("plan_id", sa.Integer(), sa.ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("item", sa.BigInteger(), primary_key=True),
        sa.Column("import_id", sa.Integer(), sa.ForeignKey("import.id", ondelete="CASCADE"), nullable=False),
        sa.Column("of_item", sa.BigInteger(), nullable=False),
    )
    op.add_column("import", sa.Column("migration_id", sa.Integer(), nullable=True))
    op.create_foreign_key(None, "import", "migration", ["migration_id"], ["id"], ondelete="SET NULL")
    op.create_index(None, "import", ["migration_id"])
    op.execute(
        """CREATE FUNCTION tell_migration() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN PERFORM pg_notify('datorum_migration', (coalesce(NEW.id, OLD.id))::text); RETURN NULL; END $$"""
    )
    op.execute(
        "CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON migration"
        " FOR EACH ROW EXECUTE FUNCTION tell_migration()"
    )
    op.add_column("snapshot", sa.Column("content", sa.Text(), server_default="", nullable=False))
    op.add_column("check_result", sa.Column("links", JSONB(), server_default="[]", nullable=False))


def downgrade() -> None:
    op.drop_column("check_result", "links")
    op.drop_column("snapshot", "content")
    op.drop_column("import", "migration_id")
    op.drop_table("awaited")
    op.drop_table("dropped_sheet")
    op.drop_table("migration")
    op.execute("DROP FUNCTION tell_migration()")
