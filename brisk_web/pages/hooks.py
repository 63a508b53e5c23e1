"""Pages: other programs that are told of what happens."""

from __future__ import annotations

import secrets
from urllib.parse import urlsplit

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_GET, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.house.models import in_use, retired
from brisk_web.telling import hooks
from brisk_web.telling.hooks import EVENTS, TRY
from brisk_web.telling.models import Hook, Message
from brisk_web.ui.paging import newest_first

_ROWS = 50


@require_GET
@permission_required("telling.keep_hooks", raise_exception=True)
def told_programs(request: HttpRequest) -> HttpResponse:
    """The addresses that are told, and the messages that were sent to them."""
    context = {
        "hooks": in_use(Hook.objects.all()),
        "retired": retired(Hook.objects.all()),
        "page": newest_first(request, Message.objects.select_related("hook"), _ROWS),
        "events": EVENTS | {TRY: "A try"},
    }
    return render(request, "house/hooks.html", context)


class HookForm(forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """A new address, or one that is changed."""

    events = forms.MultipleChoiceField(
        choices=list(EVENTS.items()), widget=forms.CheckboxSelectMultiple, label="It is told when"
    )
    secret = forms.CharField(
        required=False,
        max_length=200,
        label="Shared secret",
        widget=forms.PasswordInput(attrs={"autocomplete": "off"}),
        help_text="Signs every message. Kept sealed; empty: a new one is made and shown once, or the one it has stays.",
    )

    field_order = ("name", "url", "secret", "events")

    class Meta:
        model = Hook
        fields = ("name", "url", "events")
        labels = {"url": "Address"}
        help_texts = {"url": "https://… that takes a POST. Only a lead enters one: the house calls what it names."}

    def clean_url(self) -> str:
        """Take addresses of the web only."""
        url: str = self.cleaned_data["url"]
        try:
            parts = urlsplit(url)
            right = parts.scheme in ("http", "https") and bool(parts.hostname) and parts.port != 0
        except ValueError:
            right = False
        if not right:
            raise forms.ValidationError("expected https:// or http://, a host and a path")
        if "@" in parts.netloc:
            raise forms.ValidationError("an address with a password in it is told to everybody who reads it")
        return url


@sensitive_post_parameters("secret")
@permission_required("telling.keep_hooks", raise_exception=True)
def write_hook(request: HttpRequest, hook_id: int | None = None) -> HttpResponse:
    """Add an address, or change one."""
    found = get_object_or_404(Hook, pk=hook_id) if hook_id is not None else None
    form = HookForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        given: str = form.cleaned_data["secret"]
        made = "" if given or (found and found.secret) else secrets.token_urlsafe(24)
        kept = hooks.keep_hook(form.save(commit=False), secret=given or made, by=signed_in(request))
        shown = f" Its secret, shown this once: {made}" if made else ""
        messages.success(request, f"{kept} is told from now on.{shown}")
        return redirect("hooks")
    heading = f"Change {form.initial['name']}" if found else "Tell another program"
    return render(request, "house/hook.html", {"form": form, "heading": heading})


@require_POST
@permission_required("telling.keep_hooks", raise_exception=True)
def try_hook(request: HttpRequest, hook_id: int) -> HttpResponse:
    """Send a message that says that it is a try."""
    hook = get_object_or_404(Hook, pk=hook_id)
    hooks.queue(hook, TRY, "This is a try.", f"hook:{hook.pk}", signed_in(request))
    messages.info(request, f"A try is on its way to {hook}; its answer stands in the list.")
    return redirect("hooks")
