"""The first tables, and those of the job queue"""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "audit",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.Column("person", sa.Text(), nullable=False),
        sa.Column("action", sa.Text(), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.Column("detail", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit")),
    )
    op.create_index("ix_audit_action_at", "audit", ["action", "at"], unique=False)
    op.create_table(
        "person",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("password_hash", sa.Text(), nullable=False),
        sa.Column("role", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("name", name=op.f("uq_person_name")),
    )
    op.create_table(
        "site",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("sealed_token", sa.LargeBinary(), nullable=False),
        sa.Column("description", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("described_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site")),
        sa.UniqueConstraint("name", name=op.f("uq_site_name")),
    )
    op.create_table(
        "import",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("record_type", sa.Text(), nullable=False),
        sa.Column("policy", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_by", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_import_site_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_import")),
    )
    op.create_table(
        "sign_in",
        sa.Column("token_digest", sa.LargeBinary(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("csrf", sa.Text(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_sign_in_person_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("token_digest", name=op.f("pk_sign_in")),
    )
    op.create_table(
        "mapping_version",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_by", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["import_id"], ["import.id"], name=op.f("fk_mapping_version_import_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mapping_version")),
        sa.UniqueConstraint("import_id", "version", name=op.f("uq_mapping_version_import_id")),
    )
    op.create_table(
        "original",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("filename", sa.Text(), nullable=False),
        sa.Column("sha256", sa.Text(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_original_import_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_original")),
    )
    op.create_index(op.f("ix_original_import_id"), "original", ["import_id"], unique=False)
    op.create_table(
        "sheet",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("original_id", sa.Integer(), nullable=False),
        sa.Column("dialect", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("headers", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("notes", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("flags", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("blank_lines", sa.Integer(), nullable=False),
        sa.Column("profiles", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_sheet_import_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(
            ["original_id"], ["original.id"], name=op.f("fk_sheet_original_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sheet")),
    )
    op.create_index(op.f("ix_sheet_import_id"), "sheet", ["import_id"], unique=False)
    op.create_table(
        "check_result",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("sheet_id", sa.Integer(), nullable=False),
        sa.Column("mapping_version", sa.Integer(), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("ready", sa.Integer(), nullable=False),
        sa.Column("held", sa.Integer(), nullable=False),
        sa.Column("warned", sa.Integer(), nullable=False),
        sa.Column("groups", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["import_id"], ["import.id"], name=op.f("fk_check_result_import_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["sheet_id"], ["sheet.id"], name=op.f("fk_check_result_sheet_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_check_result")),
    )
    op.create_index(op.f("ix_check_result_import_id"), "check_result", ["import_id"], unique=False)
    op.create_table(
        "chunk",
        sa.Column("sheet_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("parquet", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["sheet_id"], ["sheet.id"], name=op.f("fk_chunk_sheet_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("sheet_id", "number", name=op.f("pk_chunk")),
    )
    op.create_table(
        "plan",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("import_id", sa.Integer(), nullable=False),
        sa.Column("sheet_id", sa.Integer(), nullable=False),
        sa.Column("mapping_version", sa.Integer(), nullable=False),
        sa.Column("policy", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("error", sa.Text(), nullable=False),
        sa.Column("records_read", sa.Integer(), nullable=False),
        sa.Column("records_on_site", sa.Integer(), nullable=True),
        sa.Column("counts", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("changed_fields", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_by", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("snapshot_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_plan_import_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["sheet_id"], ["sheet.id"], name=op.f("fk_plan_sheet_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan")),
    )
    op.create_index(op.f("ix_plan_import_id"), "plan", ["import_id"], unique=False)
    op.create_table(
        "finding",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("check_id", sa.Integer(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("rule", sa.Text(), nullable=False),
        sa.Column("blocks", sa.Boolean(), nullable=False),
        sa.Column("value", sa.Text(), nullable=True),
        sa.Column("message", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["check_id"], ["check_result.id"], name=op.f("fk_finding_check_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_finding")),
    )
    op.create_index("ix_finding_group", "finding", ["check_id", "field", "rule"], unique=False)
    op.create_index("ix_finding_row", "finding", ["check_id", "row"], unique=False)
    op.create_table(
        "plan_row",
        sa.Column("plan_id", sa.Integer(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("action", sa.Text(), nullable=False),
        sa.Column("key", sa.Text(), nullable=True),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("record_id", sa.Text(), nullable=True),
        sa.Column("etag", sa.Text(), nullable=True),
        sa.Column("page", sa.Text(), nullable=True),
        sa.Column("changes", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("on_site", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("message", sa.Text(), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_plan_row_plan_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("plan_id", "row", name=op.f("pk_plan_row")),
    )
    op.create_index("ix_plan_row_action", "plan_row", ["plan_id", "action", "row"], unique=False)
    op.create_index(
        "ix_plan_row_pending", "plan_row", ["plan_id", "row"], postgresql_where=sa.text("state = 'pending'")
    )
    op.create_index("ix_plan_row_state", "plan_row", ["plan_id", "state"], unique=False)
    op.create_table(
        "run",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plan_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("error", sa.Text(), nullable=False),
        sa.Column("started_by", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("rate", sa.Double(), nullable=False),
        sa.Column("response_ms", sa.Double(), nullable=False),
        sa.Column("concurrency", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_run_plan_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        sa.UniqueConstraint("plan_id", name=op.f("uq_run_plan_id")),
    )
    op.create_table(
        "verification",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("error", sa.Text(), nullable=False),
        sa.Column("records_read", sa.Integer(), nullable=False),
        sa.Column("records_on_site", sa.Integer(), nullable=True),
        sa.Column("compared", sa.Integer(), nullable=False),
        sa.Column("fields_compared", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_verification_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_verification")),
    )
    op.create_index(op.f("ix_verification_run_id"), "verification", ["run_id"], unique=False)
    op.create_table(
        "mismatch",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("verification_id", sa.Integer(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("record_id", sa.Text(), nullable=True),
        sa.Column("key", sa.Text(), nullable=True),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("sent", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("found", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(
            ["verification_id"], ["verification.id"], name=op.f("fk_mismatch_verification_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mismatch")),
    )
    op.create_index(op.f("ix_mismatch_verification_id"), "mismatch", ["verification_id"], unique=False)
    # The queue's own schema, as its package ships it; the driver is asked directly, since it has percent signs.
    raw = op.get_bind().connection.driver_connection
    raw.execute(SchemaManager.get_schema())
