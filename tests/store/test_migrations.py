"""What was kept by earlier versions opens in this one."""

from __future__ import annotations

import json
from collections.abc import Iterator

import alembic.command
import alembic.config
import psycopg
import pytest
from sqlalchemy import select

from datorum.settings import settings
from datorum.sites import SignIn
from datorum.stations import descriptions, work
from datorum.stations.basis import Target
from datorum.stations.correct import corrections_of
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site, sign_in_of
from datorum.stations.sources import sources_of
from datorum.store import models
from datorum.store.cluster import LocalCluster
from datorum.store.database import engine, migrate, session
from datorum.store.secrets import seal
from datorum.store.sheets import drawn_on
from tests.conftest import fresh

COLLECTION = {
    "record_type": {
        "name": "customers", "title": "Customers",
        "fields": [{"path": "email", "title": "E-mail", "format": "email", "unique": True}], "rest": {"not": {}},
    },
    "list_path": "/api/customers", "item_path": "/api/customers/{id}", "id_field": "id", "items_at": "items",
    "total_at": "total", "paging": {"style": "page", "page": "page", "size": "per_page", "size_most": 200},
    "filters": {"email": "email"}, "update_method": "patch", "etag_at": "etag",
    "mail": {"name": "notify", "on_create": True, "on_update": True},
}  # fmt: skip
DESCRIPTION = {
    "title": "Quillmoss", "base_url": "https://quillmoss.example", "bearer": True,
    "collections": {"customers": COLLECTION},
}  # fmt: skip


