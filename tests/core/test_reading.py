"""Reading keeps every row and every character."""

from __future__ import annotations

import csv
import io
from typing import Literal

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.errors import UnreadableFile
from datorum.core.table import (
    FLAG,
    ROW,
    Dialect,
    Limits,
    Sheet,
    confidence,
    data_columns,
    guess_dialect,
    read_csv,
    read_delimited,
    write_csv,
)
from demo.data import CustomersDemo


def read(data: bytes) -> Sheet:
    return read_csv(data, guess_dialect(data))


def test_the_demo_sheet_has_the_rows_and_columns_of_its_manifest(demo: CustomersDemo, sheet: Sheet) -> None:
    assert (sheet.height, len(sheet.headers)) == (demo.manifest.rows, demo.manifest.columns)
    assert sheet.flags == {}


def test_a_row_has_the_number_of_the_line_where_it_begins() -> None:
    sheet = read(b'name,note\nAda,"two\nlines"\n\nBo,one\n')
    assert sheet.frame[ROW].to_list() == [2, 5]
    assert sheet.blank_lines == 1


def test_text_is_never_altered() -> None:
    sheet = read(b"code,amount,range,padded\n00120,1E5,3-4, x \n")
    assert sheet.frame.select(data_columns(sheet.frame)).row(0) == ("00120", "1E5", "3-4", " x ")


@pytest.mark.parametrize(
    ("text", "delimiter"),
    [("a,b\n1,2\n", ","), ("a;b\n1,5;2\n", ";"), ("a\tb\n1\t2\n", "\t"), ("a|b|c\n1|2|3\n", "|")],
)
def test_the_delimiter_is_guessed(text: str, delimiter: str) -> None:
    assert guess_dialect(text.encode()).delimiter == delimiter


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_the_encoding_is_guessed(encoding: str) -> None:
    text = "navn,by\nÅse Bjørkvik,Tromsø\nJörg Müßig,Göttingen\n" * 5
    data = text.encode(encoding)
    assert read(data).frame["navn"][0] == "Åse Bjørkvik"


def test_a_title_above_the_header_is_passed_over_and_told() -> None:
    sheet = read(b"Customers of November\n\nname,city\nAda,Quillham\nBo,Ryewick\n")
    assert sheet.headers == ("name", "city")
    assert sheet.frame[ROW].to_list() == [4, 5]
    assert "above the header" in sheet.notes[0]


def test_rows_too_short_or_too_long_or_that_repeat_the_header_are_kept_and_flagged() -> None:
    sheet = read(b"a,b,c\n1,2,3\n1,2\n1,2,3,4,5\na,b,c\n1,2,3\n")
    assert sheet.frame[FLAG].to_list() == [None, "short", "long", "header again", None]
    assert sheet.frame["c"].to_list() == ["3", None, "3", "c", "3"]
    assert sheet.frame["(beyond the header)"].to_list() == [None, None, "4,5", None, None]


def test_headers_that_are_empty_or_stand_twice_get_names_and_say_so() -> None:
    sheet = read(b"name,,name\n1,2,3\n")
    assert sheet.headers == ("name", "Column 2", "name (2)")
    assert len(sheet.notes) == 2


def test_a_quote_that_is_never_closed_is_flagged() -> None:
    sheet = read(b'a,b\n1,2\n3,"4\n5,6\n')
    assert sheet.frame[FLAG].to_list() == [None, "unclosed quote", None]
    assert sheet.frame["b"].to_list() == ["2", '"4', "6"]
    assert "never closed" in sheet.notes[0]


def test_bytes_that_do_not_decode_are_flagged_by_row() -> None:
    sheet = read_csv("a\nfine\nÅse\n".encode("cp1252"), Dialect(encoding="utf-8"))
    assert sheet.frame[FLAG].to_list() == [None, "undecodable"]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"  \n\n", "empty"),
        (b"name,city\n", "header and no rows"),
        (b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\0\1", "not text"),
        (b"PK\x03\x04\0\0\0\0" * 20, "not text"),
        ((",".join(f"c{i}" for i in range(10_000)) + "\n" + "," * 9_999 + "\n").encode(), "10,000 columns"),
    ],
)
def test_what_is_no_sheet_is_refused_with_a_remedy(data: bytes, says: str) -> None:
    with pytest.raises(UnreadableFile, match=says) as raised:
        read(data)
    assert raised.value.remedy


def test_a_header_line_that_does_not_exist_is_said() -> None:
    with pytest.raises(UnreadableFile, match="no header at line 9"):
        read_csv(b"a,b\n1,2\n", Dialect(header_line=9))


def test_limits_are_held() -> None:
    with pytest.raises(UnreadableFile, match="more than 2 rows"):
        read_csv(b"a\n1\n2\n3\n", Dialect(), Limits(rows=2))
    with pytest.raises(UnreadableFile, match="longer than 10 characters"):
        read_csv(b"a\n" + b"x" * 30 + b"\n", Dialect(), Limits(cell=10))


cells = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12)


@given(st.lists(st.lists(cells, min_size=3, max_size=3), min_size=1, max_size=20))
def test_what_is_written_by_the_book_is_read_back_cell_by_cell(rows: list[list[str]]) -> None:
    out = io.StringIO(newline="")
    csv.writer(out, quoting=csv.QUOTE_ALL).writerows([["h1", "h2", "h3"], *rows])
    sheet = read_csv(out.getvalue().encode(), Dialect())
    assert [list(row) for row in sheet.frame.select("h1", "h2", "h3").iter_rows()] == rows


