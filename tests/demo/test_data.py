"""The demo data are the same for the same seed, and hold the faults that the manifest counts."""

from __future__ import annotations

from datorum.core.table import ROW, Sheet
from demo.data import CustomersDemo, generate_customers


def test_the_same_seed_makes_the_same_bytes(demo: CustomersDemo) -> None:
    assert generate_customers().csv == demo.csv
    assert generate_customers(seed=1).csv != demo.csv


def test_the_faults_stand_where_the_manifest_says(demo: CustomersDemo, sheet: Sheet) -> None:
    manifest = demo.manifest
    by_row = {row[ROW]: row for row in sheet.frame.iter_rows(named=True)}
    assert {by_row[row]["Tier"] for row in manifest.unknown_tier} == {"Bonsai", "Hedge"}
    assert all(len(by_row[row]["Surname"]) > 120 for row in manifest.name_too_long)
    assert all("@example.org" not in by_row[row]["E-mail Address"].replace("@@", "") for row in manifest.bad_email)
    emails = [row["E-mail Address"].strip().lower() for row in by_row.values()]
    assert all(emails.count(by_row[row]["E-mail Address"].strip().lower()) > 1 for row in manifest.duplicate_email)
    assert len(manifest.identical) + len(manifest.changed) == manifest.already_on_site == len(demo.on_site)


def test_nobody_in_the_demo_could_be_written_to(demo: CustomersDemo) -> None:
    assert all(record["email"].endswith("@example.org") for record in demo.on_site)


def test_the_sheet_is_uneven_as_an_export_is(sheet: Sheet) -> None:
    assert sheet.frame["Newsletter"].n_unique() == 6
    assert sheet.frame["Notes"].str.contains("\n").any()
    assert sheet.frame["Postcode"].str.contains("^0").any()
    assert sheet.frame["First Name"].str.contains("^ | $").any()
