"""Every format becomes the same kind of sheet, and no file makes a traceback."""

from __future__ import annotations

import datetime as dt
import gzip
import json
import zipfile
from contextlib import suppress
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import pytest
import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from datorum.core.errors import UnreadableFile
from datorum.core.table import FLAG, ROW, Dialect, Limits, Sheet, open_file


def write(path: Path, data: bytes | str) -> Path:
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return path


def sheet_of(path: Path, sheet: str = "", limits: Limits | None = None, **changes: Any) -> Sheet:
    with open_file(path, path.name, limits) as file:
        return file.read(file.guess(sheet).model_copy(update=changes)).collect()


def names_of(path: Path) -> list[str]:
    with open_file(path, path.name) as file:
        return [ref.name for ref in file.sheets]


@pytest.fixture
def workbook(tmp_path: Path) -> Path:
    path = tmp_path / "shop.xlsx"
    book = xlsxwriter.Workbook(str(path))
    day = book.add_format({"num_format": "yyyy-mm-dd"})
    sheet = book.add_worksheet("Products")
    sheet.write_row(2, 1, ["SKU", "Price", "From", "At", "On sale", "Sum", "Note"])
    sheet.write_string(0, 1, "Products of the old shop")
    for row, sku in ((3, "00120"), (4, "1E5"), (6, " x ")):
        sheet.write_string(row, 1, sku)
        sheet.write_number(row, 2, 12.5 * row)
        sheet.write_datetime(row, 3, dt.datetime(2024, 3, row), day)
        sheet.write_datetime(row, 4, dt.datetime(2024, 3, row, 13, 45), day)
        sheet.write_boolean(row, 5, row > 3)
        sheet.write_formula(row, 6, "=1+1", None, 2)
    sheet.merge_range("H4:I4", "both")
    sheet.set_row(4, None, None, {"hidden": True})
    sheet.set_column("C:C", None, None, {"hidden": True})
    book.add_worksheet("Empty")
    other = book.add_worksheet("Orders")
    other.write_row(0, 0, ["number", "total"])
    other.write_row(1, 0, [1, 2.5])
    other.hide()
    book.close()
    return path


def test_a_workbook_gives_the_values_of_its_cells(workbook: Path) -> None:
    assert names_of(workbook) == ["Products", "Empty", "Orders"]
    sheet = sheet_of(workbook, "Products")
    assert sheet.frame[ROW].to_list() == [4, 5, 7]
    assert sheet.blank_lines == 1
    assert sheet.frame["SKU"].to_list() == ["00120", "1E5", " x "]
    assert sheet.frame["Price"].to_list() == ["37.5", "50", "75"]
    assert sheet.frame["From"].to_list() == ["2024-03-03", "2024-03-04", "2024-03-06"]
    assert sheet.frame["At"][0] == "2024-03-03 13:45:00"
    assert sheet.frame["On sale"].to_list() == ["false", "true", "true"]
    assert sheet.frame["Sum"].to_list() == ["2", "2", "2"]
    told = " ".join(sheet.notes)
    for part in ("1 line stands above", "1 group of cells is merged", "1 hidden row", "1 hidden column"):
        assert part in told


def test_a_hidden_sheet_says_so_and_the_first_filled_one_is_offered(workbook: Path) -> None:
    with open_file(workbook, "shop.xlsx") as file:
        assert {ref.name: ref.note for ref in file.sheets}["Orders"] == "hidden"
        assert file.guess().sheet == "Products"
        with pytest.raises(UnreadableFile, match="no rows"):
            file.read(file.guess("Empty")).collect()


_ODS = """<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0">
<office:body><office:spreadsheet><table:table table:name="Coupons">
<table:table-row><table:table-cell office:value-type="string"><text:p>code</text:p></table:table-cell>
<table:table-cell office:value-type="string"><text:p>until</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell office:value-type="string"><text:p>007</text:p></table:table-cell>
<table:table-cell office:value-type="date" office:date-value="2024-03-05"><text:p>5.3.24</text:p></table:table-cell>
</table:table-row></table:table></office:spreadsheet></office:body></office:document-content>"""


