"""What can be done on the site beside keeping records: invite somebody, hand in a file."""

import asyncio
from typing import Annotated

from fastapi import APIRouter, Depends, File, Request, UploadFile

from demo.site.access import Refusal, authorised, problems
from demo.site.kinds import KINDS
from demo.site.mail import invitation, send
from demo.site.routes import records

_LARGEST = 20 * 1024 * 1024
_TAKEN = {b"\xff\xd8\xff": "image/jpeg", b"\x89PNG": "image/png", b"GIF8": "image/gif", b"RIFF": "image/webp",
          b"%PDF": "application/pdf"}  # fmt: skip
actions = APIRouter(prefix="/api", dependencies=[Depends(authorised)])


@actions.post("/users/{id}/invite", status_code=204, tags=["users"], responses=problems(401, 404, 429))
async def invite_user(request: Request, id: int) -> None:
    """Writes to a user to choose a password."""
    row = await records(request, KINDS["users"]).get(id)
    if row is None:
        raise Refusal(404, "Not found", f"There is no user {id}.")
    await asyncio.to_thread(send, request.app.state.settings.smtp_port, invitation(row["body"]))


@actions.post("/media/{id}/file", status_code=204, tags=["media"], responses=problems(401, 404, 413, 422, 429))
async def upload_file(request: Request, id: int, file: Annotated[UploadFile, File()]) -> None:
    """Takes the file of a medium."""
    media = records(request, KINDS["media"])
    row = await media.get(id)
    if row is None:
        raise Refusal(404, "Not found", f"There is no medium {id}.")
    data = await file.read(_LARGEST + 1)
    if len(data) > _LARGEST:
        raise Refusal(413, "Too large", f"A file is {_LARGEST:,} bytes at most.")
    kind = next((kind for begins, kind in _TAKEN.items() if data.startswith(begins)), None)
    if kind is None:
        raise Refusal(422, "Unprocessable content", "A file is a JPEG, PNG, GIF or WebP picture, or a PDF.")
    await media.keep_file(id, kind, data)
    await media.put(id, {**row["body"], "size": len(data), "content_type": kind}, row["version"])
