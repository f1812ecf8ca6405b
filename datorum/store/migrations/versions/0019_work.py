"""All work that is under way stands in one table, whatever it is: who looks is told of it, and it stops and fails in
one way."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None

_TABLES = ("plan", "snapshot", "verification")


def upgrade() -> None:
    op.create_table(
        "work",
        sa.Column("kind", sa.Text(), primary_key=True),
        sa.Column("subject", sa.Text(), primary_key=True),
        sa.Column("import_id", sa.Integer(), sa.ForeignKey("import.id", ondelete="CASCADE"), nullable=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=True),
        sa.Column("state", sa.Text(), server_default="waiting", nullable=False),
        sa.Column("done", sa.BigInteger(), server_default="0", nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=True),
        sa.Column("stop", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("error", sa.Text(), server_default="", nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("began_with", sa.BigInteger(), server_default="0", nullable=False),
    )
    op.add_column("plan", sa.Column("frozen_at", sa.DateTime(timezone=True), nullable=True))
    op.execute("UPDATE plan SET frozen_at = coalesce(snapshot_at, created_at) WHERE state = 'ready'")
    op.execute("UPDATE snapshot SET as_of = started_at WHERE state = 'ready' AND as_of IS NULL")
    op.execute("UPDATE verification SET ended_at = created_at WHERE state = 'done' AND ended_at IS NULL")
    op.execute(
        """INSERT INTO work (kind, subject, import_id, state, done, stop, error, by, began_at)
        SELECT 'check', import_id::text, import_id, CASE state WHEN 'checking' THEN 'waiting' ELSE state END, rows_done,
            stop, error, by, started_at FROM checking"""
    )
    op.execute(
        """INSERT INTO work (kind, subject, import_id, state, done, total, error, by)
        SELECT CASE p.kind WHEN 'undo' THEN 'undo' ELSE 'rehearse' END, p.id::text, p.import_id,
            CASE p.state WHEN 'reading' THEN 'waiting' ELSE p.state END,
            p.records_read, p.records_on_site, p.error, p.created_by FROM plan p WHERE p.state <> 'ready'"""
    )
    op.execute(
        """INSERT INTO work (kind, subject, site_id, state, done, total, stop, error, by, began_at, began_with)
        SELECT 'snapshot', s.id::text, s.site_id,
            CASE s.state WHEN 'reading' THEN 'waiting' ELSE s.state END, s.records_read, s.records_on_site, s.stop,
            s.error, s.by, s.began_at, s.began_with FROM snapshot s WHERE s.state <> 'ready'"""
    )
    op.execute(
        """INSERT INTO work (kind, subject, import_id, state, done, total, error, by)
        SELECT 'verify', v.id::text, p.import_id, CASE v.state WHEN 'reading' THEN 'waiting' ELSE v.state END,
            v.records_read, v.records_on_site, v.error, r.started_by
        FROM verification v JOIN run r ON r.id = v.run_id JOIN plan p ON p.id = r.plan_id WHERE v.state <> 'done'"""
    )
    op.drop_table("reading")
    op.drop_table("checking")
    op.execute("DROP FUNCTION tell_checking()")
    for table in _TABLES:
        op.drop_column(table, "state")
        op.drop_column(table, "error")
    for table, column in [
        ("plan", "records_on_site"), ("snapshot", "stop"), ("snapshot", "records_on_site"), ("snapshot", "began_at"),
        ("snapshot", "began_with"), ("verification", "records_read"),
    ]:  # fmt: skip
        op.drop_column(table, column)
    # What nothing is left of is worked on no more.
    op.execute(
        """CREATE FUNCTION forget_work() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN DELETE FROM work WHERE kind = ANY(TG_ARGV) AND subject = OLD.id::text; RETURN NULL; END $$"""
    )
    for table, kinds in {
        "plan": "'rehearse', 'undo', 'follow-up'",
        "snapshot": "'snapshot'",
        "verification": "'verify'",
    }.items():
        op.execute(f"CREATE TRIGGER forget AFTER DELETE ON {table} FOR EACH ROW EXECUTE FUNCTION forget_work({kinds})")
    op.execute(
        """CREATE FUNCTION tell_work() RETURNS trigger LANGUAGE plpgsql AS $$
        DECLARE one work := coalesce(NEW, OLD);
        BEGIN
            IF one.import_id IS NOT NULL THEN PERFORM pg_notify('datorum_import', one.import_id::text); END IF;
            IF one.site_id IS NOT NULL THEN PERFORM pg_notify('datorum_site', one.site_id::text); END IF;
            RETURN NULL;
        END $$"""
    )
    op.execute("CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON work FOR EACH ROW EXECUTE FUNCTION tell_work()")


def downgrade() -> None:
    op.execute("DROP TRIGGER tell ON work")
    op.execute("DROP FUNCTION tell_work()")
    for table in _TABLES:
        op.execute(f"DROP TRIGGER forget ON {table}")
    op.execute("DROP FUNCTION forget_work()")
    op.create_table(
        "checking",
        sa.Column("import_id", sa.Integer(), sa.ForeignKey("import.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("rows_done", sa.Integer(), server_default="0", nullable=False),
        sa.Column("stop", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("error", sa.Text(), server_default="", nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
    )
    op.create_table(
        "reading",
        sa.Column("id", sa.Text(), primary_key=True),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("rows_done", sa.Integer(), server_default="0", nullable=False),
        sa.Column("share", sa.Float(), nullable=True),
        sa.Column("stop", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    for table in _TABLES:
        op.add_column(table, sa.Column("state", sa.Text(), nullable=True))
        op.add_column(table, sa.Column("error", sa.Text(), server_default="", nullable=False))
    op.add_column("plan", sa.Column("records_on_site", sa.Integer(), nullable=True))
    op.add_column("snapshot", sa.Column("stop", sa.Boolean(), server_default="false", nullable=False))
    op.add_column("snapshot", sa.Column("records_on_site", sa.Integer(), nullable=True))
    op.add_column("snapshot", sa.Column("began_with", sa.Integer(), server_default="0", nullable=False))
    op.add_column("snapshot", sa.Column("began_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("verification", sa.Column("records_read", sa.Integer(), server_default="0", nullable=False))
    op.execute(
        """INSERT INTO checking (import_id, state, rows_done, stop, error, by, started_at)
        SELECT import_id, CASE state WHEN 'failed' THEN state ELSE 'waiting' END, done, stop, error, by, began_at
        FROM work WHERE kind = 'check' AND state <> 'stopped'"""
    )
    op.execute(
        """UPDATE plan t SET error = coalesce(w.error, ''), state = CASE WHEN t.frozen_at IS NOT NULL THEN 'ready'
            WHEN w.state IN ('waiting', 'going') THEN 'reading' ELSE 'failed' END
        FROM plan o LEFT JOIN work w ON w.kind IN ('rehearse', 'undo', 'follow-up') AND w.subject = o.id::text
        WHERE o.id = t.id"""
    )
    op.execute(
        """UPDATE snapshot t SET error = coalesce(w.error, ''), state = CASE WHEN t.as_of IS NOT NULL THEN 'ready'
            WHEN w.state IN ('waiting', 'going') THEN 'reading' ELSE coalesce(w.state, 'failed') END
        FROM snapshot o LEFT JOIN work w ON w.kind = 'snapshot' AND w.subject = o.id::text WHERE o.id = t.id"""
    )
    op.execute(
        """UPDATE verification t SET error = coalesce(w.error, ''), state = CASE WHEN t.ended_at IS NOT NULL THEN 'done'
            WHEN w.state IN ('waiting', 'going') THEN 'reading' ELSE 'failed' END
        FROM verification o LEFT JOIN work w ON w.kind = 'verify' AND w.subject = o.id::text WHERE o.id = t.id"""
    )
    for table in _TABLES:
        op.alter_column(table, "state", nullable=False)
    op.execute("UPDATE plan SET records_on_site = records_read")
    op.execute("UPDATE snapshot SET records_on_site = records_read WHERE as_of IS NOT NULL")
    op.execute("UPDATE verification SET records_read = coalesce(records_on_site, 0)")
    op.drop_column("plan", "frozen_at")
    op.execute(
        """CREATE FUNCTION tell_checking() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN PERFORM pg_notify('datorum_import', (coalesce(NEW.import_id, OLD.import_id))::text); RETURN NULL;
        END $$"""
    )
    op.execute(
        "CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON checking FOR EACH ROW EXECUTE FUNCTION tell_checking()"
    )
    op.drop_table("work")
