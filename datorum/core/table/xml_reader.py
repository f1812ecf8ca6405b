"""XML, RSS 2.0 and Atom (RFC 4287) into sheets: an element that repeats is a record; its attributes and what is nested
in it become columns. Entities and document types are refused."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

from datorum.core.errors import Place, UnreadableFile
from datorum.core.table.dialect import Dialect
from datorum.core.table.formats import Format, SheetRef, certain
from datorum.core.table.json_reader import Record, flattened, records_reading
from datorum.core.table.sheet import Limits, Reading

_READ = 256 * 1024
_MAX_DEPTH = 200
_TEXT = "#text"
_PREFERRED = ("item", "entry", "record", "row", "product", "customer", "order", "user", "comment")


def _knows(head: bytes, filename: str) -> bool:
    text = head.replace(b"\0", b"").removeprefix(b"\xef\xbb\xbf").removeprefix(b"\xff\xfe").removeprefix(b"\xfe\xff")
    return re.match(rb"(?i)\s*<(\?xml|!--|!doctype|[a-z_])", text) is not None and not re.match(
        rb"(?i)\s*<(!doctype )?html", text
    )


def _parse(path: Path, prepare: Callable[[Any], None]) -> Iterator[None]:
    """Feed a file to a parser, stopping between blocks. Raises UnreadableFile for what is no well-formed XML."""
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.DefaultHandlerExpand = None
    parser.EntityDeclHandler = _refuse_entity
    parser.AttlistDeclHandler = _refuse_defaults
    prepare(parser)
    try:
        with path.open("rb") as file:
            while block := file.read(_READ):
                parser.Parse(block, False)
                yield
            parser.Parse(b"", True)
            yield
    except (LookupError, ValueError) as error:
        # The parser asks Python for encodings that it does not know itself, which may not know them either.
        raise UnreadableFile(
            "The XML names an encoding that there is not, or is not written in it.",
            remedy="Export it in UTF-8.",
        ) from error
    except expat.ExpatError as error:
        raise UnreadableFile(
            f"The XML is not well-formed at line {error.lineno:,}: {expat.ErrorString(error.code)}.",
            remedy="Export the file again, or have its maker look at this line.",
            place=Place(row=error.lineno),
        ) from error


def _refuse_entity(*_: object) -> None:
    raise UnreadableFile(
        "The XML defines entities of its own, which Datorum does not expand.",
        remedy="Export it without a document type (DOCTYPE).",
    )


def _refuse_defaults(element: str, attribute: str, kind: str, default: str | None, required: bool) -> None:
    if default is not None:
        raise UnreadableFile(
            "The XML defines values for attributes that are not written, which Datorum does not put in.",
            remedy="Export it without a document type (DOCTYPE).",
        )


def _too_deep() -> UnreadableFile:
    return UnreadableFile("The XML is nested too deep.", remedy="Export a flatter file.")


def _repeating(path: Path) -> Counter[str]:
    """How often each element that has a parent stands in the file, by its path."""
    counts: Counter[str] = Counter()
    rich: set[str] = set()
    stack: list[str] = []

    def start(name: str, attributes: dict[str, str]) -> None:
        if len(stack) >= _MAX_DEPTH:
            raise _too_deep()
        if stack:
            rich.add(stack[-1])
        path = f"{stack[-1]}/{name}" if stack else name
        stack.append(path)
        counts[path] += 1
        if len(counts) > 20_000:
            raise UnreadableFile(
                "The XML has too many kinds of element.", remedy="Export a file of one kind of record."
            )
        if attributes:
            rich.add(path)

    def prepare(parser: Any) -> None:
        parser.StartElementHandler = start
        parser.EndElementHandler = lambda name: stack.pop()

    for _ in _parse(path, prepare):
        pass
    # An element without children or attributes is a value, unless the file has nothing else.
    found = Counter({path: count for path, count in counts.items() if path in rich and "/" in path})
    return found or Counter({path: count for path, count in counts.items() if "/" in path})


def _ranked(counts: Counter[str]) -> list[str]:
    """The paths, the likeliest record first: one that repeats, is named like a record, and stands not too deep."""

    def worth(path: str) -> tuple[bool, bool, int, int]:
        name = path.rsplit("/", 1)[1].rsplit(":", 1)[-1].lower()
        return (counts[path] > 1, name in _PREFERRED, -path.count("/"), counts[path])

    return sorted(counts, key=worth, reverse=True)


def _sheets(path: Path, limits: Limits) -> tuple[SheetRef, ...]:
    counts = _repeating(path)
    if not counts:
        raise UnreadableFile("The XML has no element that repeats.", remedy="Export a list of records.")
    return tuple(SheetRef(name=name, rows=counts[name]) for name in _ranked(counts)[:50])


def _guess(path: Path, sheet: str) -> Dialect:
    return Dialect(format="xml", sheet=sheet or _sheets(path, Limits())[0].name, header_line=0)


def _read(path: Path, dialect: Dialect, limits: Limits) -> Reading:
    return records_reading(_records(path, dialect.sheet), limits)


class _Element:
    """An element while it is read."""

    def __init__(self, name: str, attributes: dict[str, str]) -> None:
        self.name = name
        self.attributes = attributes
        self.children: dict[str, list[Any]] = {}
        self.text: list[str] = []

    def value(self) -> Any:
        """A text where it is all there is, else an object; what repeats is a list."""
        text = "".join(self.text)
        if not self.children and not self.attributes:
            return text
        found: dict[str, Any] = dict(self.attributes)
        for name, values in self.children.items():
            found[f"@{name}" if name in found else name] = values[0] if len(values) == 1 else values
        if text.strip():
            found[_TEXT] = text if not self.children else text.strip()
        return found


def _records(path: Path, wanted: str) -> Iterator[Record]:
    done: list[Record] = []
    names: list[str] = []
    inside: list[_Element] = []
    markup: list[str] | None = None
    markup_depth = 0
    line = 1
    parser_line: Callable[[], int] = lambda: 0  # noqa: E731

    def start(name: str, attributes: dict[str, str]) -> None:
        nonlocal line, markup, markup_depth
        if markup is not None:
            markup.append(f"<{name}{''.join(f' {key}={quoteattr(value)}' for key, value in attributes.items())}>")
            markup_depth += 1
            return
        names.append(name)
        if len(names) > _MAX_DEPTH:
            raise _too_deep()
        if not inside and "/".join(names) == wanted:
            line = parser_line()
            inside.append(_Element(name, attributes))
        elif inside:
            inside.append(_Element(name, attributes))
            if attributes.get("type") == "xhtml":
                markup, markup_depth = [], 0

    def end(name: str) -> None:
        nonlocal markup, markup_depth
        if markup is not None:
            if markup_depth:
                markup_depth -= 1
                markup.append(f"</{name}>")
                return
            inside[-1].text = ["".join(markup)]
            inside[-1].attributes = {}
            markup = None
        names.pop()
        if not inside:
            return
        element = inside.pop()
        if inside:
            inside[-1].children.setdefault(element.name, []).append(element.value())
            return
        done.append((line, _columns(element.value())))

    def text(data: str) -> None:
        if markup is not None:
            markup.append(escape(data))
        elif inside:
            inside[-1].text.append(data)

    def prepare(parser: Any) -> None:
        nonlocal parser_line
        parser.StartElementHandler = start
        parser.EndElementHandler = end
        parser.CharacterDataHandler = text
        parser_line = lambda: parser.CurrentLineNumber  # noqa: E731

    for _ in _parse(path, prepare):
        yield from done
        done.clear()


def _columns(value: Any) -> dict[str, str | None]:
    if not isinstance(value, dict):
        return {"value": value}
    flat = flattened(value)
    columns: dict[str, str | None] = {}
    for name, cell in flat.items():
        # The text of an element with attributes goes by the element's own name.
        short = name.removesuffix(f".{_TEXT}") if name != _TEXT else "value"
        columns[short if short not in columns else name] = cell
    return columns


XML = Format("xml", _knows, _sheets, _guess, _read, certain)
