"""Descriptions of sites have versions, and an import says which it rests on; a sign-in is more than a token.

There is no way back: what a description now keeps apart cannot be put together again.
"""

import contextlib
import json

import sqlalchemy as sa
from alembic import op

from datorum.store.secrets import WrongSecretKey, seal, unseal

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def _site_type(name: str, kept: dict) -> dict:
    """A record type as it was kept, in the parts that documents keep apart."""
    kind, item_path = kept["record_type"], kept.get("item_path")
    method = kept.get("update_method")
    return {
        "name": name,
        "title": kind["title"],
        "listing": {
            "path": kept["list_path"],
            "items_at": kept.get("items_at"),
            "entry": kept.get("entry"),
            "total_at": kept.get("total_at"),
            "paging": kept.get("paging") or {},
            "filters": list((kept.get("filters") or {}).values()),
            "constants": kept.get("constants") or {},
        },
        "item": {"path": item_path, "answer_at": kept.get("answer_at")} if item_path else None,
        "create": {
            "method": "post",
            "path": kept["list_path"],
            "media": "application/json",
            "body_at": kept.get("body_at"),
            "answer_at": kept.get("answer_at"),
        },
        "update": {
            "method": method,
            "path": item_path,
            "media": "application/json",
            "body_at": kept.get("body_at"),
            "answer_at": kept.get("answer_at"),
        }
        if method and item_path
        else None,
        "id_field": kept.get("id_field") or "id",
        "fields": kind["fields"],
        "record_rules": kind.get("other_keywords") or kind.get("rest"),
        "page_field": kept.get("page_field"),
        "etag_at": kept.get("etag_at"),
        "mail": kept.get("mail"),
    }


def _description(kept: dict) -> dict:
    return {
        "title": kept["title"],
        "base_url": kept["base_url"],
        "types": {name: _site_type(name, one) for name, one in kept["collections"].items()},
    }


def upgrade() -> None:
    op.create_table(
        "site_description",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=True),
        sa.Column("overlay", sa.JSON(), nullable=True),
        sa.Column("description", sa.JSON(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_site_description"),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name="fk_site_description_site_id", ondelete="CASCADE"),
        sa.UniqueConstraint("site_id", "version", name="uq_site_description_site_id"),
    )
    op.add_column("site", sa.Column("description_id", sa.Integer(), nullable=True))
    op.add_column("import", sa.Column("description_id", sa.Integer(), nullable=True))
    op.alter_column("site", "sealed_token", new_column_name="sealed_sign_in")
    connection = op.get_bind()
    for number, address, kept, sealed in connection.execute(
        sa.text("SELECT id, address, description, sealed_sign_in FROM site")
    ).all():
        new = connection.execute(
            sa.text(
                "INSERT INTO site_description (site_id, version, address, description, by)"
                " VALUES (:site, 1, :address, CAST(:kept AS json), '') RETURNING id"
            ),
            {"site": number, "address": address, "kept": json.dumps(_description(kept))},
        ).scalar_one()
        # What another key has sealed nobody can use; the site is to be connected again.
        with contextlib.suppress(WrongSecretKey):
            sealed = seal(json.dumps({"token": unseal(bytes(sealed))}))
        connection.execute(
            sa.text("UPDATE site SET description_id = :new, sealed_sign_in = :sealed WHERE id = :site"),
            {"new": new, "sealed": sealed, "site": number},
        )
    for number, target in connection.execute(sa.text("SELECT id, target FROM plan")).all():
        if target.get("description"):
            target["description"] = _description(target["description"])
            connection.execute(
                sa.text("UPDATE plan SET target = CAST(:target AS jsonb) WHERE id = :plan"),
                {"target": json.dumps(target), "plan": number},
            )
    op.execute("UPDATE import SET description_id = site.description_id FROM site WHERE site.id = import.site_id")
    op.alter_column("import", "description_id", nullable=False)
    op.create_foreign_key("fk_site_description_id", "site", "site_description", ["description_id"], ["id"])
    op.create_foreign_key("fk_import_description_id", "import", "site_description", ["description_id"], ["id"])
    op.drop_column("site", "description")
