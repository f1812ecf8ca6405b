"""A change of one field leaves all else of a record as it is, however the site takes changes; and no request that
writes goes out to an address that is not that of one record."""

from __future__ import annotations

import copy
from contextlib import AbstractAsyncContextManager
from typing import Any

import pytest
from aiohttp import web

from datorum.core.errors import AnotherRecord, SiteUnavailable
from datorum.core.model import SiteRecord
from datorum.sites import Outcome, Site
from tests.sites.documents import NUMBER, TEXT, Json, asks, listed, of, shown, takes
from tests.sites.reach import answered_by

FIXED = {**NUMBER, "readOnly": True}
LINE = of(sku=TEXT, quantity=NUMBER, note=TEXT, line_no=FIXED)
MAP: Json = {"type": "object", "additionalProperties": TEXT}
SHIPPING = of(city=TEXT, street=TEXT, zone={**TEXT, "readOnly": True})
TAKEN = of(
    stage=TEXT, gift={**TEXT, "nullable": True}, lines=listed(LINE), metadata=MAP, shipping=SHIPPING,
    names=listed(of(key=TEXT, value=TEXT)),
)  # fmt: skip
ORDER = of(id=NUMBER, total=NUMBER, changed_at=TEXT, links=of(self=TEXT), **TAKEN["properties"])
WHOLE: Json = {
    "id": 7, "total": 340, "changed_at": "yesterday", "links": {"self": "/orders/7"}, "stage": "new", "gift": None,
    "lines": [{"sku": f"QB-{n}", "quantity": n, "note": "dry", "line_no": n, "bin": f"B{n}"} for n in (1, 2, 3)],
    "metadata": {"origin": "shop", "till": "3"}, "shipping": {"city": "Quillham", "street": "Moss 1", "zone": "N"},
    "names": [{"key": "nb", "value": "Bønner", "id": 3}, {"key": "de", "value": "Bohnen", "id": 4}],
    "unheard_of": {"deep": [1, {"deeper": True}]},
}  # fmt: skip
KEPT = {
    "stage": "new", "gift": None, "lines": [{"sku": f"QB-{n}", "quantity": n, "note": "dry", "bin": f"B{n}"}
                                            for n in (1, 2, 3)],
    "metadata": WHOLE["metadata"], "shipping": {"city": "Quillham", "street": "Moss 1"}, "names": WHOLE["names"],
    "unheard_of": WHOLE["unheard_of"],
}  # fmt: skip


def document(method: str, body: Json = TAKEN, media: str = "application/json", record: Json = ORDER) -> Json:
    return {
        "openapi": "3.1.0",
        "info": {"title": "Quillmoss orders", "version": "1"},
        "paths": {
            "/orders": {"get": asks(shown(listed(record)), "page"), "post": takes(shown(record, "201"), body)},
            "/orders/{id}": {
                "get": shown(record), method: takes(shown(record), body, media), "delete": shown(status="204"),
            },
        },
    }  # fmt: skip


class Orders:
    """A site that writes down what comes, with one record."""

    def __init__(self, document: Json, record: Json | None = None) -> None:
        self.document, self.record = document, copy.deepcopy(WHOLE if record is None else record)
        self.written: list[tuple[str, str, Any]] = []
        self.answer: Any = None

    async def _any(self, request: web.Request) -> web.Response:
        if request.path == "/openapi.json":
            return web.json_response(self.document)
        if request.method == "GET":
            return web.json_response([self.record] if request.path == "/orders" else self.record)
        body = await request.json() if request.can_read_body else None
        self.written.append((request.method, request.path, body))
        return web.json_response(self.record if self.answer is None else self.answer)

    def reached(self) -> AbstractAsyncContextManager[Site]:
        return answered_by(self._any, "orders")

    async def changed(self, values: dict[str, Any]) -> Any:
        """The body with which a record was changed."""
        async with self.reached() as site:
            assert (await site.update("7", None, values)).outcome is Outcome.DONE
        [(_, path, body)] = self.written
        assert path == "/orders/7"
        return body


CHANGES: list[tuple[dict[str, Any], dict[str, Any]]] = [
    ({"stage": "sent"}, {"stage": "sent"}),
    ({"gift": "bow"}, {"gift": "bow"}),
    ({"stage": None}, {"stage": ""}),
    ({"metadata.till": "4"}, {"metadata": {"origin": "shop", "till": "4"}}),
    ({"metadata.new": "x"}, {"metadata": {"origin": "shop", "till": "3", "new": "x"}}),
    ({"shipping.city": "Ryewick"}, {"shipping": {"city": "Ryewick", "street": "Moss 1"}}),
    (
        {"names.de": "Erbsen"},
        {"names": [{"key": "nb", "value": "Bønner", "id": 3}, {"key": "de", "value": "Erbsen", "id": 4}]},
    ),
    ({"lines": [*KEPT["lines"], {"sku": "QB-9"}]}, {"lines": [*KEPT["lines"], {"sku": "QB-9"}]}),
    ({"lines": WHOLE["lines"][1:]}, {"lines": KEPT["lines"][1:]}),
    ({"lines": None}, {"lines": []}),
]


