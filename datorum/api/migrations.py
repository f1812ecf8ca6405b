"""Migrations: files dropped together, the board of their imports, and all of them taken further."""

from __future__ import annotations

from typing import Annotated, Literal

from anyio import from_thread
from fastapi import APIRouter, File, Response, UploadFile
from fastapi import Path as ApiPath
from pydantic import BaseModel, Field

from datorum.api.access import Editor, Store, Viewer
from datorum.api.imports import Reading
from datorum.api.numbers import Id
from datorum.api.uploads import on_disk
from datorum.stations.migration import drop, migrations, walk
from datorum.stations.migration.board import Board, board
from datorum.stations.migration.drop import Unread
from datorum.stations.migration.ready import OpenPoint, open_points
from datorum.stations.old_addresses import lead_to_records
from datorum.stations.reading import told_progress
from datorum.store.database import looking

router = APIRouter(prefix="/api/migrations", tags=["migrations"])
SheetId = Annotated[int, ApiPath(ge=1, le=2**31 - 1)]


class NewMigration(BaseModel, extra="forbid"):
    site_id: Annotated[int, Field(ge=1, le=2**31 - 1)]
    name: Annotated[str, Field(min_length=1, max_length=120)]


class ChangedMigration(BaseModel, extra="forbid"):
    """``held_most``: the share in per cent that may be held, refused or differ for the imports to go on."""

    name: Annotated[str, Field(min_length=1, max_length=120)] | None = None
    held_most: Annotated[float, Field(ge=0, le=100)] | None = None


class Dropped(BaseModel):
    """The board with what a file has brought, and the sheets of it that cannot be read."""

    board: Board
    unread: list[Unread]


class Decided(BaseModel, extra="forbid"):
    """Of which kind of record a sheet is."""

    record_type: str


class Goal(BaseModel, extra="forbid"):
    """To where all imports are taken; ``agreed``: the names of the points of preflight that are not in order, and that
    somebody agrees to."""

    to: Literal["check", "rehearse", "run", "rehearse undo", "undo"]
    agreed: list[str] = Field([], max_length=20)


@router.get("")
def list_migrations(store: Store, _: Viewer) -> list[migrations.MigrationListed]:
    """All migrations, those that were begun last first."""
    return migrations.list_migrations(store)


@router.post("", status_code=201)
def start_migration(store: Store, by: Editor, new: NewMigration) -> Board:
    """Begin a migration to a site."""
    return board(store, migrations.start_migration(store, by, new.site_id, new.name.strip() or new.name).id)


@router.get("/{migration_id}", response_model=Board)
def get_board(_: Viewer, migration_id: Id) -> Response:
    """The board: the imports in their order, how far each is, the links between them, and what is missing."""
    with looking() as store:
        return Response(board(store, migration_id).model_dump_json(), media_type="application/json")


@router.patch("/{migration_id}")
def change_migration(store: Store, by: Editor, migration_id: Id, changed: ChangedMigration) -> Board:
    migrations.change_migration(store, by, migration_id, name=changed.name, held_most=changed.held_most)
    return board(store, migration_id)


@router.delete("/{migration_id}", status_code=204)
def remove_migration(store: Store, by: Editor, migration_id: Id) -> None:
    """Let go of a migration. Its imports stay, each by itself."""
    migrations.remove_migration(store, by, migration_id)


@router.post("/{migration_id}/files", status_code=201)
def drop_file(
    store: Store, by: Editor, migration_id: Id, file: Annotated[UploadFile, File()], reading: Reading = ""
) -> Dropped:
    """Read a file with all of its sheets: those that are recognised begin an import each, the others are to be decided
    on."""
    with on_disk(file) as path, told_progress(reading, by) as progress:
        unread = drop.drop_file(store, by, migration_id, file.filename or "", path, progress)
        # What was brought now may be what the texts of others lead to.
        lead_to_records(store, [item.id for item in migrations.imports_of(store, migration_id)])
    return Dropped(board=board(store, migration_id), unread=unread)


@router.put("/{migration_id}/sheets/{sheet_id}")
def decide(store: Store, by: Editor, migration_id: Id, sheet_id: SheetId, decided: Decided) -> Board:
    """Have a sheet be of a kind of record, whatever it was taken for."""
    drop.decide(store, by, migration_id, sheet_id, decided.record_type)
    return board(store, migration_id)


@router.delete("/{migration_id}/sheets/{sheet_id}")
def let_go(store: Store, by: Editor, migration_id: Id, sheet_id: SheetId) -> Board:
    """Have a sheet be of the migration no more, with the import that was begun with it."""
    drop.let_go(store, by, migration_id, sheet_id)
    return board(store, migration_id)


@router.put("/{migration_id}/imports/{import_id}")
def add_import(store: Store, by: Editor, migration_id: Id, import_id: Id) -> Board:
    """Have an import that there is be of the migration."""
    migrations.add_import(store, by, migration_id, import_id)
    return board(store, migration_id)


@router.delete("/{migration_id}/imports/{import_id}")
def take_out_import(store: Store, by: Editor, migration_id: Id, import_id: Id) -> Board:
    """Have an import be of the migration no more; it stays by itself."""
    migrations.take_out_import(store, by, migration_id, import_id)
    return board(store, migration_id)


@router.get("/{migration_id}/preflight")
def get_open_points(store: Store, _: Viewer, migration_id: Id) -> list[OpenPoint]:
    """What is not in order before the imports run that are rehearsed, each point once with the imports that it is
    of."""
    return open_points(store, migration_id, lambda plan: from_thread.run(walk.looked_at, plan))


@router.post("/{migration_id}/go", status_code=202)
def go(store: Store, by: Editor, migration_id: Id, goal: Goal) -> Board:
    """Have all imports checked, rehearsed or run, one layer after the other, or taken back in the reverse order."""
    walk.go(store, by, migration_id, goal.to, goal.agreed)
    return board(store, migration_id)


@router.post("/{migration_id}/halt")
def halt(store: Store, by: Editor, migration_id: Id) -> Board:
    """Have them go no further; what is under way comes to its end."""
    walk.halt(store, by, migration_id)
    return board(store, migration_id)