def test_an_open_document_spreadsheet_is_read(tmp_path: Path) -> None:
    path = tmp_path / "coupons.ods"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr(
            "META-INF/manifest.xml",
            '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
        )
        archive.writestr("content.xml", _ODS.replace("\n<table", "<table").replace("\n</table", "</table"))
    sheet = sheet_of(path)
    assert sheet.frame["code"].to_list() == ["007"]
    assert sheet.frame["until"].to_list() == ["2024-03-05"]


def test_json_is_read_with_its_numbers_as_written_and_its_lines(tmp_path: Path) -> None:
    text = """{"shop": "old", "data": {"orders": [
  {"id": 1, "total": 12.50, "to": {"city": "Ås", "zip": "0010"}, "lines": [{"sku": "a"}], "paid": true},
  {"id": 2, "total": 1E5, "note": null,
   "to": {}}, 7
]}, "tags": ["x"], "people": [{"name": "Ada"}]}"""
    path = write(tmp_path / "orders.json", text)
    assert names_of(path) == ["/data/orders", "/people"]
    sheet = sheet_of(path)
    assert sheet.headers == ("id", "total", "to.city", "to.zip", "lines", "paid", "note", "to")
    assert sheet.frame[ROW].to_list() == [2, 3, 4]
    assert sheet.frame["total"].to_list() == ["12.50", "1E5", None]
    assert sheet.frame["to.city"].to_list() == ["Ås", "", None]
    assert sheet.frame["lines"][0] == '[{"sku": "a"}]'
    assert sheet.frame["paid"][0] == "true"
    assert sheet.frame[FLAG].to_list() == [None, None, "unreadable"]
    assert sheet.frame["id"][2] == "7"


def test_lines_of_json_are_read_and_a_broken_one_is_kept(tmp_path: Path) -> None:
    path = write(tmp_path / "users.ndjson", '{"a": 1}\n\n{"a": 2, "b": [1, 2]}\n{broken\n{"c": "x"}')
    sheet = sheet_of(path)
    assert sheet.frame[ROW].to_list() == [1, 3, 4, 5]
    assert sheet.frame[FLAG].to_list() == [None, None, "unreadable", None]
    assert sheet.frame["a"].to_list() == ["1", "2", "{broken", ""]
    assert sheet.frame["b"].to_list() == ["", "[1, 2]", None, ""]


def test_columns_that_come_late_are_added(tmp_path: Path) -> None:
    records = [{"a": str(number)} for number in range(12_000)] + [{"late": "x"}]
    sheet = sheet_of(write(tmp_path / "late.ndjson", "\n".join(json.dumps(one) for one in records)))
    assert sheet.headers == ("a", "late")
    assert sheet.height == 12_001
    assert sheet.frame["late"][-1] == "x"


def test_xml_offers_the_elements_that_repeat(tmp_path: Path) -> None:
    text = """<?xml version="1.0"?>
<shop><made>2024</made>
 <products>
  <product id="1" sku="a"><price currency="NOK">12.50</price><tag>x</tag><tag>y</tag><box><w>1</w></box></product>
  <product id="2"><price currency="EUR">3</price><text><![CDATA[<b>hi</b>]]></text></product>
 </products></shop>"""
    path = write(tmp_path / "shop.xml", text)
    with open_file(path, path.name) as file:
        assert (file.sheets[0].name, file.sheets[0].rows) == ("shop/products/product", 2)
    sheet = sheet_of(path)
    assert sheet.frame[ROW].to_list() == [4, 5]
    rows = sheet.frame.to_dicts()
    assert rows[0]["id"] == "1"
    assert (rows[0]["price"], rows[0]["price.currency"], rows[0]["tag"], rows[0]["box.w"]) == (
        "12.50", "NOK", '["x", "y"]', "1",
    )  # fmt: skip
    assert rows[1]["text"] == "<b>hi</b>"


@pytest.mark.parametrize(
    ("text", "column", "cell"),
    [
        (
            '<rss version="2.0"><channel><title>News</title><item><title>One</title>'
            '<guid isPermaLink="false">7</guid></item>'
            "<item><title>Two</title></item></channel></rss>",
            "guid",
            "7",
        ),
        (
            '<feed xmlns="http://www.w3.org/2005/Atom"><title>News</title><entry><id>1</id><title>One</title>'
            '<link href="https://x.example/1"/><content type="xhtml"><div>a <b>b</b></div></content></entry></feed>',
            "content",
            "<div>a <b>b</b></div>",
        ),
    ],
)
def test_feeds_give_their_entries(tmp_path: Path, text: str, column: str, cell: str) -> None:
    sheet = sheet_of(write(tmp_path / "feed.xml", text))
    assert sheet.frame["title"][0] == "One"
    assert sheet.frame[column][0] == cell