@pytest.mark.parametrize(("values", "otherwise"), CHANGES)
async def test_what_replaces_the_whole_is_the_whole_with_the_change(values: Any, otherwise: Any) -> None:
    assert await Orders(document("put")).changed(values) == KEPT | otherwise


@pytest.mark.parametrize(("values", "otherwise"), CHANGES)
async def test_what_changes_parts_has_each_object_whole(values: Any, otherwise: Any) -> None:
    assert await Orders(document("patch")).changed(values) == otherwise


async def test_objects_that_are_merged_are_sent_in_part_though_the_rest_is_known() -> None:
    site = Orders(document("patch", media="application/merge-patch+json"))
    async with site.reached() as reached:
        await reached.update("7", None, {"shipping.city": "Ryewick"}, was=SiteRecord("7", WHOLE, given=WHOLE))
    assert site.written[0][2] == {"shipping": {"city": "Ryewick"}}


async def test_an_object_that_takes_nothing_further_gets_nothing_further() -> None:
    closed = {**TAKEN, "additionalProperties": False}
    assert await Orders(document("put", closed)).changed({"stage": "sent"}) == {
        name: value for name, value in (KEPT | {"stage": "sent"}).items() if name != "unheard_of"
    }


async def test_a_site_that_does_not_give_back_what_it_demands_is_not_asked_to_replace() -> None:
    demanding = {**of(stage=TEXT, pin={**TEXT, "writeOnly": True}), "required": ["stage", "pin"]}
    site = Orders(document("put", demanding))
    async with site.reached() as reached:
        refused = await reached.update("7", None, {"stage": "sent"})
    assert (refused.outcome, site.written) == (Outcome.REFUSED, [])
    assert "demands Pin, and does not give that back" in refused.message


async def test_a_record_that_lacks_what_is_demanded_is_left_alone() -> None:
    demanding = {**TAKEN, "required": ["stage", "shipping"]}
    site = Orders(document("put", demanding), {"id": 7, "stage": "new"})
    async with site.reached() as reached:
        refused = await reached.update("7", None, {"stage": "sent"})
    assert (refused.outcome, site.written) == (Outcome.REFUSED, [])
    assert "demands shipping, which it has not given back" in refused.message


async def test_a_record_is_made_again_as_it_was() -> None:
    site = Orders(document("put"))
    async with site.reached() as reached:
        was = await reached.read("7")
        assert was is not None
        await reached.create({"stage": "new"}, like=was.body)
    assert site.written[0][2] == {name: value for name, value in KEPT.items() if value is not None} | {
        "names": [{"key": "nb", "value": "Bønner"}, {"key": "de", "value": "Bohnen"}],
    }


@pytest.mark.parametrize("record_id", ["", ".", "..", " "])
async def test_nothing_is_written_where_it_would_not_be_one_record(record_id: str) -> None:
    site = Orders(document("patch"))
    async with site.reached() as reached:
        answers = [
            await reached.delete(record_id), await reached.update(record_id, None, {"stage": "sent"}),
            await reached.update(record_id, None, {"stage": "sent"}, was=SiteRecord(record_id, WHOLE)),
        ]  # fmt: skip
    assert ({one.outcome for one in answers}, site.written) == ({Outcome.REFUSED}, [])
    assert "by which id" in answers[0].message


async def test_records_without_their_id_are_not_read_as_one_another() -> None:
    site = Orders(document("patch"), {"number": 7, "stage": "new"})
    async with site.reached() as reached:
        with pytest.raises(SiteUnavailable, match="1 of 1 records of orders have no “id”"):
            [page async for page in reached.read_all()]


async def test_a_record_that_answers_to_anothers_id_is_not_taken_for_it() -> None:
    async with Orders(document("patch")).reached() as reached:
        with pytest.raises(AnotherRecord, match="asked for 8 of its orders, and gave 7"):
            await reached.read("8")


@pytest.mark.parametrize(
    ("answer", "known"),
    [({"message": "Thank you"}, None), ({"order_id": 9}, "9"), ({"id": ""}, None), (True, None), (12, "12")],
)
async def test_only_an_id_is_taken_for_one(answer: Any, known: str | None) -> None:
    site = Orders(document("patch"))
    site.answer = answer
    async with site.reached() as reached:
        made = await reached.create({"stage": "new"})
    assert (made.record and made.record.id) == known
