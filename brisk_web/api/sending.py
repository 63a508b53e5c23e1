"""Calls that send files: whole, or in pieces that go on where a line broke."""

from __future__ import annotations

import uuid
from http import HTTPStatus
from typing import Annotated, Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Status

from brisk_web.api import schemas
from brisk_web.api.access import TAKE_IN, caller
from brisk_web.api.problems import Problem
from brisk_web.api.reading import files_told, told_file
from brisk_web.api.router import router
from brisk_web.storage import services
from brisk_web.storage.models import Upload
from brisk_web.ui.asking import whole

_BYTES = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


def _length(request: HttpRequest) -> int:
    length = whole(request.headers.get("Content-Length"))
    if length is None:
        raise Problem(HTTPStatus.LENGTH_REQUIRED, "met no Content-Length; expected how many bytes are sent")
    return length


def _told(upload: Upload) -> dict[str, Any]:
    file = files_told().get(pk=upload.file_id) if upload.file_id else None
    return {
        "id": upload.pk,
        "name": upload.name,
        "size": upload.size,
        "offset": upload.offset,
        "ends_at": upload.touched_at + services.UPLOAD_LIFE,
        "file": told_file(file) if file else None,
    }


def _own(request: HttpRequest, upload_id: uuid.UUID) -> Upload:
    by = caller(request, TAKE_IN, "storage.add_mediafile")
    return get_object_or_404(Upload, pk=upload_id, owner=by)


@router.put("/uploads/{name}", response={201: schemas.FileTold}, summary="Send a file", openapi_extra=_BYTES)
def send_file(request: HttpRequest, name: str) -> Status[dict[str, Any]]:
    """Send the bytes of a file under its name, in one call; it is read at once."""
    by = caller(request, TAKE_IN, "storage.add_mediafile")
    file = services.receive(name, _length(request), request, by=by)  # type: ignore[arg-type]  # a request reads
    return Status(201, told_file(files_told().get(pk=file.pk)))


@router.post("/uploads", response={201: schemas.UploadTold}, summary="Begin to send a file")
def begin_upload(request: HttpRequest, asked: schemas.NewUpload) -> Status[dict[str, Any]]:
    """Begin to send a file in pieces, each by a call of its own from the offset that the answer tells."""
    by = caller(request, TAKE_IN, "storage.add_mediafile")
    services.drop_expired_uploads()
    return Status(201, _told(services.open_upload(asked.name, asked.size, by=by)))


@router.get("/uploads/{uuid:upload_id}/bytes", response=schemas.UploadTold, summary="How far an upload is")
def upload_told(request: HttpRequest, upload_id: uuid.UUID) -> dict[str, Any]:
    """Tell from where to go on; once all is there, the file."""
    return _told(services.look_after(_own(request, upload_id)))


@router.put(
    "/uploads/{uuid:upload_id}/bytes",
    response=schemas.UploadTold,
    summary="Go on with an upload",
    openapi_extra=_BYTES,
)
def go_on_with_upload(
    request: HttpRequest, upload_id: uuid.UUID, offset: Annotated[int, Query(ge=0)]
) -> dict[str, Any]:
    """Send the next piece, of up to 32 MiB, from an offset; with the last one the file is read. What arrived of a
    piece that broke off counts.
    """
    upload, length = _own(request, upload_id), _length(request)
    if length > services.LARGEST_CHUNK:
        says = f"met a piece of {length:,} bytes; expected at most {services.LARGEST_CHUNK:,}"
        raise Problem(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, says)
    try:
        return _told(services.append(upload, offset, request, length))  # type: ignore[arg-type]  # a request reads
    except services.WrongOffset as error:
        raise Problem(HTTPStatus.CONFLICT, f"{error}.") from error
