"""How text is written is guessed, can be set otherwise, and never changes what a cell says."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.table import FLAG, ROW, Dialect, Sheet, confidence, guess_dialect, read_csv

GROWERS = [
    ("no", "name", "town", "since"),
    ("00120", "Åse Bjørkvik", "Tromsø", "03/02/2019"),
    ("00121", "Jörg Müßig", "Göttingen", "17/11/2021"),
    ("00122", "Bo Ryewick", "Quillham", "28/02/2020"),
    ("00123", "Ute Ackersöhren", "Lübeck", "01/07/2018"),
]


def written(delimiter: str = ",", line_end: str = "\n", quote: str = "") -> str:
    return "".join(delimiter.join(f"{quote}{cell}{quote}" for cell in row) + line_end for row in GROWERS)


def read(data: bytes, **changes: object) -> Sheet:
    return read_csv(data, guess_dialect(data).model_copy(update=changes))


def names(sheet: Sheet) -> list[str]:
    return sheet.frame["name"].to_list()


EXPECTED = [row[1] for row in GROWERS[1:]]


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|", ":", "^", "~", "¦"])
def test_any_single_character_divides_the_cells(delimiter: str) -> None:
    data = written(delimiter).encode()
    sheet = read(data, delimiter=delimiter)
    assert sheet.headers == GROWERS[0]
    assert names(sheet) == EXPECTED
    assert sheet.frame["no"][0] == "00120"


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|", ":", "^"])
def test_usual_delimiters_are_guessed_beside_dates_with_slashes(delimiter: str) -> None:
    assert guess_dialect(written(delimiter).encode()).delimiter == delimiter


def test_a_rare_delimiter_is_guessed_though_rows_are_uneven_and_a_title_stands_above() -> None:
    lines = ["Export of the old shop", "E-mail^Name^Tier^", "ada@x.example^Ada^Grove^", "bo@x.example^Bo"]
    text = "\n".join([*lines, "jun@x.example^Jun^Grove^a^b", ""])
    sheet = read(text.encode())
    assert sheet.headers == ("E-mail", "Name", "Tier", "Column 4", "(beyond the header)")
    assert sheet.flags == {"short": 1, "long": 1}


def test_a_space_divides_where_nothing_else_does() -> None:
    data = b"sku qty price\nQM-1 2 3.50\nQM-2 1 4.00\nQM-3 9 0.50\n"
    assert guess_dialect(data).delimiter == " "
    assert read(data).frame["price"].to_list() == ["3.50", "4.00", "0.50"]


@pytest.mark.parametrize(
    "lines",
    [
        ["Full name", "Ada Corfield", "Bo Ryewick", "Ute Ackersöhren"],
        ["Total", "1.204,50 kr", "88,00 kr"],
        ["Price", "NOK 1,204.50", "NOK 88.00"],
        ["Amount", "12,50", "3,00", "-4,25"],
    ],
)
def test_one_column_of_names_or_amounts_stays_one_column(lines: list[str]) -> None:
    sheet = read("\n".join(lines).encode())
    assert sheet.headers == (lines[0],)
    assert sheet.frame[lines[0]].to_list() == lines[1:]


@pytest.mark.parametrize("line_end", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize("quote", ["", '"'])
def test_every_line_end_ends_a_line(line_end: str, quote: str) -> None:
    sheet = read(written(line_end=line_end, quote=quote).encode())
    assert names(sheet) == EXPECTED
    assert sheet.frame[ROW].to_list() == [2, 3, 4, 5]


@pytest.mark.parametrize(
    "encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "windows-1252", "iso-8859-1", "iso-8859-15"]
)
def test_encodings_of_the_north_are_guessed(encoding: str) -> None:
    assert names(read(written(";").encode(encoding))) == EXPECTED


def test_japanese_is_guessed_or_set() -> None:
    text = "番号,氏名,町\n" + "".join(f"{number},山田太郎,東京都千代田区\n" for number in range(40))
    assert read(text.encode("shift-jis"), encoding="shift-jis").frame["氏名"][0] == "山田太郎"
    assert guess_dialect(text.encode("shift-jis")).encoding in ("shift-jis", "shift_jis", "cp932")


def test_an_encoding_that_is_wrong_shows_what_it_could_not_read() -> None:
    sheet = read(written().encode("windows-1252"), encoding="utf-8")
    assert sheet.height == 4
    assert sheet.flags["undecodable"] == 3
    assert "�" in sheet.frame["name"][0]
    assert sheet.frame["name"][2] == "Bo Ryewick"


def test_another_quote_and_none_at_all() -> None:
    data = b"name;note\n'Ada; of Quillham';'it''s \"fine\"'\n"
    sheet = read(data, delimiter=";", quote="'")
    assert sheet.frame.row(0)[2:] == ("Ada; of Quillham", 'it\'s "fine"')
    bare = read(b'name,size\nfoil,5"\nroll,7"\n', quote="")
    assert bare.frame["size"].to_list() == ['5"', '7"']


def test_a_sheet_without_a_header_gets_names_for_its_columns() -> None:
    sheet = read(b"1,Ada\n2,Bo\n", header_line=0)
    assert sheet.headers == ("Column 1", "Column 2")
    assert sheet.height == 2
    assert sheet.frame[ROW].to_list() == [1, 2]


def test_a_header_below_several_lines_is_found_and_lines_keep_their_numbers() -> None:
    title = "Quillmoss seed co-operative\nCustomers;;;\nas of 1 November;;;\n\n"
    sheet = read((title + written(";")).encode())
    assert sheet.headers == GROWERS[0]
    assert sheet.frame[ROW].to_list() == [6, 7, 8, 9]


def test_a_header_that_is_set_is_obeyed_however_unlikely() -> None:
    sheet = read(written().encode(), header_line=3)
    assert sheet.headers[1] == "Jörg Müßig"
    assert sheet.height == 2


def test_lines_at_the_end_that_are_set_to_be_left_off_are_no_rows() -> None:
    data = (written() + "Total,,,4\nprinted by ada,,,\n").encode()
    sheet = read(data, footer_lines=2)
    assert names(sheet) == EXPECTED
    assert any("last 2 lines" in note for note in sheet.notes)


def test_delimiters_at_the_end_of_every_line_make_a_named_column_and_no_flag() -> None:
    sheet = read(b"a,b,\n1,2,\n3,4,\n")
    assert sheet.headers == ("a", "b", "Column 3")
    assert sheet.frame[FLAG].null_count() == 2


def test_cells_with_line_ends_of_either_kind_stay_as_they_are() -> None:
    sheet = read(b'a,note\r\n1,"two\nlines"\r\n2,"two\r\nlines"\r\n3,x\r\n')
    assert sheet.frame["note"].to_list() == ["two\nlines", "two\r\nlines", "x"]
    assert sheet.frame[ROW].to_list() == [2, 4, 6]


def test_a_nul_and_other_marks_are_kept_in_their_cells() -> None:
    sheet = read(b"a,b\n1,x\x0by\n2,\xef\xbb\xbfz\n")
    assert sheet.frame["b"].to_list() == ["x\x0by", "\ufeffz"]


def test_a_better_dialect_fits_better() -> None:
    data = written(";").encode()
    good = guess_dialect(data)
    assert confidence(data, good) == 1.0
    assert confidence(data, good.model_copy(update={"delimiter": ","})) <= confidence(data, good)


_CELL = st.text(
    st.characters(codec="utf-8", exclude_characters="\0\r\n\ufeff", exclude_categories=("Cs", "Cc")), max_size=8
)


@settings(max_examples=60)
@given(st.lists(st.tuples(_CELL, _CELL), min_size=1, max_size=8), st.sampled_from([",", ";", "\t", "|", ":", " "]))
def test_what_is_set_is_read_back_whatever_the_cells_hold(cells: list[tuple[str, str]], delimiter: str) -> None:
    quoted = [tuple('"' + cell.replace('"', '""') + '"' for cell in row) for row in (("a", "b"), *cells)]
    data = "\r\n".join(delimiter.join(row) for row in quoted).encode()
    dialect = guess_dialect(b"a,b\n1,2\n").model_copy(update={"delimiter": delimiter})
    sheet = read_csv(data, dialect)
    kept = [row for row in cells if any(cell.strip() for cell in row)]
    assert sheet.height >= len(kept)
    read_back = list(sheet.frame.select("a", "b").iter_rows())
    assert [row for row in read_back if any(cell.strip() for cell in row)] == kept


@pytest.mark.parametrize("more", ["4", "", '"4"', '"4,5\n6"'])
def test_a_row_too_short_does_not_hide_behind_one_too_long(more: str) -> None:
    lines = ["a,b,c", *["1,2,3"] * 4, "1,2", *['1,"2,x",3'] * 4, f"1,2,3,{more}", *["1,2,3"] * 4]
    sheet = read(("\n".join(lines) + "\n").encode())
    assert sheet.height == len(lines) - 1
    assert {row: flag for row, flag in sheet.frame.select(ROW, FLAG).iter_rows() if flag} == {6: "short", 11: "long"}


def test_cells_that_are_all_quoted_and_hold_delimiters_are_told_apart() -> None:
    quoted = "".join(f'"{number}","a, b","c"\n' for number in range(200))
    sheet = read(('"no","both","last"\n' + quoted).encode())
    assert sheet.height == 200
    assert set(sheet.frame["both"]) == {"a, b"}
    assert sheet.flags == {}


@pytest.mark.parametrize("encoding", ["utf-8", "windows-1252"])
@pytest.mark.parametrize("before", [4 * 1024 * 1024 - 1, 4 * 1024 * 1024, 5 * 1024 * 1024])
def test_a_letter_far_into_the_file_tells_its_encoding_wherever_blocks_end(encoding: str, before: int) -> None:
    header = b"name,note\n"
    plain = header + b"Bo,x\n" * ((before - len(header)) // 5)
    data = plain + b"." * (before - len(plain)) + "Åse,ø\n".encode(encoding)
    assert guess_dialect(data).encoding == encoding


def test_bytes_that_end_in_the_middle_of_a_character_are_no_utf8() -> None:
    assert guess_dialect("name\nÅse\nBjørk\n".encode() + b"\xc3").encoding != "utf-8"


@pytest.mark.parametrize(
    "marks",
    [
        {"delimiter": ";", "quote": ";"},
        {"delimiter": "'", "quote": "'"},
        {"quote": "\n"},
        {"delimiter": "\\", "escape": "\\"},
        {"delimiter": "\r"},
    ],
)
def test_marks_that_cannot_be_told_apart_are_refused(marks: dict[str, str]) -> None:
    with pytest.raises(ValueError, match="cannot stand"):
        Dialect(**marks)
