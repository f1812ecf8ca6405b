"""``datorum import``, ``check``, ``rehearse``, ``run`` and ``verify``."""

from __future__ import annotations

import asyncio
import sys
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Annotated

import typer
from pydantic import BaseModel, ValidationError
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn
from sqlalchemy import select

from datorum.cli.check_file import Checked, check_file, peak_memory_mb
from datorum.cli.database import connected
from datorum.cli.suggest import json_file
from datorum.core.errors import InvalidMapping, NotFound, NotReady, Place, fault_of
from datorum.core.model import Mapping, MappingFile
from datorum.sites import record_type_of
from datorum.stations import check as checking
from datorum.stations import held as held_station
from datorum.stations import imports, read
from datorum.stations import map as mapping_station
from datorum.stations import pilot as pilots
from datorum.stations import rehearse as rehearsing
from datorum.stations import run as running
from datorum.stations import undo as undoing
from datorum.stations import verify as verifying
from datorum.stations.history import run_in
from datorum.stations.old_addresses import lead_to_records
from datorum.stations.overview import Overview, overview
from datorum.stations.preflight import must_be_agreed_to, preflight
from datorum.stations.site_now import site_now
from datorum.stations.undo_view import undo_state
from datorum.store.database import new_session, session
from datorum.store.models import Site

_BY = "terminal"
AsJson = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
ImportId = Annotated[int, typer.Argument(help="The import's number.", metavar="IMPORT")]


def new_import(
    file: Annotated[Path, typer.Argument(help="A file: CSV, workbook, JSON, XML, feed or archive.")],
    site: Annotated[str, typer.Option(help="The name of a connected site.")],
    record_type: Annotated[str, typer.Option("--type", help="What the rows become, such as customers.")],
    mapping: Annotated[Path | None, typer.Option(help="A mapping as JSON; else one is suggested.")] = None,
) -> None:
    """Read a file into a new import, and print its number."""
    with connected(), session() as store:
        found = store.scalar(select(Site).where(Site.name == site))
        if found is None:
            raise NotFound(f"There is no site called {site}.", remedy="Connect it with `datorum site connect`.")
        made = read.start_import(store, _BY, found.id, record_type, file.name, file)
        if mapping:
            mapping_station.save_mapping(store, _BY, made.id, 1, _mapping(mapping))
    if not mapping:
        with connected(), new_session() as store:
            lead_to_records(store, [made.id])
            store.commit()
    print(made.id)


def check(
    what: Annotated[str, typer.Argument(help="An import's number, or a file.", metavar="IMPORT|FILE")],
    schema: Annotated[Path | None, typer.Option(help="For a file: the site's OpenAPI document.")] = None,
    record_type: Annotated[str | None, typer.Option("--type", help="For a file: the record type.")] = None,
    mapping: Annotated[Path | None, typer.Option(help="For a file: the mapping as JSON.")] = None,
    as_json: AsJson = False,
    held: Annotated[
        Path | None, typer.Option(help="Write the held rows with their reasons to this file: XLSX or CSV by its name.")
    ] = None,
    sheet: Annotated[str, typer.Option(help="For a file: which of its sheets.")] = "",
) -> None:
    """Hold every row to every rule. Exit status 1 where rows are held."""
    if what.isdigit() and not Path(what).exists():
        result = _check_import(int(what), held)
    else:
        if not (schema and record_type and mapping):
            raise NotReady("A file is checked against a schema.", remedy="Give --schema, --type and --mapping.")
        kind = record_type_of(json_file(schema), record_type)
        result = check_file(Path(what), kind, _mapping(mapping), sheet, held)
    if as_json:
        print(result.model_dump_json(indent=2))
    else:
        out = Console()
        spent = f"{result.seconds:.2f} s, {result.peak_memory_mb:,.0f} MB"
        out.print(f"{result.rows:,} rows: {result.ready:,} ready, {result.held:,} held ({spent})", highlight=False)
        for column in result.missing_columns:
            out.print(f"◐ The sheet has no column {column}, which the mapping names.", style="yellow", highlight=False)
        for group in result.findings:
            rows = ", ".join(f"{row:,}" for row in group.first_rows)
            more = " …" if group.count > len(group.first_rows) else ""
            noun = "row" if group.count == 1 else "rows"
            mark, style = ("■", "red") if group.blocks else ("◐", "yellow")
            out.print(f"{mark} {group.title}: {group.count:,} {noun} ({rows}{more})", style=style, highlight=False)
    sys.exit(1 if result.held else 0)