def test_packed_files_are_opened(tmp_path: Path, workbook: Path) -> None:
    packed = write(tmp_path / "a.csv.gz", gzip.compress(b"a,b\n1,2\n"))
    assert sheet_of(packed).frame["b"].to_list() == ["2"]
    path = tmp_path / "all.zip"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("in/customers.csv", "name\nAda\n")
        archive.write(workbook, "shop.xlsx")
        archive.writestr("pictures/1.png", b"\x89PNG")
        archive.writestr("__MACOSX/in/._customers.csv", b"x")
    with open_file(path, path.name) as file:
        names = [ref.name for ref in file.sheets]
        assert names == ["in/customers.csv", "shop.xlsx › Products", "shop.xlsx › Empty", "shop.xlsx › Orders"]
        assert file.attachments == ("pictures/1.png",)
        assert file.read(file.guess("shop.xlsx › Orders")).collect().frame["total"].to_list() == ["2.5"]
        assert file.read(file.guess("in/customers.csv")).collect().frame["name"].to_list() == ["Ada"]


_PHONES = "<phones><phone at='home'>1</phone><phone at='work'>2</phone></phones>"
_MEMBERS = f"<members>{f'<member><name>Ada</name>{_PHONES}</member>' * 9}</members>"


@pytest.mark.parametrize(("csv_rows", "likeliest"), [(2, "members.xml › members/member"), (2_000, "more/members.csv")])
def test_of_an_archive_the_records_of_the_largest_file_are_read(tmp_path: Path, csv_rows: int, likeliest: str) -> None:
    """Not what repeats oftenest: each member has two telephones."""
    path = tmp_path / "all.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("more/members.csv", "name,town\n" + "Ada,Ryewick\n" * csv_rows)
        archive.writestr("members.xml", _MEMBERS)
        archive.writestr("empty.csv", "")
        archive.writestr("pictures/beet.jpg", b"\xff\xd8" * 50_000)
    with open_file(path, path.name) as file:
        assert file.guess().sheet == likeliest


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("bomb.csv.gz", gzip.compress(b"a" * 40_000_000, mtime=0), "unpacks to more"),
        ("cut.csv.gz", gzip.compress(b"a,b\n" * 9999, mtime=0)[:40], "damaged"),
        ("cut.json", b'[{"a": 1}, {"a"', "ends before"),
        ("text.json", b'[{"a": "x', "ends"),
        ("name.json", b'{"a": 1, "\\q": [{"b": 1}]}', "A name at line 1"),
        ("values.json", b"[1, 2]", "no list of records"),
        ("bad.xml", b"<a><b></a>", "not well-formed at line 1"),
        ("entity.xml", b'<!DOCTYPE a [<!ENTITY x "y">]><a><b c="1">&x;</b></a>', "entities"),
        ("deep.xml", b"<a>" * 500 + b"</a>" * 500, "nested too deep"),
        ("broken.xlsx", b"PK\x03\x04" + b"\0" * 200, "cannot be opened"),
        ("none.zip", b"PK\x03\x04", "damaged"),
        ("empty.csv", b"", "empty"),
    ],
)
def test_what_cannot_be_read_says_what_and_what_to_do(tmp_path: Path, name: str, data: bytes, says: str) -> None:
    with pytest.raises(UnreadableFile, match=says) as raised:
        sheet_of(write(tmp_path / name, data))
    assert raised.value.remedy or raised.value.message


_JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=4), inner, max_size=4),
    max_leaves=12,
)
_RECORDS = st.lists(st.dictionaries(st.text(max_size=4), _JSON, min_size=1, max_size=4), min_size=1, max_size=6)
_quiet = settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])


