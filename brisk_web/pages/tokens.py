"""Page: the tokens by which other programs work in a person's name."""

from __future__ import annotations

from datetime import timedelta

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.house.models import Token, in_use
from brisk_web.house.services import retire
from brisk_web.house.tokens import MOST_DAYS, SCOPES, make_token

_MOST_TOKENS = 50  # of one person
_SOON = timedelta(days=7)


class TokenForm(forms.Form):
    """A new token."""

    name = forms.CharField(max_length=100, label="What will use it", help_text="Such as: the render queue.")
    scopes = forms.MultipleChoiceField(
        choices=list(SCOPES.items()),
        initial=["read"],
        label="It may",
        widget=forms.CheckboxSelectMultiple,
        help_text="Never more than you may yourself.",
    )
    days = forms.IntegerField(min_value=1, max_value=MOST_DAYS, initial=90, label="It counts for, days")


@require_http_methods(["GET", "POST"])
def tokens(request: HttpRequest) -> HttpResponse:
    """The tokens of the person who is signed in, and a new one, whose text is shown once."""
    person = signed_in(request)
    form, text = TokenForm(request.POST or None), ""
    mine = in_use(person.tokens.all())
    if request.method == "POST" and form.is_valid():
        if mine.count() >= _MOST_TOKENS:
            form.add_error(None, f"You have {_MOST_TOKENS} tokens; end one of them first.")
        else:
            entered = form.cleaned_data
            _, text = make_token(person, entered["name"], entered["scopes"], entered["days"])
            form = TokenForm()
    now = timezone.now()
    context = {
        "form": form,
        "text": text,
        "tokens": [
            {
                "token": one,
                "may": [SCOPES[scope] for scope in one.scopes if scope in SCOPES],
                "over": one.expires_at <= now,
                "soon": one.expires_at <= now + _SOON,
            }
            for one in mine
        ],
    }
    answer = render(request, "pages/tokens.html", context, status=422 if form.errors else 200)
    answer["Cache-Control"] = "no-store"
    return answer


@require_POST
def end_token(request: HttpRequest, token_id: int) -> HttpResponse:
    """End one of one's own tokens: it counts no longer, and cannot be brought back."""
    token = get_object_or_404(in_use(Token.objects.all()), pk=token_id, owner=signed_in(request))
    retire(token, by=signed_in(request))
    messages.success(request, f"{token} counts no longer.")
    return redirect("tokens")
