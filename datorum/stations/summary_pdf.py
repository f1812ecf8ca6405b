"""A signed summary as a document to be printed and filed (PDF)."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path
from typing import Any

from fpdf import FPDF
from fpdf.enums import TableBordersLayout, WrapMode
from fpdf.fonts import FontFace

from datorum.stations.summary import SignedSummary

_FONTS = Path("/usr/share/fonts/truetype/dejavu")
"""Where Debian keeps a font with the letters of most languages of Europe."""
_SLATE = 90
_NAMES_WIDTH = 0.28


def as_pdf(signed: SignedSummary) -> bytes:
    """A signed summary as A4 pages."""
    told = json.loads(signed.signed)
    page = _Page(f"{told['import']}, run {told['run']['number']}")
    page.set_creation_date(dt.datetime.fromisoformat(told["summed up"]))
    page.pairs({name: value for name, value in told.items() if not isinstance(value, dict | list)})
    for name, value in told.items():
        if isinstance(value, dict | list):
            page.part(name, value)
    page.heading("Signature")
    page.text_block(signed.how_to_check)
    page.text_block(signed.public_key, small=True)
    page.text_block(signed.signature, small=True)
    page.heading("The text that is signed")
    page.text_block(signed.signed, small=True)
    return bytes(page.output())


class _Page(FPDF):
    def __init__(self, title: str) -> None:
        super().__init__(format="A4")
        self._family = "helvetica"
        if (_FONTS / "DejaVuSans.ttf").exists():
            self._family = "dejavu"
            self.add_font(self._family, fname=_FONTS / "DejaVuSans.ttf")
            self.add_font(self._family, "B", _FONTS / "DejaVuSans-Bold.ttf")
        self.set_title(title)
        self.set_auto_page_break(auto=True, margin=18)
        self._said = title
        self.add_page()
        self.set_font(self._family, "B", 14)
        self.multi_cell(0, 8, self._shown(title), new_x="LMARGIN", new_y="NEXT")
        self._plain()

    def footer(self) -> None:
        """The title and the number of each page."""
        self.set_y(-12)
        self.set_font(self._family, size=7)
        self.set_text_color(_SLATE)
        self.cell(0, 4, self._shown(f"{self._said} · {self.page_no()}"))
        self._plain()

    def _plain(self) -> None:
        self.set_font(self._family, size=8.5)
        self.set_text_color(0)

    def _shown(self, value: Any) -> str:
        if isinstance(value, dict):
            value = ", ".join(f"{name} {self._shown(one)}" for name, one in value.items())
        elif isinstance(value, list):
            value = "; ".join(map(self._shown, value))
        elif isinstance(value, int) and not isinstance(value, bool):
            value = f"{value:,}"
        text = "" if value is None else str(value)
        # The fonts that every reader of PDF has know no other letters.
        return text if self._family != "helvetica" else text.encode("latin-1", "replace").decode("latin-1")

    def heading(self, text: str) -> None:
        """Begin a part."""
        self.ln(3)
        self.set_font(self._family, "B", 10)
        self.cell(0, 6, self._shown(text[:1].upper() + text[1:]), new_x="LMARGIN", new_y="NEXT")
        self._plain()

    def text_block(self, text: str, *, small: bool = False) -> None:
        """Some text, broken where it has to be."""
        self.set_font(self._family, size=6 if small else 8.5)
        self.multi_cell(
            0, 3 if small else 4.4, self._shown(text), new_x="LMARGIN", new_y="NEXT", wrapmode=WrapMode.CHAR
        )
        self._plain()

    def part(self, name: str, value: Any) -> None:
        """A part of the summary: what is named, or a table of things of one kind."""
        self.heading(name)
        if isinstance(value, dict):
            inner = {key: one for key, one in value.items() if isinstance(one, list) and one}
            self.pairs({key: one for key, one in value.items() if key not in inner})
            for key, one in inner.items():
                self.part(key, one)
        elif value and all(isinstance(one, dict) for one in value):
            names = list(value[0])
            self._table([names, *([self._shown(one.get(key)) for key in names] for one in value)], titled=True)
        else:
            self.text_block(self._shown(value) or "none")

    def pairs(self, value: dict[str, Any]) -> None:
        """What is named, a line each."""
        if value:
            rows = [[name, self._shown(one)] for name, one in value.items()]
            self._table(rows, widths=(_NAMES_WIDTH, 1 - _NAMES_WIDTH))

    def _table(self, rows: list[list[str]], *, titled: bool = False, widths: tuple[float, ...] | None = None) -> None:
        with self.table(
            rows,
            first_row_as_headings=titled,
            borders_layout=TableBordersLayout.HORIZONTAL_LINES,
            headings_style=FontFace(emphasis="", color=_SLATE),
            line_height=4.4,
            text_align="LEFT",
            col_widths=widths,
            wrapmode=WrapMode.CHAR if titled else WrapMode.WORD,
        ):
            pass
