"""A file is read in a process of its own: whatever it does there, only who gave it is told, and within bounds."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import polars as pl
import pytest

from datorum.core.errors import UnreadableFile
from datorum.core.table import FLAG, ROW, Limits, open_file
from datorum.core.table.packed import packed
from datorum.reader import Allowance, TooManyReaders, kept_ready, open_apart
from datorum.reader.process import FileApart, frame_of
from tests.mutated import mutated, outcomes
from tests.reader_files import HARMFUL

ALLOWANCE = Allowance(seconds=60)


@pytest.fixture(autouse=True, scope="module")
def _ready() -> Iterator[None]:
    with kept_ready():
        yield


def written(folder: Path, name: str, data: bytes) -> Path:
    path = folder / name
    path.write_bytes(data)
    return path


def rows_of(path: Path) -> int:
    with open_apart(path, path.name, Limits(), ALLOWANCE) as file:
        return sum(frame.height for frame in file.read(file.guess()))


def children(of: int) -> set[int]:
    return {int(one) for file in Path(f"/proc/{of}/task").glob("*/children") for one in file.read_text().split()}


def nursery() -> int:
    """The process from which this one's readers are forked."""
    [found] = [one for one in children(os.getpid()) if b"nursery" in Path(f"/proc/{one}/cmdline").read_bytes()]
    return found


def readers() -> set[int]:
    return children(nursery())


SHEETS = {
    "a.csv": b"a;b\n1;2\n3\n;;\na;b\n",
    "b.json": b'[{"a": 1}, {"a": 2, "b": "x"}, 7]',
    "c.xls": (Path(__file__).parent / "files" / "growers.xls").read_bytes(),
    "d.ndjson": b"".join(b'{"n": %d, "text": "%s"}\n' % (n, b"x" * 90) for n in range(70_000)),
}


@pytest.mark.parametrize("name", SHEETS)
def test_a_file_reads_apart_as_it_reads_here(tmp_path: Path, name: str) -> None:
    path = written(tmp_path, name, SHEETS[name])
    with open_file(path, name) as here, open_apart(path, name, Limits(), ALLOWANCE) as apart:
        assert apart.sheets == here.sheets
        dialect = here.guess()
        assert apart.guess() == dialect
        assert apart.with_lines(dialect) == here.with_lines(dialect)
        assert apart.confidence(dialect) == here.confidence(dialect)
        ours, theirs = here.read(dialect).collect(), apart.read(dialect).collect()
    assert theirs.frame.equals(ours.frame)
    assert (theirs.headers, theirs.notes, theirs.flags) == (ours.headers, ours.notes, ours.flags)
    assert theirs.blank_lines == ours.blank_lines


@pytest.mark.parametrize("name", HARMFUL)
def test_a_harmful_file_is_refused_with_a_sentence_or_read(tmp_path: Path, name: str) -> None:
    make, says = HARMFUL[name]
    path = written(tmp_path, name, make())
    began = time.monotonic()
    if says:
        with pytest.raises(UnreadableFile, match=says) as refused:
            rows_of(path)
        assert refused.value.remedy
    else:
        assert rows_of(path) > 0
    assert time.monotonic() - began < 45


def test_a_file_that_takes_too_long_is_given_up_and_its_process_ended(tmp_path: Path) -> None:
    path = written(tmp_path, "a.csv", b"a,b\n" + b"1,2\n" * 3_000_000)
    with (
        pytest.raises(UnreadableFile, match="within 0 seconds") as caught,
        open_apart(path, "a.csv", Limits(), Allowance(seconds=0.01, bytes_a_second=10**12)) as file,
    ):
        list(file.read(file.guess()))
    assert "DATORUM_READING" in caught.value.remedy
    assert readers() == set()


def test_a_file_that_takes_too_much_memory_is_given_up(tmp_path: Path) -> None:
    path = written(tmp_path, "a.csv", b"a,b\n" + b"1,2\n" * 3_000_000)
    with (
        pytest.raises(UnreadableFile, match=r"more than 0\.0 GB of memory"),
        open_apart(path, "a.csv", Limits(), Allowance(memory=20_000_000)) as file,
    ):
        list(file.read(file.guess()))


