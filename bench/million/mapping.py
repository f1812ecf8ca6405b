"""The work that both sides do: 18 fields, 12 of them with steps, and the constraints of the stand-in's description."""

from __future__ import annotations

from datorum.core.model import Mapping, RecordType
from datorum.core.profile import profile
from datorum.core.suggest import suggest
from datorum.core.table import guess_dialect, read_csv
from datorum.sites import record_type_of
from demo.data import generate_customers
from demo.site.app import SiteSettings, create_app

_TRIM = {"kind": "trim"}


def customers() -> RecordType:
    """The stand-in's customers, by its own description."""
    return record_type_of(create_app(SiteSettings("postgresql://", "", 0)).openapi(), "customers")


def value_tables() -> dict[str, dict[str, str]]:
    """The pairs of tier and country, as they are suggested for the demo's sheet."""
    data = generate_customers().csv
    frame = read_csv(data, guess_dialect(data)).frame
    suggested = suggest(customers(), frame, profile(frame))
    tables = {path: suggested.fields[path].value_table for path in ("plan", "address.country")}
    return {path: table.pairs for path, table in tables.items() if table}


def mapping(pairs: dict[str, dict[str, str]]) -> Mapping:
    """Every column of the file but one onto a field."""
    fields = {
        "member_number": {"columns": ["Customer ID"]},
        "email": {"columns": ["E-mail Address"], "steps": [_TRIM, {"kind": "case", "to": "lower"}]},
        "name": {"columns": ["First Name", "Surname"], "steps": [_TRIM, {"kind": "join", "separator": " "}]},
        "company": {"columns": ["Company"], "steps": [_TRIM]},
        "plan": {"columns": ["Tier"], "steps": [_TRIM], "value_table": {"pairs": pairs["plan"]}},
        "joined_at": {"columns": ["Joined"], "steps": [{"kind": "read_date", "pattern": "D/M/YYYY H:MM"}]},
        "birth_date": {"columns": ["Date of Birth"], "steps": [{"kind": "read_date", "pattern": "D/M/YYYY"}]},
        "phone": {"columns": ["Telephone"]},
        "address.street": {"columns": ["Street"], "steps": [_TRIM]},
        "address.street2": {"columns": ["Street 2"], "steps": [_TRIM]},
        "address.postcode": {"columns": ["Postcode"]},
        "address.city": {"columns": ["City"], "steps": [_TRIM]},
        "address.country": {
            "columns": ["Country"],
            "steps": [_TRIM],
            "value_table": {"pairs": pairs["address.country"]},
        },
        "language": {"columns": ["Language"]},
        "newsletter": {"columns": ["Newsletter"], "steps": [{"kind": "read_yes_no"}]},
        "total_spent": {"columns": ["Total Spent"], "steps": [{"kind": "read_number", "decimal": "."}]},
        "orders_count": {"columns": ["Orders"]},
        "notes": {"columns": ["Notes"]},
    }
    return Mapping.model_validate({"fields": fields, "match_key": "email"})
