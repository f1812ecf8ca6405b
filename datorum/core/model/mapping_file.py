"""A mapping as a file: what ``datorum suggest`` writes and ``datorum check`` takes."""

from __future__ import annotations

from pydantic import Field

from datorum.core.model.field_mapping import FieldMapping
from datorum.core.model.mapping import Mapping


class FieldInFile(FieldMapping, frozen=True):
    """One field's mapping; ``sentences`` are its steps in words, for whoever reads the file."""

    sentences: tuple[str, ...] = ()


class MappingFile(Mapping, frozen=True):
    """A mapping with what it was made for. Its JSON Schema is docs/mapping.schema.json."""

    schema_location: str = Field(default="", alias="$schema")
    record_type: str = ""
    fields: dict[str, FieldInFile] = Field(default_factory=dict)  # type: ignore[assignment]

    @classmethod
    def of(cls, mapping: Mapping, record_type: str) -> MappingFile:
        """The file of a mapping."""
        settings = mapping.model_dump()
        for path, fed in mapping.fields.items():
            settings["fields"][path]["sentences"] = tuple(step.sentence() for step in fed.steps)
        return cls.model_validate({**settings, "record_type": record_type})

    def mapping(self) -> Mapping:
        """The mapping alone, without what a file has beside it."""
        plain = self.model_dump(
            exclude={"schema_location": True, "record_type": True, "fields": {"__all__": {"sentences"}}}
        )
        return Mapping.model_validate(plain)
