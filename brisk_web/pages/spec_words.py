"""The house's own words: why a characteristic is asked for, and what to change, where a spec says neither."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from brisk_core.errors import ValueRefused
from brisk_core.facts import REGISTRY
from brisk_core.spec.reasons import reason_for
from brisk_web.accounts.people import signed_in
from brisk_web.shelf.models import HouseWords
from brisk_web.shelf.services import word
from brisk_web.ui.asking import words

_LONGEST = 1_000  # characters


@require_http_methods(["GET", "POST"])
@permission_required("shelf.add_specversion", raise_exception=True)
def house_words_page(request: HttpRequest) -> HttpResponse:
    """What the house says of characteristics, and the form that sets it."""
    asked = request.POST if request.method == "POST" else request.GET
    said = words(asked, "characteristic")
    by_label = {one.label.casefold(): one for one in REGISTRY.values()}
    characteristic = REGISTRY.get(said) or by_label.get(said.casefold())
    why, remedy = words(request.POST, "why")[:_LONGEST], words(request.POST, "remedy")[:_LONGEST]
    refused = ""
    if request.method == "POST":
        try:
            if characteristic is None:
                raise ValueRefused(f"met {said!r}; expected a characteristic, such as picture.frame_rate")
            word(characteristic, why, remedy, by=signed_in(request))
            messages.success(request, f"{characteristic.label} is told in these words from the next judging on.")
            return redirect("house-words")
        except ValueRefused as error:
            refused = str(error)
    elif characteristic is not None:
        known = HouseWords.objects.filter(characteristic=characteristic.id).first()
        why, remedy = (known.why, known.remedy) if known else ("", "")
    context = {
        "rows": [
            (REGISTRY[one.characteristic], one) for one in HouseWords.objects.all() if one.characteristic in REGISTRY
        ],
        "characteristics": REGISTRY.values(),
        "said": said,
        "why": why,
        "remedy": remedy,
        "shipped": reason_for(characteristic) if characteristic else None,
        "refused": refused,
    }
    return render(request, "shelf/words.html", context, status=422 if refused else 200)
