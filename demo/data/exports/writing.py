"""Articles with their languages in rows, in columns and in two files; comments."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from demo.data.exports.sheet import Cells, Export, Planted, Record, Row, csv_file, moment, planted, to
from demo.data.writing import LANGUAGES

_ORIGINAL, *_OTHERS = LANGUAGES


SHOP = "https://old.quillmoss.example"
"""Where the old shop was to be seen."""


def articles(world: Sequence[Record], pictures: Sequence[Record]) -> Iterator[Export]:
    """The same articles three times, each with the faults of its layout, and their texts as the old shop's page builder
    has left them."""
    many = len(world)
    world = list(_as_built(world, pictures))
    found = planted(
        world, "articles",
        {
            "unknown author": (5, to("author", "nobody")),
            "unknown language": (4, to("language", "xx")),
            "no title": (6, to("title", "")),
            "web name out of form": (4, to("slug", "Ein Jahr mit Rüben")),
        },
    )  # fmt: skip
    rows: list[Row] = [({"Group": one.record["key"], **_told(one.record)}, one.faults) for one in found]
    rows.insert(90, ({**rows[30][0]}, {"language stands twice"}))
    yield csv_file("articles-rows.csv", "articles", "a row a language", rows, many)
    yield csv_file("articles-columns.csv", "articles", "a column a language", _columns(world), many, delimiter=",")
    originals: list[Row] = [(_told(one), set()) for one in world if one["language"] == _ORIGINAL]
    yield csv_file("articles-originals.csv", "articles", "two files: the originals …", originals, len(originals))
    yield csv_file("articles-translations.csv", "articles", "… and their translations", _translations(world),
                   many - len(originals))  # fmt: skip


def _as_built(world: Sequence[Record], pictures: Sequence[Record]) -> Iterator[Record]:
    """Articles with shortcodes, wrappers, links to others of the same language, to pages that nobody has moved, and
    pictures, in the addresses of the old shop."""
    many = len(LANGUAGES)
    for number, one in enumerate(world):
        group = number // many
        parts = [one["body"]]
        if group % 3 == 0:
            other = world[(number + 7 * many) % len(world)]
            server = SHOP if group % 2 else ""
            parts.append(f'<p>Read <a href="{server}/notes/{other["slug"]}.html#top">{other["title"]}</a>, too.</p>')
        if group % 4 == 0:
            picture = pictures[group % len(pictures)]["filename"]
            parts.append(f'<p><img src="{SHOP}/shop-files/pictures/{picture}" alt="{one["title"]}"></p>')
        if group % 20 == 7:
            parts.append('<p>Come to the <a href="/fair-of-2014.html">fair</a>.</p>')
        text = "".join(parts)
        if group % 5 == 0:
            text = f'[beds_row columns="2"]<div class="bed">{text}</div>[/beds_row]'
            text += '[advert place="foot"]Buy now![/advert]'
        yield {**one, "body": text}


def _told(one: Record) -> Cells:
    return {
        "Language": one["language"], "Web name": one["slug"], "Headline": one["title"], "Text": one["body"],
        "Teaser": one["summary"], "State": one["status"], "Online from": moment(one["published_at"]),
        "Author": one["author"], "Sorted under": ", ".join(one["terms"]),
    }  # fmt: skip


def _groups(world: Sequence[Record]) -> Iterator[dict[str, Record]]:
    """The languages of each article."""
    for at in range(0, len(world), len(LANGUAGES)):
        yield {one["language"]: one for one in world[at : at + len(LANGUAGES)]}


def _columns(world: Sequence[Record]) -> Iterator[Row]:
    for number, group in enumerate(_groups(world)):
        first = group[_ORIGINAL]
        cells = {"Author": first["author"], "State": first["status"], "Online from": moment(first["published_at"])}
        faults: set[str] = set()
        for language, one in group.items():
            cells |= {
                f"Headline ({language})": one["title"], f"Text ({language})": one["body"],
                f"Web name ({language})": one["slug"], f"Teaser ({language})": one["summary"],
            }  # fmt: skip
        if number in (8, 70):
            cells["Headline (de)"] = ""
            faults = {"text without a headline"}
        yield cells, faults


def _translations(world: Sequence[Record]) -> list[Row]:
    rows: list[Row] = []
    for number, group in enumerate(_groups(world)):
        for language in _OTHERS:
            original, faults = group[_ORIGINAL]["slug"], set[str]()
            if number in (12, 99):
                original, faults = "a-page-that-was-deleted-en", {"original is not there"}
            rows.append(({"Translation of": original, **_told(group[language])}, faults))
    return rows


def comments(world: Sequence[Record]) -> Iterator[Export]:
    """A row a comment, with the number of the one that it answers."""
    found = planted(
        world, "comments",
        {
            "unknown article": (13, to("article", "a-page-that-was-deleted-en")),
            "answers what is not there": (9, to("parent", 99_999)),
            "impossible date": (6, to("posted_at", "29.02.2017 25:10")),
            "no text": (5, to("body", "")),
        },
    )  # fmt: skip
    # The newest first, as the shop lists them: answers stand above what they answer.
    yield csv_file("comments.csv", "comments", "a row a comment, the newest first", _remarks(found[::-1]), len(found))


def _remarks(found: Sequence[Planted]) -> Iterator[Row]:
    for one in found:
        record = one.record
        cells = {
            "No.": str(record["number"]), "On": record["article"], "Answers no.": str(record["parent"] or ""),
            "Who": record["author_name"], "E-mail": record["author_email"] or "", "Text": record["body"],
            "State": record["status"], "Said": moment(record["posted_at"]),
        }  # fmt: skip
        yield cells, one.faults