@pytest.fixture
def earlier(cluster: LocalCluster, _database: None, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A database as it was before descriptions had versions."""
    url = fresh(cluster, "earlier")
    monkeypatch.setenv("DATORUM_DATABASE_URL", url)
    # What was read of another database has the same numbers.
    monkeypatch.setattr(descriptions, "_READ", {})
    settings.cache_clear()
    engine.cache_clear()
    config = alembic.config.Config()
    config.set_main_option("script_location", "datorum:store/migrations")
    alembic.command.upgrade(config, "0009")
    yield url
    engine().dispose()
    monkeypatch.undo()
    settings.cache_clear()
    engine.cache_clear()


def test_sites_imports_and_plans_from_before_descriptions_had_versions(earlier: str) -> None:
    target = {
        "record_type": COLLECTION["record_type"], "match_key": "email", "address": "a", "description": DESCRIPTION,
    }  # fmt: skip
    with psycopg.connect(earlier) as connection:
        connection.execute(
            "INSERT INTO site (name, address, sealed_token, description) VALUES (%s, %s, %s, %s), (%s, %s, %s, %s)",
            [
                *("shop", "https://quillmoss.example/openapi.json", seal("moss"), json.dumps(DESCRIPTION)),
                *("lost", "https://other.example/openapi.json", b"sealed by another key", json.dumps(DESCRIPTION)),
            ],
        )
        connection.execute(
            "INSERT INTO import (name, site_id, record_type, policy, created_by, revision)"
            " VALUES ('Customers', 1, 'customers', '{}', 'ada', 0)"
        )
        connection.execute("SET session_replication_role = replica")
        connection.execute("INSERT INTO original (import_id, filename, sha256, size) VALUES (1, 'people.csv', '', 9)")
        connection.execute(
            "INSERT INTO sheet (import_id, original_id, dialect, headers, notes, flags, rows, blank_lines, profiles)"
            " VALUES (1, 1, '{}', '[]', '[]', '{}', 0, 0, '[]')"
        )
        connection.execute(
            "INSERT INTO plan (import_id, sheet_id, policy, basis, target, state, error, records_read, counts,"
            " changed_fields, created_by) VALUES (1, 1, '{}', '{}', %s, 'ready', '', 0, '{}', '[]', 'ada')",
            (json.dumps(target),),
        )
    migrate()
    with session() as store:
        site = get_site(store, 1)
        assert sign_in_of(site) == SignIn(token="moss")
        item = store.get_one(models.Import, 1)
        assert item.description_id == site.description_id
        customers = description_of(item).type("customers")
        assert customers.item is not None
        assert customers.update is not None
        assert (customers.listing.path, customers.listing.filters) == ("/api/customers", ("email",))
        assert (customers.item.path, customers.update.method, customers.mails[0].name) == (
            "/api/customers/{id}", "patch", "notify",
        )  # fmt: skip
        assert customers.record_type.other_keywords == {"not": {}}
        kept = Target.kept(store.get_one(models.Plan, 1))
        assert kept.description.type("customers") == customers
        assert get_site(store, 2).sealed_sign_in == b"sealed by another key"


def test_sheets_and_corrections_from_before_sheets_had_sources(earlier: str) -> None:
    with psycopg.connect(earlier) as connection:
        connection.execute("SET session_replication_role = replica")
        connection.execute(
            "INSERT INTO site (name, address, sealed_token, description) VALUES ('shop', 'https://q.example', %s, %s)",
            (seal("moss"), json.dumps(DESCRIPTION)),
        )
        for number in (1, 2):
            connection.execute(
                "INSERT INTO import (name, site_id, record_type, policy, created_by, revision)"
                " VALUES ('Customers', 1, 'customers', '{}', 'ada', 1)"
            )
            connection.execute(
                "INSERT INTO original (import_id, filename, sha256, size) VALUES (%s, 'people.csv', '', 9)", (number,)
            )
            for rows in (3, 4):
                connection.execute(
                    "INSERT INTO sheet (import_id, original_id, dialect, headers, notes, flags, rows, blank_lines,"
                    " profiles) VALUES (%s, %s, '{}', '[\"E-mail\"]', '[]', '{}', %s, 0, '[]')",
                    (number, number, rows),
                )
        connection.execute(
            'INSERT INTO correction (import_id, row, "column", value, revision, by)'
            " VALUES (2, 5, 'E-mail', 'a', 1, 'b')"
        )
    migrate()
    with session() as store:
        # The latest reading counts, as it did.
        assert [(drawn_on(store, number).id, drawn_on(store, number).rows) for number in (1, 2)] == [(2, 4), (4, 4)]
        assert [(one.name, one.by) for one in sources_of(store, 1)] == [("people.csv", "ada")] * 2
        assert [(one.role, one.value) for one in corrections_of(store, 2)] == [("", "a")]
        store.add(models.Source(site_id=1, name="another.csv", by="ada"))
        store.flush()
    engine().dispose()
    config = alembic.config.Config()
    config.set_main_option("script_location", "datorum:store/migrations")
    alembic.command.downgrade(config, "0013")
    with psycopg.connect(earlier) as connection:
        assert connection.execute("SELECT import_id, max(rows) FROM sheet GROUP BY 1 ORDER BY 1").fetchall() == [
            (1, 4), (2, 4),
        ]  # fmt: skip


def test_work_that_was_under_way_before_it_had_a_table_of_its_own(earlier: str) -> None:
    config = alembic.config.Config()
    config.set_main_option("script_location", "datorum:store/migrations")
    alembic.command.upgrade(config, "0018")
    with psycopg.connect(earlier) as connection:
        connection.execute("SET session_replication_role = replica")
        connection.execute(
            "INSERT INTO site (id, name, address, sealed_sign_in) VALUES (1, 'shop', 'https://q.example', '')"
        )
        connection.execute(
            "INSERT INTO site_description (id, site_id, version, address, description, by)"
            " VALUES (1, 1, 1, 'https://q.example', '{}', 'ada')"
        )
        connection.execute(
            "INSERT INTO import (id, name, site_id, description_id, record_type, policy, created_by, revision)"
            " VALUES (1, 'Customers', 1, 1, 'customers', '{}', 'ada', 0)"
        )
        connection.execute(
            "INSERT INTO checking (import_id, state, rows_done, stop, error, by)"
            " VALUES (1, 'checking', 9, false, '', 'ada')"
        )
        for number, state, error in [(1, "reading", ""), (2, "failed", "The site answers 503."), (3, "ready", "")]:
            connection.execute(
                "INSERT INTO snapshot (id, site_id, record_type, description_id, state, error, by)"
                " VALUES (%s, 1, %s, 1, %s, %s, 'ada')",
                (number, f"type {number}", state, error),
            )
        connection.execute(
            "INSERT INTO original (id, source_id, filename, sha256, size) VALUES (1, 1, 'people.csv', '', 9)"
        )
        connection.execute("INSERT INTO source (id, site_id, name, by) VALUES (1, 1, 'people', 'ada')")
        connection.execute(
            "INSERT INTO sheet (id, original_id, dialect, headers, notes, flags, rows, blank_lines, profiles)"
            " VALUES (1, 1, '{}', '[]', '[]', '{}', 0, 0, '[]')"
        )
        for number, kind, state in [(1, "main", "ready"), (2, "main", "reading"), (3, "undo", "failed")]:
            connection.execute(
                "INSERT INTO plan (id, import_id, kind, sheet_id, policy, basis, target, state, error, records_read,"
                " counts, changed_fields, created_by) VALUES (%s, 1, %s, 1, '{}', '{}', '{}', %s, '', 5, '{}', '[]',"
                " 'ada')",
                (number, kind, state),
            )

    def now() -> tuple[list[str], list[str], list[tuple[str, str]]]:
        with session() as store:
            plans = store.scalars(select(models.Plan).order_by(models.Plan.id))
            snapshots = store.scalars(select(models.Snapshot).order_by(models.Snapshot.id))
            return (
                [one.state for one in plans],
                [one.state for one in snapshots],
                [(one.kind, str(one.subject)) for one in work.to_do(["check", "rehearse"])],
            )

    migrate()
    as_it_was = ["ready", "reading", "failed"], ["reading", "failed", "ready"]
    assert now() == (*as_it_was, [("check", "1"), ("rehearse", "2")])
    with session() as store:
        assert store.get_one(models.Snapshot, 2).error == "The site answers 503."
    engine().dispose()
    alembic.command.downgrade(config, "0018")
    with psycopg.connect(earlier) as connection:
        kept = [
            connection.execute(f"SELECT state FROM {table} ORDER BY id").fetchall() for table in ("plan", "snapshot")
        ]
        assert tuple([state for (state,) in one] for one in kept) == as_it_was
        assert connection.execute("SELECT import_id, state, rows_done FROM checking").fetchall() == [(1, "waiting", 9)]
    migrate()
    assert now() == (*as_it_was, [("check", "1"), ("rehearse", "2")])