@_quiet
@given(
    st.lists(st.dictionaries(st.text(max_size=4), _JSON, min_size=1, max_size=4), min_size=1, max_size=6), st.booleans()
)
def test_no_record_of_any_json_is_lost(tmp_path: Path, records: list[dict[str, Any]], lines: bool) -> None:
    text = "\n".join(json.dumps(one) for one in records) if lines else json.dumps(records, indent=1)
    sheet = sheet_of(write(tmp_path / ("x.ndjson" if lines else "x.json"), text))
    assert sheet.height == len(records)
    assert sheet.flags == {}


_NAMES = "x.json x.xml x.xlsx x.csv x.zip x.csv.gz x.ods x.ndjson".split()
_STARTS = [b"", b"[{", b"<?xml ", b"PK\x03\x04", b"\x1f\x8b\x08", b'{"a":1}\n', b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"]


@_quiet
@given(st.binary(max_size=300), st.sampled_from(_NAMES), st.sampled_from(_STARTS))
def test_no_bytes_of_any_name_make_a_traceback(tmp_path: Path, data: bytes, name: str, start: bytes) -> None:
    path = write(tmp_path / name, start + data)
    with suppress(UnreadableFile):
        assert sheet_of(path).height


@_quiet
@given(st.data())
def test_a_damaged_workbook_makes_no_traceback(tmp_path: Path, workbook: Path, data: st.DataObject) -> None:
    whole = bytearray(workbook.read_bytes())
    for _ in range(data.draw(st.integers(1, 5))):
        whole[data.draw(st.integers(0, len(whole) - 1))] = data.draw(st.integers(0, 255))
    path = write(tmp_path / "damaged.xlsx", bytes(whole))
    with suppress(UnreadableFile):
        assert sheet_of(path).height


def test_a_dialect_of_another_format_is_refused(tmp_path: Path) -> None:
    path = write(tmp_path / "a.csv", "a\n1\n")
    with open_file(path, path.name) as file, pytest.raises(UnreadableFile, match="not of the format"):
        file.read(Dialect(format="json"))


def test_a_total_below_the_rows_of_a_workbook_is_no_row(tmp_path: Path) -> None:
    path = tmp_path / "sums.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet("A")
    for number, row in enumerate(("sku name price", "a b 1", "c d 2", "e f 3", "Summe  6")):
        sheet.write_row(number, 0, row.split(" "))
    book.close()
    found = sheet_of(path)
    assert found.frame["sku"].to_list() == ["a", "c", "e"]
    assert "last line is a total" in found.notes[0]


_XML_TEXT = st.text(
    st.characters(codec="utf-8", exclude_categories=("Cs", "Cc"), exclude_characters="\ufffe\uffff"), max_size=8
)


@_quiet
@given(st.lists(st.tuples(_XML_TEXT, _XML_TEXT), min_size=2, max_size=6))
def test_no_record_of_any_xml_is_lost(tmp_path: Path, records: list[tuple[str, str]]) -> None:
    rows = "\n".join(f"<row id={quoteattr(one)}><text>{escape(two)}</text></row>" for one, two in records)
    sheet = sheet_of(write(tmp_path / "x.xml", f'<?xml version="1.0"?>\n<rows>\n{rows}\n</rows>'))
    assert [cell or "" for cell in sheet.frame["id"]] == [one for one, _ in records]
    assert [(cell or "").strip() for cell in sheet.frame["text"]] == [two.strip() for _, two in records]


@pytest.mark.parametrize("size", [1, 2, 3, 5, 7, 11, 16, 64])
def test_a_json_text_is_read_alike_wherever_it_is_cut_while_it_comes(
    tmp_path: Path, size: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    records = [
        {"note": "ring first, then [knock] {twice}: yes", "said": 'a "quoted" word \\ and more', "at": number}
        for number in range(4)
    ]
    text = json.dumps({"records": records}, ensure_ascii=False, indent=1).encode()
    monkeypatch.setattr("datorum.core.table.json_reader._READ", size)
    path = tmp_path / "sheet.json"
    path.write_bytes(text)
    with open_file(path, path.name) as found:
        frame = found.read(found.guess()).collect().frame
    assert frame["note"].to_list() == [one["note"] for one in records]
    assert frame["said"].to_list() == [one["said"] for one in records]
    assert frame["at"].to_list() == ["0", "1", "2", "3"]
    path.write_bytes(text[:-30])
    with pytest.raises(UnreadableFile), open_file(path, path.name) as found:
        found.read(found.guess()).collect()