def rehearse(import_id: ImportId, as_json: AsJson = False) -> None:
    """Read the site and freeze the plan. Exit status 1 where rows are held."""
    with connected():
        with session() as store:
            plan_id = rehearsing.start_rehearsal(store, _BY, import_id).id
        asyncio.run(
            _with_progress("Reading the site", import_id, lambda: rehearsing.rehearse(plan_id), _rehearse_progress)
        )
        now = _overview(import_id)
    assert now.rehearse is not None
    counts = now.rehearse.counts
    _print(as_json, now.rehearse, ", ".join(f"{count:,} {action}" for action, count in counts.items()))
    sys.exit(1 if counts.get("held") else 0)


def run(
    import_id: ImportId,
    as_json: AsJson = False,
    agree: Annotated[
        list[str] | None, typer.Option(help="A point of preflight that is not in order, and is gone on with; or all.")
    ] = None,
    deletes: Annotated[
        int | None, typer.Option(help="How many records are deleted, where the plan deletes any.")
    ] = None,
    pilot: Annotated[bool, typer.Option(help="Send the fewest records that show all that the plan does.")] = False,
) -> None:
    """Carry out the rehearsed plan, or go on with a paused run. Exit status 1 where rows failed."""
    with connected():
        with session() as store:
            plan = rehearsing.latest_plan(store, import_id)
            if plan is None:
                raise NotReady("There is no rehearsal to run.", remedy=f"Run `datorum rehearse {import_id}` first.")
            chosen = pilots.telling_items(store, plan) if pilot else None
            # The worker is this very process.
            points = [
                one
                for one in preflight(store, plan, asyncio.run(site_now(plan.id)), pilot=pilot)
                if one.name != "worker"
            ]
            wanted = [one.name for one in points] if agree == ["all"] else agree or []
            begins = running.is_to_begin(store, plan, "pilot" if pilot else "main")
            agreed = must_be_agreed_to(points, wanted) if begins else []
            started = running.start_run(store, _BY, plan.id, deletes=deletes, pilot=chosen, agreed=agreed)
            if started.state in ("paused", "failed"):
                running.resume(store, _BY, started.id)
        asyncio.run(_with_progress("Running", import_id, lambda: _until_over(started.id), _run_progress))
        now = _overview(import_id)
    assert now.run is not None
    mail = "mail silenced" if not now.policy.send_mail and now.site_can_be_silenced else "mail not silenced"
    _print(as_json, now.run, f"{now.run.done:,} done, {now.run.failed:,} failed, {mail}. {now.run.error}".strip())
    sys.exit(0 if now.run.state == "done" and not now.run.failed else 1)


def verify(import_id: ImportId, as_json: AsJson = False) -> None:
    """Read the site back and compare it with what was sent. Exit status 1 where they differ."""
    with connected():
        with session() as store:
            plan = rehearsing.latest_plan(store, import_id)
            found = running.run_of(store, plan.id) if plan else None
            if found is None:
                raise NotReady("There is no run to verify.", remedy=f"Run `datorum run {import_id}` first.")
            number = verifying.start_verification(store, _BY, found.id).id
        asyncio.run(
            _with_progress("Reading the site back", import_id, lambda: verifying.verify(number), _verify_progress)
        )
        now = _overview(import_id)
    assert now.verify is not None
    compared = f"{now.verify.compared:,} records, {now.verify.fields_compared:,} fields compared"
    _print(as_json, now.verify, f"{compared}; {now.verify.mismatches:,} differ")
    sys.exit(1 if now.verify.mismatches else 0)


