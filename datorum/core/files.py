"""Files that values name: which of those that are held each means, and the text that stands for one in a plan."""

from __future__ import annotations

import base64
import mimetypes
import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable
from pathlib import PurePosixPath
from typing import Any, NamedTuple
from urllib.parse import parse_qs, unquote, urlencode, urlsplit

import filetype

_ADDRESS = re.compile(r"(?i)^https?://[^\s/]")
_NAMED = "ni:///sha-256;"
_PAGE = re.compile(rb"(?is)^\s*(<!doctype html|<html|<head|<body)")
_TEXTS = ("text/", "application/json", "application/xml", "image/svg+xml")
_SAME = {"image/jpg": "image/jpeg", "audio/x-wav": "audio/wav", "application/x-zip-compressed": "application/zip"}


class HeldFile(NamedTuple):
    """A file of which the bytes are held: its name without its folders, the SHA-256 of the bytes in hexadecimal
    digits, how many there are, and their media type."""

    name: str
    sha256: str
    size: int
    media: str


def is_address(reference: str) -> bool:
    """Whether a file is named by its address, and can be fetched there."""
    return _ADDRESS.match(reference.strip()) is not None


def name_of(reference: str) -> str:
    """The name of a file by its address or its path: what stands behind the last stroke."""
    parts = _parts(reference)
    return parts[-1] if parts else ""


def _parts(reference: str) -> list[str]:
    """The folders and the name in an address or a path, from the top."""
    text = reference.strip()
    if is_address(text):
        try:
            text = unquote(urlsplit(text).path)
        except ValueError:
            return []
    return [part for part in unicodedata.normalize("NFC", text).replace("\\", "/").split("/") if part not in ("", ".")]


def said_of_file(file: HeldFile) -> str:
    """What stands for a file in a plan: its name by its hash (RFC 6920), with its media type, name and size beside."""
    digest = base64.urlsafe_b64encode(bytes.fromhex(file.sha256)).decode().rstrip("=")
    return f"{_NAMED}{digest}?{urlencode({'ct': file.media, 'name': file.name, 'size': file.size})}"


def file_meant(value: Any) -> HeldFile | None:
    """The file that a value of a plan stands for, where it stands for one."""
    if not isinstance(value, str) or not value.startswith(_NAMED):
        return None
    digest, _, beside = value.removeprefix(_NAMED).partition("?")
    said = parse_qs(beside)
    sha256 = base64.urlsafe_b64decode(digest + "=" * (-len(digest) % 4)).hex()
    return HeldFile(said["name"][0], sha256, int(said["size"][0]), said["ct"][0])


def media_of(name: str, head: bytes) -> str:
    """The media type of a file by how it begins, as far as that tells, or else by how its name ends."""
    if _PAGE.match(head):
        return "text/html"
    found = filetype.guess_mime(head)
    by_name = _by_name(name)
    if found is None:
        return by_name or "application/octet-stream"
    # Documents of offices are archives, which their names tell apart.
    return by_name if found == "application/zip" and by_name else _SAME.get(found, found)


def _by_name(name: str) -> str:
    found = mimetypes.guess_type(name)[0] or ""
    return _SAME.get(found, found)


def amiss(name: str, media: str, size: int) -> str:
    """What is wrong with a file, as a predicate; empty where nothing is."""
    if not size:
        return "is empty"
    called = _by_name(name)
    if not called or called == media:
        return ""
    if media == "text/html":
        return "is a web page, such as one that says that the file is not there"
    if called.startswith(_TEXTS):
        return f"is called as if it were {called}, and is {media}" if not media.startswith(_TEXTS) else ""
    # What nothing is known of by its beginning is believed by its name.
    return f"is called as if it were {called}, and is {media}"


class Files:
    """The files that values may name: ``held``, each with the path or the address that it came by, and in the place of
    one that is not sound why it is not."""

    def __init__(self, held: Iterable[tuple[str, HeldFile | str]] = ()) -> None:
        self._by_address: dict[str, HeldFile | str] = {}
        self._by_name: dict[str, list[tuple[list[str], HeldFile | str]]] = defaultdict(list)
        for came_by, file in held:
            if is_address(came_by):
                self._by_address[came_by.strip()] = file
            elif parts := _parts(came_by):
                folded = [part.casefold() for part in parts]
                self._by_name[folded[-1]].append((folded, file))

    def find(self, reference: str) -> HeldFile | str:
        """The file that a value names, or why there is none, as a predicate of the value."""
        reference = reference.strip()
        fetched = self._by_address.get(reference)
        if isinstance(fetched, HeldFile):
            return fetched
        found = self._by_path(reference)
        if found is not None:
            return found
        if fetched is not None:
            return fetched
        return "has not been fetched" if is_address(reference) else "is not among the files that are here"

    def lacks(self, reference: str) -> bool:
        """Whether a value is an address that is to be fetched, or fetched again, as nothing is here for it."""
        return is_address(reference) and not isinstance(self.find(reference), HeldFile)

    def _by_path(self, reference: str) -> HeldFile | str | None:
        """The file whose path ends as the reference does, in as many folders as both have."""
        asked = [part.casefold() for part in _parts(reference)]
        if not asked:
            return "names no file"
        alike: dict[int, list[tuple[list[str], HeldFile | str]]] = defaultdict(list)
        for parts, file in self._by_name.get(asked[-1], ()):
            shared = next((at for at, pair in enumerate(zip(reversed(parts), reversed(asked), strict=False))
                           if pair[0] != pair[1]), min(len(parts), len(asked)))  # fmt: skip
            # Of addresses the beginning means nothing to an archive; of a path that is given all of it does.
            if is_address(reference) or shared == min(len(parts), len(asked)):
                alike[shared].append((parts, file))
        if not alike:
            return None
        best = alike[max(alike)]
        if len({file.sha256 if isinstance(file, HeldFile) else file for _, file in best}) > 1:
            there = ", ".join("/".join(parts) for parts, _ in best[:3])
            return f"may mean any of several files: {there}"
        return best[0][1]


def suffix_of(name: str) -> str:
    """How the name of a file ends, in small letters, with its point."""
    return PurePosixPath(name).suffix.lower()
