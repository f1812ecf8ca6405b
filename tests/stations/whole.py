"""Small sheets of whole records, and what tests of them ask of an import."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

from datorum.core.model import LinkRule, Mapping
from datorum.stations import check, snapshots
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import
from datorum.store.database import session
from tests.stations.conftest import Journey

Rows = list[dict[str, str]]
Begin = Callable[[str, Rows], Journey]

ORDERS: Rows = [
    {"Order no.": number, "Customer e-mail": mail, "Ordered": day, "Sum": total, "SKU": sku, "Qty": count,
     "Price each": price}
    for number, mail, day, total, sku, count, price in (
        ("90001", "tone.hasselvik@quillmoss.example", "2024-03-01", "70.00", "XX-900", "2", "20.00"),
        ("90002", "ALF.tyrivik@quillmoss.example", "2024-03-02", "15.00", "XX-901", "1", "5.00"),
        ("90002", "ALF.tyrivik@quillmoss.example", "2024-03-02", "15.00", "XX-902", "2", "5.00"),
        ("90001", "tone.hasselvik@quillmoss.example", "2024-03-01", "70.00", "XX-902", "1", "30.00"),
        ("90003", "nobody@quillmoss.example", "2024-03-03", "9.00", "XX-900", "1", "9.00"),
        ("90004", "alf.tyrivik@quillmoss.example", "2024-03-04", "99.00", "XX-999", "3", "5.00"),
        ("90004", "alf.tyrivik@quillmoss.example", "2024-03-04", "99.00", "XX-901", "1", "5.00"),
    )
]  # fmt: skip
CUSTOMERS: Rows = [
    {"E-mail": "tone.hasselvik@quillmoss.example", "Name": "Tone Hasselvik", "Member number": "Q-90001"},
    {"E-mail": "alf.tyrivik@quillmoss.example", "Name": "Alf Tyrivik", "Member number": "Q-90002"},
]
TERMS: Rows = [
    {"Path": path, "Slug": slug, "Vocabulary": "category"}
    for path, slug in (("Roots > Beets > Round", "round-beets"), ("Roots", "roots-here"), ("Roots > Beets", "beets"),
                       ("Leaves", "leaves"), ("Leaves > Chard", "chard"))
]  # fmt: skip

HASH = "$2y$04$QuillmossSeedsRyeMossujpiBgGeqyXi4cTZWJaC4xMkQojmIxlO"
"""What an old shop keeps of the password rye-and-moss."""
USERS: Rows = [
    {"Login": f"{name}.rye", "E-mail": f"{name}@quillmoss.example", "Level": "author", "Stored password": HASH}
    for name in ("liv", "per", "siv")
]
PRODUCTS: Rows = [
    {"Article no.": f"QB-20{at}", "Article": f"{word} bean", "Web name": f"bean-{at}", "Price": "30.00",
     "Sorted under": "chard|beets", "Pictures": f"bean-{at}.jpg, pod.jpg"}
    for at, word in enumerate(("Tall", "Low", "Old"), 1)
]  # fmt: skip
OFFERS: Rows = [
    {"Code": f"HARVEST-{at}", "Kind": "percent", "Worth": "10", "Valid from": "2024-03-01 08:00",
     "Articles": "QB-201, QB-202, QB-203"}
    for at in (11, 12, 13)
]  # fmt: skip
ARTICLES: Rows = [
    {"Group": f"note-{at}", "Language": language, "Web name": f"{slug}-{at}-{language}", "Headline": f"{slug} {at}",
     "Text": "<p>Read on.</p>", "State": "published", "Online from": "2016-05-12 22:00", "Author": "per.rye",
     "Sorted under": "beets"}
    for at in (1, 2) for language, slug in (("en", "growing"), ("nb", "dyrke"))
]  # fmt: skip
COMMENTS: Rows = [
    {"No.": number, "On": "growing-1-en", "Answers no.": answers, "Author": who,
     "E-mail": f"c{number}@quillmoss.example", "Text": text, "State": "approved", "Said": f"2024-04-0{number} 11:02"}
    for number, answers, who, text in (
        ("1", "", "Tone Hasselvik", "Mine never come up."), ("2", "1", "Alf Tyrivik", "Sow later."),
        ("3", "1", "Liv Rugvik", "Which sieve?"),
    )
]  # fmt: skip
ENTRIES: Rows = [
    {"Ref.": f"C2024-{at}", "Course": "Saving bean seed", "Participant": "alf.tyrivik@quillmoss.example",
     "Booked": "2024-01-04 21:00", "State": "attended", "Paid": "250.00", "Files": name}
    for at, name in ((1, "entry-1.pdf"), (2, "entry-2.pdf"), (3, "pod.jpg"))
]  # fmt: skip


SITE: dict[str, list[dict[str, Any]]] = {
    "vocabulary": [{"name": "category", "title": "Categories"}],
    "product": [
        {"sku": f"XX-{number}", "name": f"Packet {number}", "slug": f"packet-{number}", "price": 10.0,
         "status": "published"}
        for number in (900, 901, 902)
    ],
}  # fmt: skip


def mapping_of(journey: Journey) -> Mapping:
    with session() as store:
        return open_import(store, journey.import_id).mapping


def relink(journey: Journey, **rules: dict[str, Any]) -> None:
    with session() as store:
        now = open_import(store, journey.import_id)
        links = dict(now.mapping.links)
        for path, part in rules.items():
            path = path.replace("__", ".")
            links[path] = LinkRule.model_validate({**links.get(path, LinkRule()).model_dump(), **part})
        changed = now.mapping.model_copy(update={"links": links})
        mapping_station.save_mapping(store, "ada", journey.import_id, now.mapping_version, changed)


def found(journey: Journey) -> set[tuple[int | None, str, str]]:
    """What a check finds: record, field and rule."""
    with session() as store:
        result = check.check_import(store, "ada", journey.import_id)
        records = check.found_records(store, result.id, None, None)
        return {(one.record, one.field, one.rule) for one in check.findings_of(store, result.id, records)}


def take(connected: int, *names: str) -> None:
    with session() as store:
        wanted = [one.id for one in snapshots.start_snapshots(store, "ada", connected, list(names))]
    for one in wanted:
        asyncio.run(snapshots.take(one))
