"""A plan as it is frozen: its items in chunks that nobody alters, and what is to become of each beside them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from types import TracebackType

import numpy as np
import polars as pl
from sqlalchemy.orm import Session

from datorum.core.in_order import in_order
from datorum.core.link import MEANS_ROW
from datorum.core.model import Action, PlanRow, RecordType
from datorum.core.plan.frame import ITEM, PLAN_SCHEMA, after, before, frame_of, rows_of, sent_paths
from datorum.core.plan.order import order
from datorum.core.plan.plan import ChangedFields
from datorum.core.table.packed import packed
from datorum.store.beside import Beside
from datorum.store.bulk import analyze
from datorum.store.plan_items import CHUNK_ITEMS, forget_items, keep_changing, keep_chunk, keep_items, told

_SLIM = [ITEM, "chunk", "action", "record_type", "of_item", "record_id"]
_ASKED_FOR = ["plan_id", "item", "wave", "state", "action", "run_id"]
_MEANT = rf"{MEANS_ROW}\s*-?\d+(?:,\s*\"was\")?"
_NUMBER = rf"{MEANS_ROW}\s*(-?\d+)"
_SENT = [action.value for action in Action if action.sends]


class Freezing:
    """A plan while it is made: frames are added to it, then it is put in order and ``done``. ``links``: the fields
    whose values may mean items of the plan. ``files``: by the names that items have for their record types, the field
    whose file goes by a request of its own, behind its record.

    What is to become of the items is kept in a transaction of its own while others are still decided. Nobody looks at
    the items of a plan that is not frozen, and what is left of a try that was cut short goes with the next."""

    def __init__(
        self, store: Session, plan_id: int, links: Collection[str], files: Mapping[str, str] | None = None
    ) -> None:
        self._store = store
        self._plan_id = plan_id
        self._links = frozenset(links)
        self._chunks = 0
        self._slim: list[pl.DataFrame] = []
        self._overlaid = False
        self._beside = Beside()
        self._settled: list[pl.Series] = []
        self._edges: list[pl.DataFrame] = []
        self._wave: dict[int, int] = {}
        self._changed = ChangedFields()
        self._files = files or {}
        self._behind: list[PlanRow] = []
        self._handing_in: frozenset[int] = frozenset()
        self.put_right = 0
        self.handed_in = 0

    def __enter__(self) -> Freezing:
        self._beside.__enter__().do(lambda store: forget_items(store, self._plan_id))
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._beside.__exit__(kind, error, trace)

    def add(self, frame: pl.DataFrame, wave: int = 0) -> None:
        """Add items to the plan, to be sent in a wave unless they wait for others."""
        for name, path in self._files.items():
            if after(path) in frame.columns:
                frame = self._without_file(frame, name, path)
        for part, slim in self._kept_in_chunks(frame):
            edges = self._meant(part)
            self._edges.append(edges)
            # What means others is put in order first, and what links make goes only where it is needed.
            settled = (pl.col("record_type") == "") & ~pl.col(ITEM).is_in(edges[ITEM].implode())
            self._keep(slim.filter(settled).with_columns(wave=pl.lit(wave, dtype=pl.Int32)))
            if wave:
                self._wave |= dict.fromkeys(slim.filter(~settled)[ITEM].to_list(), wave)
        self._changed.see(frame)

    def _keep(self, items: pl.DataFrame) -> None:
        """Have kept, beside all else, what is to become of some items, with the wave of each."""
        state = pl.when(pl.col("action").is_in(_SENT)).then(pl.lit("pending")).otherwise(pl.lit("none"))
        whole = items.select(*_SLIM, "wave", state.alias("state"))
        self._settled.append(items[ITEM])
        self._beside.do(lambda store: keep_items(store, self._plan_id, whole))

    def _without_file(self, frame: pl.DataFrame, name: str, path: str) -> pl.DataFrame:
        """Items without the files that are handed in behind them. Where nothing else is sent, the file is what is."""
        others = [pl.col(after(other)).is_not_null() for other in sent_paths(frame) if other != path]
        alone = (pl.col("action") == Action.UPDATE.value) & ~pl.any_horizontal(pl.lit(False), *others)
        apart = (pl.col("record_type") == name) & pl.col(after(path)).is_not_null() & ~alone
        for row in rows_of(frame.filter(apart).select(*PLAN_SCHEMA, before(path), after(path))):
            self._behind.append(replace(row, action=Action.UPDATE, of_item=row.item, row=None, etag=None, on_site=None))
        return frame.with_columns(
            pl.when(apart).then(None).otherwise(pl.col(column)).alias(column) for column in (before(path), after(path))
        )

    def hand_in(self, further: int) -> None:
        """Have files handed in for the items that go, when these are there. ``further``: the number that the next item
        has that no row stands for."""
        if not self._behind:
            return
        going = set(self.items.filter(pl.col("action").is_in(_SENT))[ITEM].to_list())
        rows = [replace(row, item=further - at)
                for at, row in enumerate(row for row in self._behind if row.of_item in going)]  # fmt: skip
        self._overlay(rows)
        self._wave |= {row.item: self._wave.get(row.of_item or 0, 0) + 1 for row in rows}
        self._handing_in = frozenset(row.item for row in rows)

    def _meant(self, frame: pl.DataFrame) -> pl.DataFrame:
        """The items that those of a frame mean: ``item`` and ``meant``, and whether only a text leads there
        (``softly``)."""
        # A list holds the links that stand in it.
        paths = [path for path in sent_paths(frame)
                 if any(f"{link}.".startswith(f"{path}.") for link in self._links) or self._of_made(frame)]  # fmt: skip
        found = [
            frame.filter(pl.col(after(path)).str.contains(MEANS_ROW, literal=True))
            .select(ITEM, pl.col(after(path)).str.extract_all(_MEANT).alias("meant"))
            .explode("meant")
            .with_columns(
                pl.col("meant").str.extract(_NUMBER).cast(pl.Int64), softly=pl.col("meant").str.ends_with('"')
            )
            for path in paths
        ]
        none = pl.DataFrame(schema={ITEM: pl.Int64, "meant": pl.Int64, "softly": pl.Boolean})
        return pl.concat([none, *found]).group_by(ITEM, "meant").agg(pl.col("softly").all())

    @staticmethod
    def _of_made(frame: pl.DataFrame) -> bool:
        return bool((frame["record_type"] != "").any())

    @property
    def sends(self) -> bool:
        """Whether anything is sent for any item so far."""
        return any(slim["action"].is_in(_SENT).any() for slim in self._slim)

    def meant(self) -> set[int]:
        """All items that are meant by any."""
        return self.meant_by_others(())

    def meant_by_others(self, than: Collection[int]) -> set[int]:
        """All items that are meant by any of the sheet but some."""
        if not self._edges:
            return set()
        edges = pl.concat(self._edges)
        others = edges.filter((pl.col(ITEM) >= 0) & ~pl.col(ITEM).is_in(list(than)))
        return set(others["meant"].to_list())

    @property
    def items(self) -> pl.DataFrame:
        """All items so far, each as it was added last."""
        if not self._slim:
            return pl.DataFrame(
                schema={ITEM: pl.Int64, "chunk": pl.Int32, **{name: PLAN_SCHEMA[name] for name in _SLIM[2:]}}
            )
        whole = pl.concat(self._slim)
        return whole.unique(ITEM, keep="last", maintain_order=True) if self._overlaid else whole

    def put_in_order(self, kinds: Mapping[str, RecordType], further: int) -> dict[int, str]:
        """Have items wait for those that they mean. Gives the items that are held besides, with what was to become of
        them. ``kinds``: the record types by the names that items have for them; ``further``: the number that the next
        item has that no row stands for."""
        edges = pl.concat(self._edges).unique((ITEM, "meant")) if self._edges else None
        if edges is None or not edges.height:
            return {}
        items = self.items
        mentioned = items.filter(pl.col(ITEM).is_in(pl.concat([edges[ITEM], edges["meant"]]).unique().implode()))
        # What another import brings is there by then, or its item is refused.
        has = mentioned["record_id"].is_not_null() | (mentioned["action"] == Action.AWAITED.value)
        on_site = mentioned.filter(has)[ITEM].to_list()
        going = mentioned.filter(pl.col("action") == Action.CREATE.value)[ITEM].to_list()
        gone = set(edges["meant"].to_list()) - set(going) - set(on_site)
        while True:
            # A text goes whether what it leads to does or not.
            edges = edges.filter(~(pl.col("softly") & pl.col("meant").is_in(list(gone))))
            waiting: dict[int, set[int]] = {}
            for item, meant, _ in edges.iter_rows():
                waiting.setdefault(item, set()).add(meant)
            ordered = order(waiting, going, on_site, self._told, kinds, further)
            gone = set(ordered.held) & set(edges.filter("softly")["meant"].to_list())
            if not gone:
                break
        self._wave |= {item: wave for item, wave in ordered.wave.items() if wave}
        held = items.filter(pl.col(ITEM).is_in(list(ordered.held)))
        was = dict(held.select(ITEM, "action").iter_rows())
        again = [_held(row, ordered.held[item]) for item, row in self._told(ordered.held).items()]
        for rows in (again, ordered.fewer, [row for row, _ in ordered.put_right]):
            self._overlay(rows)
        self._wave |= {row.item: wave for row, wave in ordered.put_right}
        self.put_right = len(ordered.put_right)
        return was

    def _overlay(self, rows: Collection[PlanRow]) -> None:
        if rows:
            self._overlaid = True
            self._kept_in_chunks(frame_of(rows))

    def _kept_in_chunks(self, frame: pl.DataFrame) -> list[tuple[pl.DataFrame, pl.DataFrame]]:
        """Keep items in chunks. The items of each, whole and slim."""
        parts = []
        for part, data in in_order(lambda part: (part, packed(part)), frame.iter_slices(CHUNK_ITEMS)):
            keep_chunk(self._store, self._plan_id, self._chunks, data)
            slim = part.with_columns(pl.lit(self._chunks, dtype=pl.Int32).alias("chunk")).select(_SLIM)
            self._slim.append(slim)
            self._chunks += 1
            parts.append((part, slim))
        return parts

    def _told(self, items: Iterable[int]) -> dict[int, PlanRow]:
        wanted = self.items.filter(pl.col(ITEM).is_in(list(items)))
        return told(self._store, self._plan_id, dict(wanted.select(ITEM, "chunk").iter_rows()))

    def done(self, without: Collection[int] = ()) -> Counter[str]:
        """Keep what is to become of each item, but for those ``without``. How many there are of each action, made
        records and those that are changed once more apart."""
        items = self.items
        if without:
            gone = pl.col(ITEM).is_in(list(without)) | pl.col("of_item").is_in(list(without)).fill_null(False)
            items = items.filter(~gone)
        self.handed_in = int(items[ITEM].is_in(list(self._handing_in)).sum())
        settled = pl.concat(self._settled) if self._settled else pl.Series(dtype=pl.Int64)
        told_waves = pl.DataFrame({ITEM: list(self._wave), "wave": list(self._wave.values())},
                                  schema={ITEM: pl.Int64, "wave": pl.Int32})  # fmt: skip
        rest = items.filter(~pl.col(ITEM).is_in(settled.implode())).sort(ITEM)
        self._keep(rest.join(told_waves, on=ITEM, how="left").with_columns(pl.col("wave").fill_null(0)))
        self._beside.do(lambda store: analyze(store, "plan_item", _ASKED_FOR))
        keep_changing(self._store, self._plan_id, self._changed.items())
        own = items.filter(pl.col("record_type") == "", pl.col("of_item").is_null())
        return Counter(dict(own["action"].value_counts().iter_rows()))

    @property
    def changed_fields(self) -> list[dict[str, object]]:
        """Which fields change, as they are kept with a plan."""
        return [change.model_dump(mode="json") for change in self._changed.done()]


def _held(row: PlanRow, why: str) -> PlanRow:
    return PlanRow(item=row.item, row=row.row, action=Action.HELD, key=row.key, reason=why, record_type=row.record_type)


def parts_of(sizes: Iterable[int]) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Where each of some parts begins, and the last ends."""
    return np.concatenate([[0], np.cumsum(list(sizes), dtype=np.int64)]).astype(np.int64)
