"""What is kept: the schema that migrations make, and credentials that rest sealed."""

from __future__ import annotations

import os
from pathlib import Path

import alembic.command
import alembic.config
import pytest
from cryptography.fernet import Fernet
from sqlalchemy import func, select, text
from sqlalchemy.exc import DBAPIError

from datorum.settings import settings
from datorum.sites import SignIn
from datorum.stations.sites import sign_in_of
from datorum.store import secrets
from datorum.store.among import among
from datorum.store.cluster import LocalCluster
from datorum.store.database import session
from datorum.store.models import AuditEntry, Site
from tests.processes import TOKEN
from tests.stations.conftest import begin, connected  # noqa: F401 (fixtures)


def test_the_migrations_make_what_the_models_say(database: None) -> None:
    config = alembic.config.Config()
    config.set_main_option("script_location", str(Path(secrets.__file__).parent / "migrations"))
    alembic.command.check(config)


def test_a_sites_token_rests_sealed(connected: int) -> None:  # noqa: F811 (the fixture)
    with session() as store:
        site = store.get_one(Site, connected)
        assert TOKEN.encode() not in site.sealed_sign_in
        assert sign_in_of(site) == SignIn(token=TOKEN)
        assert TOKEN not in repr(sign_in_of(site))
        written = store.scalars(select(AuditEntry).where(AuditEntry.subject == site.name)).all()
        assert [entry.action for entry in written] == ["site connected"]
        assert TOKEN not in str([entry.detail for entry in written])


def test_the_key_is_readable_by_its_owner_alone(database: None) -> None:
    secrets.seal("anything")
    assert (settings().home / "secret.key").stat().st_mode & 0o077 == 0


def test_what_another_key_sealed_is_said(database: None) -> None:
    with pytest.raises(secrets.WrongSecretKey, match="another key"):
        secrets.unseal(Fernet(Fernet.generate_key()).encrypt(b"x"))


@pytest.mark.skipif(os.geteuid() != 0, reason="only root runs PostgreSQL as another user")
def test_where_postgres_cannot_get_to_the_checkout_its_data_go_elsewhere(tmp_path: Path) -> None:
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    assert str(LocalCluster(closed / "postgres").directory).startswith("/var/lib/datorum/")


def test_what_is_said_of_a_statement_that_failed_has_nothing_of_people(database: None) -> None:
    secret = "ada.corfield@quillmoss.example"
    with pytest.raises(DBAPIError) as failed, session() as store:
        store.execute(text("SELECT nothing FROM nowhere WHERE email = :email"), {"email": secret})
    assert "nowhere" in str(failed.value)
    assert secret not in str(failed.value)


@pytest.mark.parametrize("some", [[], [2], [1, 3, 2**40]])
def test_a_number_is_among_some_however_many_there_are(database: None, some: list[int]) -> None:
    numbers = func.generate_series(1, 3).column_valued("n")
    with session() as store:
        assert list(store.scalars(select(numbers).where(among(numbers, some)))) == [n for n in (1, 2, 3) if n in some]