def undo(
    import_id: ImportId,
    run_id: Annotated[int, typer.Argument(help="The run that is taken back.")],
    as_json: AsJson = False,
    carry_out: Annotated[
        bool, typer.Option(help="Take it back, as far as it can be; else say what that would do.")
    ] = False,
    with_earlier: Annotated[bool, typer.Option(help="Take back all runs of the import before it, too.")] = False,
    hold_meant: Annotated[bool, typer.Option(help="Delete nothing that other records point at.")] = False,
) -> None:
    """Rehearse how a run is taken back, or do so. Exit status 1 where not all of it can be, or was."""
    with connected():
        with session() as store:
            found = run_in(store, import_id, run_id)
            plan_id = undoing.start_undo(store, _BY, found.id, with_earlier=with_earlier, hold_meant=hold_meant).id
        asyncio.run(undoing.plan_undo(plan_id))
        if carry_out:
            with session() as store:
                started = running.start_run(store, _BY, plan_id)
            asyncio.run(_with_progress("Taking back", import_id, lambda: _until_over(started.id), _run_progress))
        with session() as store:
            state = undo_state(store, run_in(store, import_id, run_id))
    counts = ", ".join(f"{count:,} {action}" for action, count in state.counts.items() if count)
    _print(as_json, state, f"{state.done:,} of {state.total:,} taken back" if carry_out else counts or "nothing")
    sys.exit(1 if state.left or state.failed or state.error else 0)


async def _until_over(run_id: int) -> None:
    """Carry out a run, or wait for the worker that was faster to take it."""
    while True:
        await running.carry_out(run_id)
        with session() as store:
            if running.get_run(store, run_id).state not in ("waiting", "running"):
                return
        await asyncio.sleep(0.5)


def _check_import(import_id: int, held: Path | None) -> Checked:
    with connected(), session() as store:
        result = checking.check_import(store, _BY, import_id)
        if held:
            held_station.write_held_rows(store, import_id, held)
        report = {"findings": result.groups, "peak_memory_mb": peak_memory_mb()}
        return Checked.model_validate({**result.__dict__, **report})


def _mapping(path: Path) -> Mapping:
    try:
        return MappingFile.model_validate(json_file(path)).mapping()
    except ValidationError as error:
        where, said = fault_of(error.errors()[0])
        raise InvalidMapping(
            f"{where or 'It'} {said}.",
            remedy="docs/mapping.schema.json says what a mapping may hold.",
            place=Place(file=str(path)),
        ) from error


def _overview(import_id: int) -> Overview:
    with session() as store:
        imports.get_import(store, import_id)
        return overview(store, import_id)


def _print(as_json: bool, state: BaseModel, line: str) -> None:
    print(state.model_dump_json(indent=2) if as_json else line)


async def _with_progress(
    label: str,
    import_id: int,
    work: Callable[[], Awaitable[None]],
    where: Callable[[Overview], tuple[int, int | None]],
) -> None:
    """Do the work while a bar on stderr shows how far it is."""
    columns = (TextColumn("{task.description}"), BarColumn(), TextColumn("{task.completed:,}"), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as progress:
        task = progress.add_task(label, total=None)
        doing = asyncio.ensure_future(work())
        while not doing.done():
            await asyncio.wait([doing], timeout=0.3)
            done, total = where(await asyncio.to_thread(_overview, import_id))
            progress.update(task, completed=done, total=total)
        await doing


def _rehearse_progress(now: Overview) -> tuple[int, int | None]:
    return (now.rehearse.records_read, now.rehearse.records_on_site) if now.rehearse else (0, None)


def _run_progress(now: Overview) -> tuple[int, int | None]:
    return (now.run.done + now.run.failed, now.run.total) if now.run else (0, None)


def _verify_progress(now: Overview) -> tuple[int, int | None]:
    return (now.verify.records_read, now.verify.records_on_site) if now.verify else (0, None)
