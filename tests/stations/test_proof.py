"""What is proven beside the fields that differ: the keys that are there, links from both sides, and pages as people see
them."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import pytest
from sqlalchemy import select

from datorum.core.errors import NotReady, SiteRefused, SiteUnavailable
from datorum.stations import run, use
from datorum.stations.proof import Proof, proof_of
from datorum.store import models
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import CUSTOMERS, ORDERS, SITE

Start = Callable[[str, list[dict[str, str]]], Journey]


def proven(journey: Journey) -> Proof:
    found = journey.verify().run
    assert found is not None
    with session() as store:
        return proof_of(store, store.get_one(models.Run, found.id))


def sent(journey: Journey) -> int:
    journey.rehearse()
    found = journey.run().run
    assert found is not None
    with session() as store:
        refused = run.failed_rows(store, store.get_one(models.Run, found.id))
        assert (found.state, [one.item.message for one in refused]) == ("done", [])
    return found.id


def test_every_field_is_told_with_how_it_fared_and_pages_answer(small: Journey) -> None:
    sent(small)
    proof = proven(small)
    verify = small.now().verify
    assert verify is not None
    assert sum(field.compared for field in proof.fields) == verify.fields_compared
    assert sum(field.differ for field in proof.fields) == verify.mismatches
    email = next(field for field in proof.fields if field.field == "email")
    assert email.sent == email.found
    assert proof.pages is not None
    assert (proof.pages.asked, proof.pages.wrong) == (20, [])
    # An address is no number.
    assert proof.keys is None


def test_a_page_that_does_not_answer_is_told(small: Journey, site: StandIn) -> None:
    sent(small)
    with session() as store:
        item = (
            store.query(models.PlanItem)
            .filter(models.PlanItem.page.is_not(None))
            .order_by(models.PlanItem.item)
            .first()
        )
        assert item is not None
        gone, item.page = item.page, f"{site.url}/customers/999999"
    proof = proven(small)
    assert gone is not None
    assert proof.pages is not None
    assert [(page.address, page.status) for page in proof.pages.wrong] == [(f"{site.url}/customers/999999", 404)]


def test_somebody_signs_in_with_the_password_of_before(start: Start, site: StandIn) -> None:
    people = [{"Username": "ada", "E-mail": "ada@quillmoss.example", "Name": "Ada", "Password": "moss-and-rye-7"}]
    number = sent(start("users", people))
    page = f"{site.url}/sign-in"
    with pytest.raises(NotReady, match="not read back"):
        asyncio.run(use.sign_in_as("bo", number, page, "ada", "moss-and-rye-7"))
    with session() as store:
        journey = Journey(store.get_one(models.Run, number).plan.import_id)
    journey.verify()
    asyncio.run(use.sign_in_as("bo", number, page, "ada", "moss-and-rye-7"))
    asyncio.run(use.sign_in_as("bo", number, page, "ada", "another"))
    with session() as store:
        kept = proof_of(store, store.get_one(models.Run, number)).sign_ins
        assert [(one.name, one.ok) for one in kept] == [("ada", True), ("ada", False)]
        # The password stands nowhere.
        proof = store.scalars(select(models.Verification)).one().proof
        said = [one.detail for one in store.scalars(select(models.AuditEntry)) if one.action == "sign-in tried"]
        assert len(said) == 2
        assert "moss-and-rye-7" not in f"{proof}{said}"
    with pytest.raises(SiteRefused, match="no form that asks"):
        asyncio.run(use.sign_in_as("bo", number, f"{site.url}/", "ada", "moss-and-rye-7"))
    with pytest.raises(SiteUnavailable, match="not one of the site"):
        asyncio.run(use.sign_in_as("bo", number, "https://quillmoss.example/sign-in", "ada", "moss-and-rye-7"))


def test_keys_and_links_are_looked_at_from_both_sides(start: Start, site: StandIn) -> None:
    site.have(SITE)
    sent(start("customers", CUSTOMERS))
    journey = start("orders", ORDERS)
    sent(journey)
    proof = proven(journey)
    assert proof.keys is not None
    assert (proof.keys.first, proof.keys.last) == ("90,001", "90,004")
    assert [(span.low, span.count) for span in proof.keys.sheet] == [(90_001, 4)]
    assert [(span.low, span.count) for span in proof.keys.now] == [(90_001, 2)]
    assert proof.keys.before == []
    link = next(link for link in proof.links if link.field == "customer_id")
    # What a link means was read for the rehearsal, so that it can be told whether it is there.
    assert (link.to, link.links, link.records, link.there) == ("customers", 2, 2, 2)
    assert (link.asked, link.back) == (2, 2)
