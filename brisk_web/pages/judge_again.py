"""The page that shows what a new version of a spec does to checks of older ones, and judges them again."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from brisk_web.accounts.people import signed_in
from brisk_web.checks import services
from brisk_web.shelf.models import Spec

_MOST_SHOWN = 200  # checks tried for the page; all are judged when it is asked for


@require_http_methods(["GET", "POST"])
@permission_required("shelf.add_specversion", raise_exception=True)
def judge_again(request: HttpRequest, slug: str) -> HttpResponse:
    """Each check by an older version: its verdict then, by the newest version, and the lines that change."""
    spec = get_object_or_404(Spec, slug=slug)
    version = spec.current
    if version is None:
        raise Http404
    if request.method == "POST":
        done = services.judge_again(version, by=signed_in(request))
        how_many = "1 check" if done == 1 else f"{done} checks"
        messages.success(
            request,
            f"Judged {how_many} again by version {version.number}; no file was read again",
        )
        return redirect("spec", slug)
    waiting = services.behind(version).order_by("-pk")
    shown = waiting.select_related(
        "media_file__inspection", "spec_version", "timeline", "render__deliverable__job"
    ).prefetch_related("findings")[:_MOST_SHOWN]
    trials = list(services.trials(version.parsed(), shown))
    context = {
        "version": version,
        "waiting": waiting.count(),
        "trials": sorted(trials, key=lambda trial: not trial.changed),
        "turned": sum(trial.turned for trial in trials),
    }
    return render(request, "checks/judge_again.html", context)