@given(st.binary(max_size=400))
def test_no_bytes_make_a_traceback_or_lose_a_row(data: bytes) -> None:
    try:
        sheet = read(data)
    except UnreadableFile:
        return
    assert sheet.height >= 1
    assert sheet.frame[ROW].is_sorted()


def test_a_written_cell_cannot_run_as_a_formula() -> None:
    written = write_csv(["a"], [["=1+1"], ["-5"], ["@x"], ["plain"]]).decode("utf-8-sig").splitlines()
    assert written == ["a", "'=1+1", "-5", "'@x", "plain"]


def by_the_standard_reader(text: str, width: int) -> list[tuple[int, str | None, list[str]]]:
    """Each record of a text with its line and how its width differs; short ones filled up, as the reader of one cell
    after the other has them."""
    reader = csv.reader(io.StringIO(text, newline=""))
    rows, line = [], 1
    for row in reader:
        if row:
            flag = "short" if len(row) < width else "long" if len(row) > width else None
            rows.append((line, flag, (row + [""] * width)[:width]))
        line = reader.line_num + 1
    return rows


_PIECE = st.sampled_from(
    ["a", "é", "1", ",", ",", "\n", "\n", "\r\n", '"x"', '"p,q"', '"l\nm"', '"d""q"', '""', " ", 'y"', "\r"]
)


@settings(max_examples=300)
@given(st.lists(_PIECE, max_size=40).map("".join), st.integers(8, 64))
def test_blocks_read_as_the_whole_text_does(text: str, block: int) -> None:
    whole = 'h1,h2,"h\n3"\n' + text + "\nz,z,z\n"
    opened = io.BytesIO(whole.encode())
    frame = read_delimited(opened, Dialect(), block=block + 20).collect().frame
    if "unclosed quote" in frame[FLAG].to_list():
        return
    found = [
        (row[0], row[1], ["" if c is None else c for c in row[2:]])
        for row in frame.select(ROW, FLAG, pl.nth(2, 3, 4)).iter_rows()
    ]
    assert found == by_the_standard_reader(whole, 3)[1:]


@settings(max_examples=300)
@given(
    st.lists(
        st.lists(st.sampled_from(("", "a", '"', ",", "\n", "\r\n", '""', "é,")), min_size=1, max_size=4), max_size=9
    ),
    st.sampled_from(("\n", "\r\n")),
    st.sampled_from((csv.QUOTE_MINIMAL, csv.QUOTE_ALL, csv.QUOTE_NONNUMERIC)),
)
def test_every_row_of_another_width_is_flagged(rows: list[list[str]], line_end: str, quoting: Literal[0, 1, 2]) -> None:
    out = io.StringIO(newline="")
    whole = [["x", "y", "z"], ["1", "2", "3"], *(row for row in rows if row != [""])]
    csv.writer(out, lineterminator=line_end, quoting=quoting).writerows(whole)
    frame = read_csv(out.getvalue().encode(), Dialect()).frame
    assert frame[FLAG].to_list() == [{3: None, 4: "long"}.get(len(row), "short") for row in whole[1:]]


def test_a_total_below_the_rows_is_no_row() -> None:
    data = b"sku,name,price\na,b,1\nc,d,2\ne,f,3\nTotal,,6\n"
    sheet = read(data)
    assert sheet.frame["sku"].to_list() == ["a", "c", "e"]
    assert "last line" in sheet.notes[0]
    assert read_csv(data, guess_dialect(data).model_copy(update={"footer_lines": 0})).height == 4


@pytest.mark.parametrize(
    ("data", "expected"),
    [
        (b"a:b:c\n1:2:3\n4:5:6\n", {"delimiter": ":"}),
        (b"a b c\n1 2 3\n4 5 6\n", {"delimiter": " "}),
        (b"name\nAda Berg\nBo\n", {"delimiter": ","}),
        ("a,b\n1,2\n".encode("utf-16"), {"encoding": "utf-16"}),
        ("a,b\nå,2\n".encode("utf-16-le"), {"encoding": "utf-16-le"}),
        ("\ufeffa,b\n1,2\n".encode(), {"encoding": "utf-8-sig"}),
        (("名前,都市\n" + "山田太郎,東京\n佐藤花子,大阪\n" * 20).encode("shift-jis"), {"encoding": "shift-jis"}),
        (b"a,b\n'x,y',2\n'z,y',3\n'q',4\n", {"quote": "'"}),
        (b'a,b\n"say \\"hi\\" now",2\n', {"escape": "\\"}),
        (b"1001,ada@example.org,3.5\n1002,bo@example.org,4\n", {"header_line": 0}),
        (b"Customers of the old shop\n\nid;name;city\n1;a;b\n2;c;d\n", {"header_line": 3, "delimiter": ";"}),
    ],
)
def test_a_dialect_is_guessed(data: bytes, expected: dict[str, object]) -> None:
    guessed = guess_dialect(data).model_dump()
    assert {name: guessed[name] for name in expected} == expected


def test_escaped_quotes_are_read_as_quotes_and_other_backslashes_stay() -> None:
    sheet = read(b'a,b\n"say \\"hi\\", now","C:\\dir"\n')
    assert sheet.frame.row(0)[2:] == ('say "hi", now', "C:\\dir")


def test_confidence_tells_a_good_guess_from_a_bad_one() -> None:
    data = b"a;b;c\n1;2;3\n4;5;6\n"
    assert confidence(data, guess_dialect(data)) == 1.0
    assert confidence(data, Dialect(delimiter=",")) <= 0.5
