"""Plans that are kept with a job: keeping one, showing it as it was answered then, asking it again."""

from __future__ import annotations

from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, HttpResponseBadRequest, JsonResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from brisk_core.errors import PlanRefused
from brisk_web.accounts.people import signed_in
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Job
from brisk_web.pages import (
    planner,
    planner_deck,
    planner_disc,
    planner_order,
    planner_plays,
    planner_rates,
    planner_sizes,
    planner_target,
)
from brisk_web.planner.models import Plan
from brisk_web.planner.services import keep
from brisk_web.ui.asking import asked_id, words

_PAGES = {
    page.kind: page
    for page in (
        planner.PAGE,
        planner_sizes.PAGE,
        planner_rates.PAGE,
        planner_order.PAGE,
        planner_plays.PAGE,
        planner_target.PAGE,
        planner_deck.PAGE,
    )
}


@require_POST
@permission_required("planner.add_plan", raise_exception=True)
def keep_plan(request: HttpRequest) -> HttpResponse:
    """Keep a plan with a job: the plan of an address, whose query is sent as "plan"."""
    page = _PAGES.get(words(request.POST, "kind") or Plan.Kind.BITS)
    if page is None:
        return HttpResponseBadRequest("There is no such kind of plan.")
    job = get_object_or_404(in_use(Job.objects.all()), pk=asked_id(request.POST, "job"))
    form = QueryDict(words(request.POST, "plan"))
    asked, version = page.asks(form), page.version(form)
    name = words(request.POST, "name")[:200] or Plan.Kind(page.kind).label
    query = form.urlencode()
    try:
        if asked is not None:
            plan = keep(job, name, asked, version, by=signed_in(request), kind=page.kind, query=query)
            return redirect("plan", plan.pk)
    except PlanRefused:
        pass  # the mistakes are told where it is asked
    return redirect(f"{reverse(page.address)}?{query}")


@require_GET
def plan_page(request: HttpRequest, plan_id: int) -> HttpResponse:
    """A plan that was kept, as it was answered then."""
    plan = get_object_or_404(Plan.objects.select_related("job", "spec_version__spec", "kept_by"), pk=plan_id)
    if plan.kind == Plan.Kind.DISC:
        return planner_disc.disc(request, plan)
    page = _PAGES[plan.kind]
    query = QueryDict(plan.query, mutable=True)
    query["job"] = str(plan.job_id)
    context = {"plan": plan, "found": plan.document, "again": f"{reverse(page.address)}?{query.urlencode()}"}
    return render(request, "planner/plan.html", context)


@require_GET
def plan_json(request: HttpRequest, plan_id: int) -> JsonResponse:
    """A plan that was kept, as JSON of the schema of its kind."""
    return JsonResponse(get_object_or_404(Plan, pk=plan_id).document)
