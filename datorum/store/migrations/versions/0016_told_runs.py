"""What happens in a run, how fast it goes and how far each of its parts is; whoever looks at an import is told when
anything of it changes."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

_OF_IMPORT = {
    "import": "NEW.id",
    "plan": "NEW.import_id",
    "check_result": "NEW.import_id",
    "checking": "coalesce(NEW.import_id, OLD.import_id)",
    "mapping_version": "NEW.import_id",
    "run": "(SELECT import_id FROM plan WHERE id = NEW.plan_id)",
    "run_event": "(SELECT p.import_id FROM run r JOIN plan p ON p.id = r.plan_id WHERE r.id = NEW.run_id)",
    "verification": "(SELECT p.import_id FROM run r JOIN plan p ON p.id = r.plan_id WHERE r.id = NEW.run_id)",
}
"""How the import is found that a row of each table is of."""


def upgrade() -> None:
    run = "run.id"
    op.create_table(
        "run_event",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("run_id", sa.Integer(), sa.ForeignKey(run, ondelete="CASCADE"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False),
        sa.Column("mark", sa.Text(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
    )
    op.create_index("ix_run_event_run_id", "run_event", ["run_id", "id"])
    op.create_table(
        "run_point",
        sa.Column("run_id", sa.Integer(), sa.ForeignKey(run, ondelete="CASCADE"), primary_key=True),
        sa.Column("turn_id", sa.Integer(), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), primary_key=True),
        sa.Column("answered", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("response_ms", sa.Float(), nullable=False),
    )
    op.create_table(
        "run_part",
        sa.Column("run_id", sa.Integer(), sa.ForeignKey(run, ondelete="CASCADE"), primary_key=True),
        sa.Column("record_type", sa.Text(), primary_key=True),
        sa.Column("action", sa.Text(), primary_key=True),
        sa.Column("total", sa.Integer(), server_default="0", nullable=False),
        sa.Column("done", sa.Integer(), server_default="0", nullable=False),
        sa.Column("failed", sa.Integer(), server_default="0", nullable=False),
    )
    op.execute(
        """INSERT INTO run_part (run_id, record_type, action, total, done, failed)
        SELECT r.id, i.record_type, i.action, count(*), count(*) FILTER (WHERE i.state = 'done'),
            count(*) FILTER (WHERE i.state = 'failed')
        FROM run r JOIN plan_item i ON i.plan_id = r.plan_id WHERE i.state <> 'none'
        GROUP BY r.id, i.record_type, i.action"""
    )
    op.add_column("snapshot", sa.Column("downloaded_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("plan_item", sa.Column("took_ms", sa.Integer(), nullable=True))
    op.create_index("ix_plan_item_ended", "plan_item", ["run_id", "ended_at"],
                    postgresql_where=sa.text("ended_at IS NOT NULL"))  # fmt: skip
    for table, found in _OF_IMPORT.items():
        op.execute(
            f"""CREATE FUNCTION tell_{table}() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN PERFORM pg_notify('datorum_import', ({found})::text); RETURN NULL; END $$"""
        )
        when = "INSERT OR UPDATE" + (" OR DELETE" if table == "checking" else "")
        op.execute(f"""CREATE TRIGGER tell AFTER {when} ON "{table}" FOR EACH ROW EXECUTE FUNCTION tell_{table}()""")


def downgrade() -> None:
    for table in _OF_IMPORT:
        op.execute(f'DROP TRIGGER tell ON "{table}"')
        op.execute(f"DROP FUNCTION tell_{table}()")
    op.drop_index("ix_plan_item_ended", "plan_item")
    op.drop_column("plan_item", "took_ms")
    op.drop_column("snapshot", "downloaded_at")
    for table in ("run_part", "run_point", "run_event"):
        op.drop_table(table)
