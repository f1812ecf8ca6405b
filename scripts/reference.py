"""Writes what is published of the product's own formats: docs/formulas.md and docs/mapping.schema.json.

``--check`` writes nothing and fails where a file is not what it would be.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

from datorum.core.formula import FUNCTIONS, Function
from datorum.core.model import MappingFile

_DOCS = Path(__file__).parents[1] / "docs"
_HEAD = """# Formulas

A formula is an expression of the open standard OpenFormula (ISO/IEC 26300-2) over the columns of one row. It begins
with `=`. Columns stand in square brackets, a `]` in a name being doubled: `=PROPER(TRIM([Surname]))`. Texts stand
between straight double quotes. Arguments are divided by `;`, and `,` is taken as well.

- **Precedence**, tightest first: a sign before a value, `%`, `^`, `*` `/`, `+` `-`, `&`, and comparisons; operators of
  one rank go from the left. So `=-2^2` is 4 and `=2^3^2` is 64.
- **Dates and times** are numbers: days since 1899-12-30. A text such as `2024-03-05` is read as one where a number is
  asked for.
- **A blank cell** is 0 to a sum, an empty text to a text, and no to a condition.
- **A cell is text.** Beside a number in a comparison it is the number that it says, if it says one.
- **Texts compare** without regard to case; EXACT regards it.
- **Errors** are those of the standard: `#DIV/0!`, `#N/A`, `#NAME?`, `#NUM!`, `#REF!` (no such column), `#VALUE!`. A
  text that is no formula is `#SYNTAX!`. Each comes with a sentence and the character where it arose.

`datorum formula '=…' --row '{"Surname": " berg "}'` works one out; `--batch FILE` many, one JSON object a line.
"""


def formulas() -> str:
    """The reference of all functions."""
    parts = [_HEAD]
    groups = dict.fromkeys(one.group for one in sorted(FUNCTIONS.values(), key=lambda one: one.extension))
    for group in groups:
        members = sorted((one for one in FUNCTIONS.values() if one.group == group), key=lambda one: one.name)
        own = " (Datorum's own; the standard has none of these)" if all(one.extension for one in members) else ""
        parts.append(f"\n## {group}{own}\n\n| function | what it gives |\n| --- | --- |\n")
        parts += [_line(one) for one in members]
    return "".join(parts)


def _line(one: Function) -> str:
    return f"| `{one.signature}` | {one.summary.replace('|', chr(92) + '|')} |\n"


def mapping_schema() -> str:
    """The JSON Schema of a mapping file, as ``suggest`` writes and ``check`` takes it."""
    return json.dumps(MappingFile.model_json_schema(), indent=2, ensure_ascii=False) + "\n"


def main() -> None:
    written = {_DOCS / "formulas.md": formulas(), _DOCS / "mapping.schema.json": mapping_schema()}
    stale = [path for path, text in written.items() if not path.exists() or path.read_text() != text]
    if "--check" in sys.argv:
        for path in stale:
            print(f"{path.name} is not up to date; run python -m scripts.reference", file=sys.stderr)
        sys.exit(bool(stale))
    for path in stale:
        path.write_text(written[path])


if __name__ == "__main__":
    main()
