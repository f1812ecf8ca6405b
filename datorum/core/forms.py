"""What a person is asked of a step or a shape: said where its values are defined, and read by the screen as JSON
Schema (2020-12), so that a new one is there without a change to the screen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Literal, NamedTuple, cast

from pydantic import BaseModel, Field

Editor = Literal[
    "text", "formula", "column", "columns", "list", "sheet", "keys", "keys there", "sets", "named sets"
]  # fmt: skip
"""How a value is given where its type does not say it: as a formula, from the sheet's columns, from the lists that a
record holds, from the other sheets that there are, as columns of this sheet each beside one there, or as columns by
what they hold, for each of several sets."""


class Menu(NamedTuple):
    """Where a kind stands in its menu: what it is called, in which group, and other words to find it by."""

    label: str
    group: str = ""
    also: str = ""


class OnMenu(BaseModel, frozen=True):
    """What a person adds from a menu. ``begins``: values that one begins with, where not with its defaults."""

    menu: ClassVar[Menu]
    begins: ClassVar[Mapping[str, Any]] = {}


def asked(
    label: str, *, hint: str = "", options: Mapping[str, str] | None = None, usual: Sequence[str] = (),
    editor: Editor | None = None,
) -> Any:  # fmt: skip
    """An input: what it is called, a hint, the words for each of its ``options``, what is ``usual`` in it, and how it
    is given."""
    extra: dict[str, Any] = {"options": dict(options)} if options else {}
    extra |= {"usual": list(usual)} if usual else {}
    extra |= {"editor": editor} if editor else {}
    return Field(title=label, description=hint or None, json_schema_extra=cast(Any, extra))


def form_of(kind: type[OnMenu]) -> dict[str, Any]:
    """One kind as the screen has it: its menu, what it begins with, and the JSON Schema of what can be set of it."""
    schema = kind.model_json_schema()
    properties = {name: one for name, one in schema["properties"].items() if name != "kind" and "title" in one}
    said = {name: one for name, one in properties.items() if _is_asked(kind, name)}
    # Where it goes is asked last, though all that is like it has it first.
    said |= {name: said.pop(name) for name in list(said) if said[name].get("editor") == "list"}
    defaults = {name: field.get_default(call_default_factory=True) for name, field in kind.model_fields.items()
                if not field.is_required() and (name == "kind" or name in said)}  # fmt: skip
    required = [name for name in schema.get("required", ()) if name in said]
    return {
        "kind": schema["properties"]["kind"]["const"],
        **kind.menu._asdict(),
        "begins": {**defaults, **kind.begins},
        "schema": {"type": "object", "properties": said, "required": required},
    }


def _is_asked(kind: type[OnMenu], name: str) -> bool:
    """Whether a value is asked for: what nobody gave a name is worked out, and not asked."""
    return kind.model_fields[name].title is not None
