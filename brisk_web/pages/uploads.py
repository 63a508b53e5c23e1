"""Uploads in chunks that can be resumed: the tus protocol, version 1.0.0, with creation, expiration and termination."""

from __future__ import annotations

import base64
import binascii
import uuid
from collections.abc import Callable

from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.utils.http import http_date
from django.views.decorators.http import require_http_methods

from brisk_web.accounts.people import signed_in
from brisk_web.jobs.suggestions import suggest
from brisk_web.storage import services
from brisk_web.storage.models import Upload
from brisk_web.ui.asking import whole

VERSION = "1.0.0"


def _answer(status: int, says: str = "", **headers: object) -> HttpResponse:
    response = HttpResponse(says, status=status, content_type="text/plain; charset=utf-8")
    response["Tus-Resumable"] = VERSION
    response["Cache-Control"] = "no-store"
    for name, value in headers.items():
        response[name.replace("_", "-")] = str(value)
    return response


def _speaks_tus(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    def checked(request: HttpRequest, **kwargs: object) -> HttpResponse:
        if request.method != "GET" and request.headers.get("Tus-Resumable") != VERSION:
            return _answer(412, f"expected Tus-Resumable: {VERSION}", Tus_Version=VERSION)
        return view(request, **kwargs)

    return checked


def _metadata(header: str) -> dict[str, str]:
    """Read Upload-Metadata: pairs of a key and a base64 text, parted by commas."""
    found = {}
    for pair in header.split(","):
        key, _, value = pair.strip().partition(" ")
        try:
            found[key] = base64.b64decode(value, validate=True).decode("utf-8")
        except (binascii.Error, UnicodeDecodeError) as error:
            raise services.StorageRefused(f"met {key!r} in Upload-Metadata that is no base64 text") from error
    return found


@require_http_methods(["POST"])
@permission_required("storage.add_mediafile", raise_exception=True)
@_speaks_tus
def create(request: HttpRequest) -> HttpResponse:
    """Open an upload."""
    services.drop_expired_uploads()
    length = whole(request.headers.get("Upload-Length"))
    if length is None or length < 0:
        return _answer(400, f"met {request.headers.get('Upload-Length', '')!r} as Upload-Length; expected whole bytes")
    try:
        name = _metadata(request.headers.get("Upload-Metadata", "")).get("filename", "")
        upload = services.open_upload(name, length, by=signed_in(request))
    except services.StorageRefused as error:
        return _answer(400, str(error))
    return _answer(201, Location=reverse("upload", args=[upload.pk]), Upload_Offset=0, Upload_Expires=_expires(upload))


def _expires(upload: Upload) -> str:
    return http_date((upload.touched_at + services.UPLOAD_LIFE).timestamp())


@require_http_methods(["HEAD", "PATCH", "DELETE", "GET"])
@permission_required("storage.add_mediafile", raise_exception=True)
@_speaks_tus
def upload(request: HttpRequest, upload_id: uuid.UUID) -> HttpResponse:
    """Tell how far an upload is, take a chunk, or drop it. GET tells a page what became of it."""
    found = get_object_or_404(Upload.objects.select_related("file"), pk=upload_id, owner=request.user)
    if request.method == "DELETE":
        found.part_path.unlink(missing_ok=True)
        found.delete()
        return _answer(204)
    if request.method in ("GET", "HEAD"):
        try:
            found = services.look_after(found)
        except services.StorageRefused:
            found.refresh_from_db()  # it begins anew, and says so by its offset
    if request.method == "GET":
        return _outcome(found)
    if request.method == "HEAD":
        return _answer(200, Upload_Offset=found.offset, Upload_Length=found.size, Upload_Expires=_expires(found))
    return _take_chunk(request, found)


def _take_chunk(request: HttpRequest, found: Upload) -> HttpResponse:
    if request.headers.get("Content-Type") != "application/offset+octet-stream":
        return _answer(415, "expected Content-Type: application/offset+octet-stream")
    offset, length = whole(request.headers.get("Upload-Offset")), whole(request.headers.get("Content-Length"))
    if offset is None or length is None or offset < 0 or length < 0:
        return _answer(400, "expected Upload-Offset and Content-Length in whole bytes")
    if length > services.LARGEST_CHUNK:
        return _answer(413, f"met a chunk of {length} bytes; expected at most {services.LARGEST_CHUNK}")
    try:
        found = services.append(found, offset, request, length)  # type: ignore[arg-type]  # a request reads
    except services.WrongOffset as error:
        return _answer(409, str(error))
    except services.StorageRefused as error:
        return _answer(400, str(error))
    return _answer(204, Upload_Offset=found.offset, Upload_Expires=_expires(found))


def _outcome(found: Upload) -> JsonResponse:
    suggestion = suggest(found.name)
    return JsonResponse(
        {
            "name": found.name,
            "complete": found.file is not None,
            "page": reverse("take-in", args=[found.file.pk]) if found.file else None,
            "deliverable": suggestion.deliverable.pk if suggestion else None,
            "looks_like": suggestion.says if suggestion else None,
        }
    )
