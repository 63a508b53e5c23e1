"""Inspection JSON, cancel, inspect again."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.inspections import services
from brisk_web.inspections.models import Inspection
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id


def _back(request: HttpRequest, file: MediaFile) -> HttpResponse:
    target = request.POST.get("back", "")
    if target.startswith("/") and url_has_allowed_host_and_scheme(target, allowed_hosts=None):
        return HttpResponseRedirect(target)
    return redirect("file", file.pk)


@require_POST
@permission_required("inspections.cancel_inspection", raise_exception=True)
def cancel(request: HttpRequest, inspection_id: int) -> HttpResponse:
    """Stop an inspection."""
    inspection = get_object_or_404(Inspection, pk=inspection_id)
    file = get_object_or_404(MediaFile, pk=asked_id(request.POST, "file"))
    services.cancel(inspection, by=signed_in(request))
    return _back(request, file)


@require_POST
@permission_required("inspections.add_inspection", raise_exception=True)
def inspect_again(request: HttpRequest, file_id: int) -> HttpResponse:
    """Read a file once more from the beginning."""
    file = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=file_id)
    services.inspect_again(file, by=signed_in(request))
    messages.success(request, f"{file.name} is being inspected again.")
    return _back(request, file)


@require_POST
@permission_required("inspections.add_inspection", raise_exception=True)
def inspect_outdated(request: HttpRequest) -> HttpResponse:
    """Read every file once more that an older engine read."""
    count = services.inspect_outdated(by=signed_in(request))
    messages.success(request, f"{count} inspection{' is' if count == 1 else 's are'} in the queue.")
    return redirect("house")


@require_GET
def inspection_json(request: HttpRequest, file_id: int) -> JsonResponse:
    """The inspection of a file as JSON; an object with "error" where there is none."""
    file = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=file_id)
    inspection = file.inspection
    if inspection is None or inspection.document is None:
        says = inspection.error if inspection and inspection.error else "the file has not been inspected yet"
        return JsonResponse({"error": says}, status=404)
    # Contents are shared between files, names are not.
    document = inspection.document | {"file": {"name": file.name, "size": file.size}}
    return JsonResponse(document)
