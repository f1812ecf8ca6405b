"""Plans in chunks that are never altered, beside a slim table of what becomes of each item; runs of several kinds, many
to a plan, shared by workers; the pace of a site for all of them."""

import io
import json

import polars as pl
import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_CHUNK = 8_192
_OWN = {"item": pl.Int64, "row": pl.Int64, "action": pl.String, "key": pl.String, "reason": pl.String,
        "record_id": pl.String, "etag": pl.String, "page": pl.String, "on_site": pl.Binary, "record_type": pl.String,
        "of_item": pl.Int64}  # fmt: skip


def upgrade() -> None:
    timed, json_text = sa.DateTime(timezone=True), sa.Text()
    plan_key = sa.ForeignKey("plan.id", ondelete="CASCADE")
    op.create_table(
        "plan_chunk",
        sa.Column("plan_id", sa.Integer(), plan_key, primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("parquet", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "plan_field",
        sa.Column("plan_id", sa.Integer(), sa.ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("field", json_text, primary_key=True),
        sa.Column("items", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "plan_item",
        sa.Column("plan_id", sa.Integer(), sa.ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("item", sa.BigInteger(), primary_key=True),
        sa.Column("chunk", sa.Integer(), nullable=False),
        sa.Column("action", sa.Text(), nullable=False),
        sa.Column("record_type", sa.Text(), server_default="", nullable=False),
        sa.Column("of_item", sa.BigInteger(), nullable=True),
        sa.Column("wave", sa.Integer(), server_default="0", nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("record_id", sa.Text(), nullable=True),
        sa.Column("etag", sa.Text(), nullable=True),
        sa.Column("page", sa.Text(), nullable=True),
        sa.Column("attempts", sa.Integer(), server_default="0", nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("message", sa.Text(), server_default="", nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=True),
        sa.Column("turn_id", sa.Integer(), nullable=True),
        sa.Column("ended_at", timed, nullable=True),
    )
    op.execute(
        """INSERT INTO plan_item (plan_id, item, chunk, action, record_type, of_item, wave, state, record_id, etag,
            page, attempts, status, message, run_id, ended_at)
        SELECT p.plan_id, p.row, (row_number() OVER (PARTITION BY p.plan_id ORDER BY p.row) - 1) / 8192, p.action,
            p.record_type, p.of_row, p.wave, p.state, p.record_id, p.etag, p.page, p.attempts, p.status, p.message,
            CASE WHEN p.state IN ('done', 'failed', 'sending') THEN r.id END, p.ended_at
        FROM plan_row p LEFT JOIN run r ON r.plan_id = p.plan_id"""
    )
    connection = op.get_bind()
    for plan in connection.execute(sa.text("SELECT DISTINCT plan_id FROM plan_row")).scalars().all():
        _into_chunks(connection, plan)
    op.drop_table("plan_row")
    op.create_index("ix_plan_item_action", "plan_item", ["plan_id", "action", "item"])
    for state in ("pending", "sending"):
        op.create_index(f"ix_plan_item_{state}", "plan_item", ["plan_id", "wave", "item"],
                        postgresql_where=sa.text(f"state = '{state}'"))  # fmt: skip
    op.create_index("ix_plan_item_failed", "plan_item", ["plan_id", "item"],
                    postgresql_where=sa.text("state = 'failed'"))  # fmt: skip
    op.create_index("ix_plan_item_once_more", "plan_item", ["plan_id", "of_item"],
                    postgresql_where=sa.text("of_item IS NOT NULL"))  # fmt: skip
    op.add_column("plan", sa.Column("kind", sa.Text(), server_default="main", nullable=False))
    op.add_column("plan", sa.Column("of_run_id", sa.Integer(), nullable=True))
    op.drop_constraint("uq_run_plan_id", "run")
    op.create_index("ix_run_plan_id", "run", ["plan_id"])
    op.add_column("run", sa.Column("kind", sa.Text(), server_default="main", nullable=False))
    op.add_column("run", sa.Column("total", sa.Integer(), server_default="0", nullable=False))
    op.execute(
        """UPDATE run SET total =
            (SELECT count(*) FROM plan_item i WHERE i.plan_id = run.plan_id AND i.state <> 'none')"""
    )
    for column in ("rate", "response_ms", "concurrency"):
        op.drop_column("run", column)
    op.create_table(
        "turn",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("run_id", sa.Integer(), sa.ForeignKey("run.id", ondelete="CASCADE"), nullable=False),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("lease_until", timed, nullable=False),
        sa.Column("share", sa.Integer(), server_default="0", nullable=False),
        sa.Column("rate", sa.Float(), server_default="0", nullable=False),
        sa.Column("response_ms", sa.Float(), server_default="0", nullable=False),
    )
    op.create_index("ix_turn_run_id", "turn", ["run_id"])
    op.create_index("ix_turn_site_id", "turn", ["site_id"])
    op.create_table(
        "site_pace",
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("next_at", timed, nullable=False),
    )
    op.alter_column("mismatch", "row", new_column_name="item")


def _into_chunks(connection: sa.Connection, plan: int) -> None:
    """What rows of a plan are, as chunks of it."""
    asked = sa.text("SELECT * FROM plan_row WHERE plan_id = :plan ORDER BY row OFFSET :skip LIMIT :count")
    changing: dict[str, list[int]] = {}
    number = 0
    while rows := connection.execute(asked, {"plan": plan, "skip": number * _CHUNK, "count": _CHUNK}).mappings().all():
        told = {name: [one.get(name) for one in rows] for name in _OWN}
        told["item"] = [one["row"] for one in rows]
        told["row"] = [one["row"] if one["row"] >= 0 else None for one in rows]
        told["of_item"] = [one["of_row"] for one in rows]
        told["on_site"] = [None if one["on_site"] is None else json.dumps(one["on_site"]).encode() for one in rows]
        for path in dict.fromkeys(path for one in rows for path in one["changes"]):
            of = [one["changes"].get(path) for one in rows]
            for when in ("before", "after"):
                told[f"{when}:{path}"] = [None if change is None else json.dumps(change[when]) for change in of]
            updated = [one["row"] for one in rows if path in one["changes"] and one["action"] == "update"]
            changing.setdefault(path, []).extend(updated)
        _keep(connection, "plan_chunk (plan_id, number, parquet)", plan, number, _packed(told))
        number += 1
    for path, items in changing.items():
        if items:
            _keep(connection, "plan_field (plan_id, field, items)", plan, path, _packed({"item": items}))


def _keep(connection: sa.Connection, table: str, plan: int, named: object, data: bytes) -> None:
    connection.execute(sa.text(f"INSERT INTO {table} VALUES (:plan, :named, :data)"),  # noqa: S608 (a name of ours)
                       {"plan": plan, "named": named, "data": data})  # fmt: skip


def _packed(columns: dict[str, list[object]]) -> bytes:
    kinds = {name: _OWN.get(name, pl.String) for name in columns}
    out = io.BytesIO()
    pl.DataFrame(columns, schema=kinds).write_parquet(out, compression="zstd", compression_level=1, statistics=False)
    return out.getvalue()


def downgrade() -> None:
    op.alter_column("mismatch", "item", new_column_name="row")
    op.drop_table("site_pace")
    op.drop_table("turn")
    # Of several runs of a plan one could be kept; what was not the last of its import goes.
    op.execute("DELETE FROM plan WHERE kind <> 'main' AND id NOT IN (SELECT plan_id FROM run)")
    op.execute("DELETE FROM run WHERE id NOT IN (SELECT max(id) FROM run GROUP BY plan_id)")
    for column in ("rate", "response_ms"):
        op.add_column("run", sa.Column(column, sa.Float(), server_default="0", nullable=False))
    op.add_column("run", sa.Column("concurrency", sa.Integer(), server_default="0", nullable=False))
    op.drop_column("run", "total")
    op.drop_column("run", "kind")
    op.drop_index("ix_run_plan_id", "run")
    op.create_unique_constraint("uq_run_plan_id", "run", ["plan_id"])
    op.drop_column("plan", "of_run_id")
    op.drop_column("plan", "kind")
    op.create_table(
        "plan_row",
        sa.Column("plan_id", sa.Integer(), sa.ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("row", sa.BigInteger(), primary_key=True),
        sa.Column("action", sa.Text(), nullable=False),
        sa.Column("key", sa.Text(), nullable=True),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("record_id", sa.Text(), nullable=True),
        sa.Column("etag", sa.Text(), nullable=True),
        sa.Column("page", sa.Text(), nullable=True),
        sa.Column("changes", postgresql.JSONB(), nullable=False),
        sa.Column("on_site", postgresql.JSONB(), nullable=True),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("wave", sa.Integer(), server_default="0", nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("message", sa.Text(), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("record_type", sa.Text(), server_default="", nullable=False),
        sa.Column("of_row", sa.BigInteger(), nullable=True),
    )
    connection = op.get_bind()
    for plan, number, data in connection.execute(sa.text("SELECT plan_id, number, parquet FROM plan_chunk")).all():
        _into_rows(connection, plan, number, data)
    for table in ("plan_item", "plan_field", "plan_chunk"):
        op.drop_table(table)
    op.create_index("ix_plan_row_state", "plan_row", ["plan_id", "state"])
    op.create_index("ix_plan_row_pending", "plan_row", ["plan_id", "wave", "row"],
                    postgresql_where=sa.text("state = 'pending'"))  # fmt: skip
    op.create_index("ix_plan_row_action", "plan_row", ["plan_id", "action", "row"])


def _into_rows(connection: sa.Connection, plan: int, number: int, data: bytes) -> None:
    """The items of a chunk that it stands for, as rows of a plan."""
    asked = sa.text(
        """INSERT INTO plan_row (plan_id, row, action, key, reason, record_id, etag, page, changes, on_site, state,
            wave, attempts, status, message, ended_at, record_type, of_row)
        SELECT plan_id, item, action, :key, :reason, record_id, coalesce(etag, :etag), page, cast(:changes AS jsonb),
            cast(:on_site AS jsonb), state, wave, attempts, status, message, ended_at, record_type, of_item
        FROM plan_item WHERE plan_id = :plan AND item = :item AND chunk = :number"""
    )
    for one in pl.read_parquet(io.BytesIO(data)).iter_rows(named=True):
        changes = {}
        for name, text in one.items():
            if name.startswith("after:") and text is not None:
                path = name.removeprefix("after:")
                was = one[f"before:{path}"]
                changes[path] = {"before": None if was is None else json.loads(was), "after": json.loads(text)}
        body = None if one["on_site"] is None else one["on_site"].decode()
        connection.execute(asked, {"plan": plan, "item": one["item"], "number": number, "key": one["key"],
                                   "reason": one["reason"], "etag": one["etag"], "changes": json.dumps(changes),
                                   "on_site": body})  # fmt: skip
