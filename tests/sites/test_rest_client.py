"""The client reads and writes the real stand-in, whatever its mood."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator
from typing import Any

import pytest

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.core.model import Field
from datorum.sites import MailRule, Outcome, SignIn, Site, open_rest_site
from datorum.sites.rest.reading import _quoted
from datorum.sites.throttle import Stopped, Throttle
from tests.processes import TOKEN, StandIn, free_ports
from tests.sites.reach import described

SIGN_IN = SignIn(token=TOKEN)
EMAIL = Field(path="email", title="E-mail", format="email")
NEW = {"email": "ada.new@example.org", "name": "Ada New", "address.city": "Quillham", "newsletter": True}


async def found_by(site: Site, email: str) -> int:
    return sum(map(len, (await site.find(EMAIL, [email])).values()))


@pytest.fixture
async def reached(site: StandIn) -> AsyncIterator[Site]:
    description = await described(site.description_url, SIGN_IN)
    async with open_rest_site(description, "customers", SIGN_IN, allow_private=True) as found:
        yield found


async def test_every_record_is_read_page_by_page(reached: Site, site: StandIn) -> None:
    pages = [page.records async for page in reached.read_all()]
    assert [len(page) for page in pages] == [200]
    for number in range(5):
        await reached.create(NEW | {"email": f"more{number}@example.org"})
    pages = [page.records async for page in reached.read_all()]
    assert [len(page) for page in pages] == [200, 5]
    assert len({record.id for page in pages for record in page}) == 205


async def test_a_record_is_created_found_and_changed(reached: Site, site: StandIn) -> None:
    created = await reached.create(NEW)
    assert created.outcome is Outcome.DONE
    assert created.record is not None
    [found] = (await reached.find(EMAIL, ["ADA.new@example.org"]))["ada.new@example.org"]
    assert found.body["address"] == {"city": "Quillham"}
    changed = await reached.update(found.id, created.record.etag, {"address.city": "Ryewick"})
    assert changed.outcome is Outcome.DONE
    assert (await reached.read(found.id)).body["address"]["city"] == "Ryewick"  # type: ignore[union-attr]
    assert site.mails() == 0


async def test_mail_goes_out_only_when_asked_for(reached: Site, site: StandIn) -> None:
    await reached.create(NEW, mail=MailRule(True))
    assert site.mails() == 1


async def test_what_the_site_refuses_says_why(reached: Site) -> None:
    await reached.create(NEW)
    again = await reached.create(NEW)
    assert (again.outcome, again.status) == (Outcome.REFUSED, 409)
    assert "exists already" in again.message
    invalid = await reached.create(NEW | {"phone": "12"})
    assert (invalid.outcome, invalid.status) == (Outcome.REFUSED, 422)
    assert "phone" in invalid.message


async def test_a_record_that_changed_meanwhile_is_not_overwritten(reached: Site) -> None:
    created = await reached.create(NEW)
    assert created.record is not None
    await reached.update(created.record.id, None, {"name": "Someone Else"})
    late = await reached.update(created.record.id, created.record.etag, {"name": "Ada"})
    assert (late.outcome, late.status) == (Outcome.REFUSED, 412)


async def test_a_site_that_asks_for_time_is_obeyed(reached: Site, site: StandIn) -> None:
    site.behave(too_many_every=1, retry_after=7)
    answer = await reached.create(NEW)
    assert (answer.outcome, answer.wait) == (Outcome.LATER, 7.0)


async def test_a_broken_connection_leaves_a_write_in_doubt(reached: Site, site: StandIn) -> None:
    site.behave(drop_after_every=1)
    answer = await reached.create(NEW)
    assert answer.outcome is Outcome.IN_DOUBT
    site.behave()
    assert await found_by(reached, str(NEW["email"])) == 1


async def test_reading_goes_on_after_a_hiccup(reached: Site, site: StandIn) -> None:
    site.behave(drop_before_every=2)
    assert await found_by(reached, "nobody@example.org") == 0
    assert [len(page.records) async for page in reached.read_all()] == [200]


async def test_a_wrong_token_is_said(site: StandIn) -> None:
    description = await described(site.description_url, SignIn())
    async with open_rest_site(description, "customers", SignIn(token="wrong"), allow_private=True) as reached:
        with pytest.raises(SiteRefused, match="does not accept the sign-in"):
            await found_by(reached, "ada@example.org")


async def test_a_site_that_is_not_there_is_said() -> None:
    [port] = free_ports(1)
    with pytest.raises(SiteUnavailable, match="does not answer"):
        await described(f"http://127.0.0.1:{port}/openapi.json", SignIn())


async def test_the_throttle_halves_when_pushed_back_and_grows_again() -> None:
    throttle = Throttle(most=16, start=16)
    throttle.pushed_back(0.05)
    throttle.pushed_back(0.05)
    assert throttle.limit == 8
    began = time.monotonic()
    async with throttle.turn():
        assert time.monotonic() - began >= 0.04
    for _ in range(200):
        throttle.answered()
    assert throttle.limit == 16


async def test_the_throttle_lets_no_more_in_than_its_limit() -> None:
    throttle = Throttle(most=3, start=3)
    inside, most = 0, 0

    async def enter() -> None:
        nonlocal inside, most
        async with throttle.turn():
            inside += 1
            most = max(most, inside)
            await asyncio.sleep(0.005)
            inside -= 1

    await asyncio.gather(*(enter() for _ in range(20)))
    assert most == 3


async def test_whoever_waits_for_a_turn_is_told_when_no_more_are_given() -> None:
    throttle = Throttle(most=1)
    throttle.pushed_back(700)

    async def wait_for_turn() -> None:
        async with throttle.turn():
            pytest.fail("a turn was given")

    waiting = [asyncio.create_task(wait_for_turn()) for _ in range(3)]
    await asyncio.sleep(0)
    throttle.stop()
    async with asyncio.timeout(5):
        assert [type(one) for one in await asyncio.gather(*waiting, return_exceptions=True)] == [Stopped] * 3
    with pytest.raises(Stopped):
        await throttle.wait(700)


async def test_a_list_gives_each_record_with_the_tag_that_a_change_is_made_by(reached: Site, site: StandIn) -> None:
    [one, *_] = [record async for page in reached.read_all() for record in page.records]
    done = await reached.update(one.id, one.etag, {"name": "Ada Corfield"})
    assert done.outcome is Outcome.DONE
    again = await reached.update(one.id, one.etag, {"name": "Bo"})
    assert (again.outcome, again.status) == (Outcome.REFUSED, 412)


@pytest.mark.parametrize(
    ("given", "tag"), [('"7-1"', '"7-1"'), ('W/"3"', 'W/"3"'), ("7-1", '"7-1"'), ("", None), (7, None), (None, None)]
)
def test_a_tag_is_sent_as_a_header_carries_it(given: Any, tag: str | None) -> None:
    assert _quoted(given) == tag
