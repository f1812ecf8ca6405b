"""The files that an import's values name."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, File, UploadFile

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id
from datorum.api.uploads import on_disk
from datorum.jobs import defer
from datorum.stations import feeds_of_files, fetching, named_files
from datorum.stations.named_files import FilesView, files_view

router = APIRouter(prefix="/api/imports/{import_id}/files", tags=["files"])


@router.get("")
def get_files(store: Store, _: Viewer, import_id: Id) -> FilesView:
    """Which files the import's values name, which are here, and which are missing."""
    return files_view(store, import_id)


@router.post("", status_code=201)
def add_files(store: Store, by: Editor, import_id: Id, file: Annotated[UploadFile, File()]) -> FilesView:
    """Take in the files of a ZIP archive, or a file by itself. What is there by the same path is replaced."""
    with on_disk(file) as path:
        named_files.add_files(store, by, import_id, file.filename or "", path)
    feeds_of_files.feed_with_files(store, import_id)
    return files_view(store, import_id)


@router.delete("")
def forget_files(store: Store, by: Editor, import_id: Id) -> FilesView:
    """Let go of the files that the import was given, and those that were fetched."""
    named_files.forget_files(store, by, import_id)
    return files_view(store, import_id)


@router.post("/fetch", status_code=202)
def fetch_files(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> FilesView:
    """Have the files fetched that values name by their addresses, and that are not here."""
    fetching.start_fetching(store, by, import_id)
    after.add_task(defer, "fetch", import_id)
    return files_view(store, import_id)


@router.delete("/fetch")
def stop_fetching(store: Store, by: Editor, import_id: Id) -> FilesView:
    """Have the fetching stop; what was fetched stays."""
    fetching.stop_fetching(store, by, import_id)
    return files_view(store, import_id)