def test_a_reader_that_is_killed_is_told_and_the_next_file_is_read(tmp_path: Path) -> None:
    path = written(tmp_path, "a.csv", b"a,b\n" + b"1,2\n" * 300_000)
    with open_apart(path, "a.csv", Limits(), ALLOWANCE) as file:
        kill(file)
        with pytest.raises(UnreadableFile, match="memory"):
            file.guess()
    assert rows_of(path) == 300_000


def kill(file: FileApart) -> None:
    """As the system does when memory runs out."""
    os.kill(file._reader.pid, signal.SIGKILL)


def test_what_is_unpacked_goes_though_the_reader_could_not_clear_up(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path / "scratch"))
    (tmp_path / "scratch").mkdir()
    path = written(tmp_path, "a.zip", HARMFUL["members.zip"][0]())
    with open_apart(path, "a.zip", Limits(members=1000), ALLOWANCE) as file:
        assert list((tmp_path / "scratch").rglob("*.csv"))
        kill(file)
    assert not list((tmp_path / "scratch").iterdir())


def test_no_more_files_are_read_at_once_than_may_be(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("datorum.reader.process._PATIENCE", 0.05)
    path, one = written(tmp_path, "a.csv", b"a,b\n1,2\n"), Allowance(at_once=1)
    with (
        open_apart(path, "a.csv", Limits(), one),
        pytest.raises(TooManyReaders, match="just now"),
        open_apart(path, "a.csv", Limits(), one),
    ):
        pass


def test_a_file_that_is_no_longer_wanted_leaves_no_process(tmp_path: Path) -> None:
    path = written(tmp_path, "a.csv", b"a,b\n" + b"1,2\n" * 900_000)
    with open_apart(path, "a.csv", Limits(), ALLOWANCE) as file:
        next(iter(file.read(file.guess())))
        assert readers() == {file._reader.pid}
    assert readers() == set()


def test_where_the_nursery_was_ended_another_takes_its_place(tmp_path: Path) -> None:
    path = written(tmp_path, "a.csv", b"a,b\n1,2\n")
    with open_apart(path, "a.csv", Limits(), ALLOWANCE) as file:
        ended = nursery()
        os.kill(ended, signal.SIGKILL)
        # The file that is being read comes to no harm by it.
        assert file.guess().delimiter == ","
    assert rows_of(path) == 1
    assert nursery() != ended


def test_many_files_at_once_are_each_read_by_their_own(tmp_path: Path) -> None:
    paths = [written(tmp_path, f"{number}.csv", b"a,b\n" + b"1,2\n" * number) for number in range(1, 40)]
    descriptors = len(list(Path("/proc/self/fd").iterdir()))
    with ThreadPoolExecutor(ALLOWANCE.at_once) as pool:
        assert list(pool.map(rows_of, paths)) == list(range(1, 40))
    assert len(list(Path("/proc/self/fd").iterdir())) == descriptors


def test_no_damaged_file_of_any_format_raises_anything_but_a_refusal() -> None:
    told = dict(outcomes(0, 360))
    assert len(told) == 360
    odd = {f"{number} {mutated(number)[0]}: {what}" for number, what in told.items() if what not in ("read", "refused")}
    # What ends the process of a reader is told as a refusal, by the tests above.
    assert {one for one in odd if not one.endswith(": ended")} == set()


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"PAR1 and nothing else",
        packed(pl.DataFrame({"E-mail": ["a"]})),
        packed(pl.DataFrame({ROW: [2], FLAG: [None], "Spent": [4]}, schema_overrides={FLAG: pl.String})),
        packed(pl.DataFrame({ROW: ["2"], FLAG: ["short"], "E-mail": ["a"]})),
    ],
    ids=["nothing", "no Parquet", "no rows of a sheet", "numbers among the cells", "texts for rows"],
)
def test_what_a_reader_gives_that_is_no_sheet_is_refused(data: bytes) -> None:
    with pytest.raises(UnreadableFile, match="damaged"):
        frame_of(data)
