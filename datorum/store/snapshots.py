"""The records of a snapshot, kept in chunks of Parquet: ids, keys, versions, a hash of each and what its fields have
beside the record."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

import orjson
import polars as pl
from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from datorum.core.json_columns import texts_at
from datorum.core.model import SiteRecord
from datorum.core.plan import at
from datorum.core.table.packed import column_names, packed, unpacked
from datorum.core.values import all_at
from datorum.store.models import SnapshotChunk

ID, HASH, BODY, GIVEN, ETAG, PAGE, CHANGED = "id", "hash", "body", "given", "etag", "page", "changed"
LABEL = "label"
_KEY, _FIELD = "key:", "field:"


def key_column(path: str) -> str:
    """The column of a chunk that has the values of a key."""
    return _KEY + path


def frame_of(
    records: Sequence[SiteRecord],
    keys: Sequence[str],
    changed_at: str | None,
    called_at: str | None = None,
    fields: Sequence[str] = (),
) -> pl.DataFrame:
    """Records as the rows of a chunk; ``keys`` are the paths of the fields that tell them apart, ``called_at`` that of
    what a person calls them, ``fields`` of those whose values are kept as columns too: rehearsals compare them."""
    bodies = [orjson.dumps(record.body, option=orjson.OPT_SORT_KEYS) for record in records]
    frame = pl.DataFrame(
        {
            ID: [record.id for record in records],
            HASH: [int.from_bytes(hashlib.blake2b(body, digest_size=8).digest()) for body in bodies],
            ETAG: [record.etag for record in records],
            PAGE: [record.page for record in records],
            CHANGED: [text_of(at(record.body, changed_at)) if changed_at else None for record in records],
            LABEL: [text_of(at(record.body, called_at)) if called_at else None for record in records],
            **{key_column(path): [text_of(at(record.body, path)) for record in records] for path in keys},
            BODY: [orjson.dumps(record.body) for record in records],
            GIVEN: [None if record.given is None else orjson.dumps(record.given) for record in records],
        },
        schema={
            ID: pl.String, HASH: pl.UInt64, ETAG: pl.String, PAGE: pl.String, CHANGED: pl.String, LABEL: pl.String,
            **{key_column(path): pl.String for path in keys}, BODY: pl.Binary, GIVEN: pl.Binary,
        },
    )  # fmt: skip
    texts = texts_at((record.body for record in records), fields)
    return frame.with_columns(**{_FIELD + path: column for path, column in texts.items()})


def columns_for(keys: Sequence[str]) -> list[str]:
    """The columns of chunks that are needed to look for records by some keys."""
    return [ID, BODY, *map(key_column, keys)] if keys else [ID]


def key_values(chunk: pl.DataFrame, path: str) -> pl.Series:
    """The values of a key, from its column or, where it was not kept by it, from the records."""
    if key_column(path) in chunk.columns:
        return chunk[key_column(path)]
    return pl.Series([text_of(at(orjson.loads(body), path)) for body in chunk[BODY]], dtype=pl.String)


def field_columns(paths: Collection[str]) -> list[str]:
    """The columns of chunks that are needed for ``with_texts``."""
    return [BODY, *(_FIELD + path for path in paths)]


def with_texts(chunk: pl.DataFrame, texts: Mapping[str, str]) -> pl.DataFrame:
    """A chunk with what the records have in some fields as JSON, from their columns or, where they were not kept by
    these, from the records. ``texts``: the columns to be, by the paths of the fields."""
    kept = {_FIELD + path: name for path, name in texts.items() if _FIELD + path in chunk.columns}
    lacking = [path for path in texts if _FIELD + path not in chunk.columns]
    read = texts_at(map(orjson.loads, chunk[BODY]), lacking) if lacking else {}
    return chunk.rename(kept).with_columns(**{texts[path]: column for path, column in read.items()})


def inner_values(chunk: pl.DataFrame, path: str) -> pl.DataFrame:
    """The values that a field has within lists of the records: ``value`` and the ``id`` of its record."""
    # Most records of most kinds have nothing there, and need not be read.
    around = path.split(".")[-2] if "." in path else ""
    having = chunk.filter(pl.col(BODY).bin.contains(f'"{around}":[{{'.encode())) if around else chunk
    found = [
        (number, text)
        for number, body in having.select(ID, BODY).iter_rows()
        for value in all_at(orjson.loads(body), path)
        if (text := text_of(value)) is not None
    ]
    return pl.DataFrame(found, schema={"id": pl.String, "value": pl.String}, orient="row")


def text_of(value: Any) -> str | None:
    """A value of a record as the text of a key; null for what is none."""
    if value is None or isinstance(value, dict | list):
        return None
    return str(value)


def records_in(chunk: pl.DataFrame) -> Iterator[SiteRecord]:
    """The records of a chunk as the site gave them."""
    for number, etag, page, body in chunk.select(ID, ETAG, PAGE, BODY).iter_rows():
        yield SiteRecord(id=number, body=orjson.loads(body), etag=etag, page=page)


def keep_chunk(store: Session, snapshot_id: int, frame: pl.DataFrame, mark: str | None) -> None:
    """Keep some more records. ``mark``: where reading goes on after them."""
    last = store.scalar(select(func.max(SnapshotChunk.number)).where(SnapshotChunk.snapshot_id == snapshot_id))
    number = 0 if last is None else last + 1
    place = {"snapshot_id": snapshot_id, "number": number, "records": frame.height, "mark": mark}
    store.execute(insert(SnapshotChunk).values(**place, parquet=packed(frame)))


def chunks(store: Session, snapshot_id: int, columns: Sequence[str] | None = None) -> Iterator[pl.DataFrame]:
    """The chunks in the order in which they were read, one at a time; of each some columns, or all but those of single
    fields."""
    for number in _numbers(store, snapshot_id):
        yield _chunk(store, snapshot_id, number, columns)


def _numbers(store: Session, snapshot_id: int) -> list[int]:
    asked = select(SnapshotChunk.number).where(SnapshotChunk.snapshot_id == snapshot_id)
    return list(store.scalars(asked.order_by(SnapshotChunk.number)))


def _chunk(store: Session, snapshot_id: int, number: int, columns: Sequence[str] | None) -> pl.DataFrame:
    data = _packed_chunk(store, snapshot_id, number)
    return unpacked(data, columns or [name for name in column_names(data) if not name.startswith(_FIELD)])


def _packed_chunk(store: Session, snapshot_id: int, number: int) -> bytes:
    here = SnapshotChunk.snapshot_id == snapshot_id, SnapshotChunk.number == number
    return store.scalars(select(SnapshotChunk.parquet).where(*here)).one()


def chunk_at(store: Session, snapshot_id: int, place: int) -> pl.DataFrame:
    """The chunk at a place in the order of reading, all columns but those of single fields."""
    return _chunk(store, snapshot_id, _numbers(store, snapshot_id)[place], None)


def last_mark(store: Session, snapshot_id: int) -> tuple[str | None, bool]:
    """Where reading goes on after all that is kept, and whether anything is."""
    asked = select(SnapshotChunk.mark).where(SnapshotChunk.snapshot_id == snapshot_id)
    found = store.execute(asked.order_by(SnapshotChunk.number.desc()).limit(1)).first()
    return (None, False) if found is None else (found[0], True)


def forget_chunks(store: Session, snapshot_id: int) -> None:
    """Begin anew."""
    store.execute(delete(SnapshotChunk).where(SnapshotChunk.snapshot_id == snapshot_id))


def leave_latest(store: Session, snapshot_id: int) -> int:
    """Of records that were read more than once leave the one that was read last. How many there are then."""
    ids = pl.concat(
        [
            frame.with_columns(pl.lit(number).alias("chunk"), pl.int_range(pl.len()).alias("at"))
            for number, frame in enumerate(chunks(store, snapshot_id, [ID]))
        ]
        or [pl.DataFrame(schema={ID: pl.String, "chunk": pl.Int32, "at": pl.Int64})]
    )
    latest = ids.unique(ID, keep="last", maintain_order=True)
    if latest.height < ids.height:
        for chunk, number in enumerate(_numbers(store, snapshot_id)):
            left = latest.filter(pl.col("chunk") == chunk)["at"]
            frame = unpacked(_packed_chunk(store, snapshot_id, number))
            if len(left) < frame.height:
                here = SnapshotChunk.snapshot_id == snapshot_id, SnapshotChunk.number == number
                fewer = frame[left]
                store.execute(update(SnapshotChunk).where(*here).values(records=fewer.height, parquet=packed(fewer)))
    return latest.height
