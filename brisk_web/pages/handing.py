"""Pages: hand-offs, handing a render over, destinations."""

from __future__ import annotations

import re
from collections.abc import Iterable
from fractions import Fraction
from typing import Any
from urllib.parse import urlsplit

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.db.models import Q
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_GET, require_POST

from brisk_core.errors import ValueRefused
from brisk_core.exact import spell_bit_rate, spell_bytes, spell_rate, spell_size
from brisk_core.handoff import FIELDS, NameRule
from brisk_web.accounts.people import signed_in
from brisk_web.handoff import services
from brisk_web.handoff.companions import holding_back, readiness
from brisk_web.handoff.doors import DoorRefused
from brisk_web.handoff.doors.sftp import private_key
from brisk_web.handoff.models import Brought, Destination, HandOff, Look, ServedCopy
from brisk_web.handoff.refusals import reasons_of
from brisk_web.handoff.services import HandOffRefused
from brisk_web.house.models import in_use, retired
from brisk_web.jobs.models import Deliverable, Render
from brisk_web.pages.changing import SeenMixin
from brisk_web.ui.asking import asked_id, words
from brisk_web.ui.paging import newest_first

_ROWS = 30
_LOOKS = 100
_REFRESH_MS = 1500
_PACKAGES = (
    ("", "The file alone"),
    ("mhl", "A package with an ASC MHL 2.0 history"),
    ("mhl md5", "A package with ASC MHL 2.0 and a list of MD5"),
    ("md5", "A package with a list of MD5"),
    ("sha256", "A package with a list of SHA-256"),
    ("bagit", "A bag (RFC 8493) with SHA-256"),
)

#: How the address of each kind begins, and what is expected of it.
_ADDRESSES: dict[str, tuple[tuple[str, ...], str]] = {
    "folder": (("/",), "a folder of this machine from its root, such as /mnt/merrow"),
    "ftp": (("ftp://", "ftps://"), "ftp://host:port/folder or ftps://host:port/folder"),
    "sftp": (("sftp://",), "sftp://host:port/folder"),
    "site": (("https://", "http://"), "https://host/ and where the site's interface begins"),
    "objects": (("s3://",), "s3://bucket/prefix"),
}
#: What a destination has where its form was left empty.
_DEFAULTS: dict[str, Any] = {
    name: getattr(Destination(), name) for name in ("name_case", "name_signs", "name_length", "at_once", "answers")
}


@require_GET
def hand_offs(request: HttpRequest) -> HttpResponse:
    """What is on its way, what is with them, what they answered; and the destinations."""
    wanted = words(request.GET, "q")
    rows = HandOff.objects.select_related("destination", "render__deliverable__job", "made_by")
    if wanted:
        rows = rows.filter(
            Q(name__icontains=wanted)
            | Q(destination__name__icontains=wanted)
            | Q(render__deliverable__name__icontains=wanted)
        )
    page = newest_first(request, rows, _ROWS)
    moving = HandOff.objects.filter(state__in=HandOff.ACTIVE) | HandOff.objects.filter(look_at__isnull=False)
    context = {
        "page": page,
        "wanted": wanted,
        "destinations": in_use(Destination.objects.all()),
        "retired": retired(Destination.objects.all()),
        "refresh_ms": _REFRESH_MS if moving.exists() else 0,
    }
    return render(request, "handoff/hand_offs.html", context)


@require_GET
def hand_off(request: HttpRequest, handoff_id: int) -> HttpResponse:
    """One hand-off: its way, and what the other side says."""
    related = (
        "destination",
        "render__deliverable__job",
        "render__deliverable__spec_version__spec",
        "render__media_file",
        "render__check_record",
        "made_by",
    )
    row = get_object_or_404(HandOff.objects.select_related(*related), pk=handoff_id)
    copies = list(row.copies.select_related("media_file"))
    context = {
        "row": row,
        "along": Brought.objects.filter(pk__in=row.along),
        "looks": _told_apart(row.looked.all()[:_LOOKS]),
        "copies": [(one, _copy_in_words(one)) for one in copies],
        "reasons": reasons_of(row),
        "line_speeds": [(speed * 1000, *_played(label, copies)) for speed, label in row.line_speeds],
        "refresh_ms": _REFRESH_MS if row.is_active or row.waits_for_answer else 0,
    }
    return render(request, "handoff/hand_off.html", context)


def _told_apart(looks: Iterable[Look]) -> list[dict[str, Any]]:
    """The looks, newest first; those that saw the same one after the other are told once, with their number."""
    found: list[dict[str, Any]] = []
    for look in looks:
        says = look.says or look.error or look.state_in_words
        if found and found[-1]["says"] == says:
            found[-1]["times"] += 1
        else:
            found.append({"says": says, "at": look.created_at, "times": 1})
    return found


def _copy_in_words(copy: ServedCopy) -> str:
    """What a site tells of a copy, spelled."""
    told = copy.told
    parts = [
        spell_size(tuple(told["size"])) if told.get("size") else "",
        f"{spell_rate(Fraction(told['rate']))} fps" if told.get("rate") else "",
        told.get("codec") or "",
        spell_bit_rate(told["bit_rate"]) if told.get("bit_rate") else "",
        spell_bytes(told["bytes"]) if told.get("bytes") else "",
    ]
    return ", ".join(part for part in parts if part)


def _played(label: str | None, copies: list[ServedCopy]) -> tuple[str, str]:
    """What plays on a viewer's line, in words, and the outcome of that copy."""
    copy = next((one for one in copies if one.label == label), None)
    if copy is None:
        return "nothing that plays without a stop", ""
    states = {"": "not judged yet", "fail": "not what was signed", "not measured": "not measured"}
    return f"{copy.label}, {states.get(copy.outcome, 'as signed')}", copy.outcome


@permission_required("handoff.add_handoff", raise_exception=True)
def hand_over(request: HttpRequest, deliverable_id: int) -> HttpResponse:
    """Hand the newest, signed attempt at a deliverable over: where to, and under which name."""
    deliverable = get_object_or_404(Deliverable.objects.select_related("job", "spec_version__spec"), pk=deliverable_id)
    newest = (
        deliverable.renders.select_related("media_file__inspection", "deliverable__job").order_by("-attempt").first()
    )
    if newest is None:
        raise Http404("Nothing has been rendered for this deliverable.")
    mistake = ""
    if request.method == "POST":
        asked = "rehearse" if "rehearse" in request.POST else "destination"
        destination = get_object_or_404(Destination, pk=asked_id(request.POST, asked))
        try:
            if asked == "rehearse":
                rehearsed = f"{destination}: {services.rehearse(newest, destination)} Nothing was sent."
                return _hand_over_page(request, deliverable, newest, rehearsed=rehearsed)
            row = services.hand_over(newest, destination, by=signed_in(request))
            return redirect("hand-off", row.pk)
        except HandOffRefused as error:
            mistake = str(error)
    return _hand_over_page(request, deliverable, newest, mistake=mistake)


def _hand_over_page(
    request: HttpRequest, deliverable: Deliverable, newest: Render, *, mistake: str = "", rehearsed: str = ""
) -> HttpResponse:
    context = {
        "deliverable": deliverable,
        "newest": newest,
        "mistake": mistake,
        "rehearsed": rehearsed,
        "blocked": _blocked(newest),
        "along": readiness(deliverable),
        "offered": [(one, *_name(newest, one)) for one in in_use(Destination.objects.all()) if one.takes_renders],
    }
    return render(request, "handoff/hand_over.html", context, status=422 if mistake else 200)


def _blocked(newest: Render) -> str:
    try:
        services.signed_basis(newest)
    except HandOffRefused as error:
        return str(error)
    missing = holding_back(newest.deliverable)
    return f"It is not ready. {missing}" if missing else ""


def _name(newest: Render, destination: Destination) -> tuple[str, str]:
    """The name it would get over there, or why it can get none."""
    try:
        return services.name_for(newest, destination, timezone.localdate()), ""
    except HandOffRefused as error:
        return "", str(error)


@require_POST
@permission_required("handoff.add_handoff", raise_exception=True)
def change_hand_off(request: HttpRequest, handoff_id: int) -> HttpResponse:
    """Pause, go on, cancel, or look again, as the button says."""
    row = get_object_or_404(HandOff.objects.select_related("destination"), pk=handoff_id)
    by, action = signed_in(request), words(request.POST, "action")
    try:
        if action in services.CHANGES:
            services.CHANGES[action](row, by=by)
        else:
            messages.error(request, f"There is no {action[:40]!r}; expected pause, go-on, cancel or look.")
    except HandOffRefused as error:
        messages.error(request, str(error))
    return redirect("hand-off", row.pk)


# Destinations.


class _Unshown(forms.Textarea):
    """Lines that never go back to a page, such as those of a key."""

    def get_context(self, name: str, value: Any, attrs: dict[str, Any] | None) -> dict[str, Any]:
        """Leave out what was entered."""
        return super().get_context(name, None, attrs)


class DestinationForm(SeenMixin, forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """A new destination, or one that is changed."""

    password = forms.CharField(
        required=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "off"}),
        label="Password or token",
        help_text="Kept sealed, with a key outside the database. Empty: the one it has stays.",
    )
    private_key = forms.CharField(
        required=False,
        widget=_Unshown(attrs={"rows": 3, "autocomplete": "off", "spellcheck": "false", "class": "fig"}),
        label="Private key",
        help_text="Of an SFTP server that asks for a key in place of a password: its whole text, without a passphrase. "
        "Kept sealed as well.",
    )
    package = forms.ChoiceField(choices=_PACKAGES, required=False, label="What is sent")

    class Meta:
        model = Destination
        fields = (
            "name", "kind", "address", "host_key", "user", "password", "private_key", "package", "name_rule",
            "name_case", "name_signs", "name_length", "answers", "receipt_key", "asked_at", "brings_along", "at_once",
            "opens", "closes",
        )  # fmt: skip
        labels = {
            "host_key": "Host key",
            "name_rule": "Naming rule",
            "name_case": "Letters",
            "name_signs": "Signs that stay",
            "name_length": "Longest name",
            "answers": "What the other side does",
            "receipt_key": "Key of its receipts",
            "asked_at": "Where it is asked",
            "brings_along": "Takes what comes along",
            "at_once": "How many at once",
            "opens": "Sent to from",
            "closes": "to",
        }
        help_texts = {
            "address": "A folder of this machine; ftp://host:port/folder, or ftps:// for a secure one; "
            "sftp://host:port/folder; https:// and where the interface of an upload site begins; s3://bucket/prefix.",
            "host_key": "Of an SFTP server, as SHA256:… Left empty, a try shows the one that the server has.",
            "user": "For object storage, the id of the key.",
            "name_rule": "Empty: files keep their names. Fields: " + ", ".join(f"{{{one}}}" for one in FIELDS),
            "name_length": "Bytes, with the extension.",
            "brings_along": "Words, poster and papers that the spec asks for go with the file; to an upload site the "
            "words alone.",
            "receipt_key": "Ed25519, 64 hexadecimal digits. Empty: receipts are believed unchecked, and say so.",
            "asked_at": "host:port of a deck; http:// of a player, or of an object storage other than the usual one.",
        }
        widgets = {
            "name_case": forms.Select(choices=[(one, one) for one in ("as it is", "upper", "lower")]),
            "opens": forms.TimeInput(attrs={"type": "time"}),
            "closes": forms.TimeInput(attrs={"type": "time"}),
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in _DEFAULTS:
            self.fields[name].required = False
        if self.instance.pk:
            self.keep(self.instance)

    def clean(self) -> dict[str, Any]:
        """Read the naming rule and the addresses; what was left empty is as it is for a new one."""
        cleaned = super().clean() or {}
        for name, default in _DEFAULTS.items():
            if cleaned.get(name) in (None, ""):
                cleaned[name] = default
        if cleaned.get("name_rule"):
            try:
                NameRule(
                    text=cleaned["name_rule"], case=cleaned["name_case"], allowed=cleaned["name_signs"],
                    longest=cleaned["name_length"],
                )  # fmt: skip
            except ValueRefused as error:
                self.add_error("name_rule", str(error))
        address, kind = cleaned.get("address") or "", cleaned.get("kind")
        begins, expected = _ADDRESSES.get(str(kind), (("",), ""))
        if not address.startswith(begins):
            self.add_error("address", f"expected {expected}")
        elif kind != Destination.Kind.FOLDER and not _has_host(address):
            self.add_error("address", f"the address names no host that can be reached; expected {expected}")
        if kind == Destination.Kind.SITE and cleaned.get("package"):
            self.add_error("package", "an upload site takes the file alone")
        if (cleaned.get("answers") == Destination.Answers.COPIES) != (kind == Destination.Kind.SITE):
            self.add_error("answers", "an upload site makes copies of its own, and nothing else does")
        if cleaned.get("answers") == Destination.Answers.PLAYER and not _is_service(cleaned.get("asked_at") or ""):
            self.add_error("asked_at", "a player is used at an address such as http://player.example:8080/")
        if kind == Destination.Kind.OBJECTS and cleaned.get("asked_at") and not _is_service(cleaned["asked_at"]):
            self.add_error("asked_at", "expected the address of a service, such as https://objects.example")
        host_key = cleaned.get("host_key") or ""
        if host_key and not re.fullmatch(r"SHA256:[A-Za-z0-9+/]{43}", host_key):
            self.add_error("host_key", "expected SHA256: and 43 letters, digits, + and /")
        if text := cleaned.get("private_key"):
            self._clean_key(text, kind, cleaned.get("password") or "")
        if "@" in address.partition("://")[2].partition("/")[0]:
            self.add_error("address", "user and password have fields of their own, and do not belong in the address")
        if cleaned.get("answers") == Destination.Answers.DECK and ":" not in (cleaned.get("asked_at") or ""):
            self.add_error("asked_at", "a deck is asked for its list at host:port")
        if cleaned.get("opens") and cleaned.get("opens") == cleaned.get("closes"):
            self.add_error("closes", "the same time twice lets nothing through; leave both empty to send at any time")
        key = cleaned.get("receipt_key") or ""
        if key and (len(key) != 64 or not set(key.lower()) <= set("0123456789abcdef")):
            self.add_error("receipt_key", "expected 64 hexadecimal digits")
        return cleaned

    def _clean_key(self, text: str, kind: Any, password: str) -> None:
        if kind != Destination.Kind.SFTP:
            self.add_error("private_key", "only an SFTP server asks for a key")
        elif password:
            self.add_error("private_key", "expected a password or a key, not both")
        else:
            try:
                private_key(text)
            except DoorRefused as error:
                self.add_error("private_key", str(error))


def _has_host(address: str) -> bool:
    """Does an address name a host, and a port that there can be?"""
    try:
        parts = urlsplit(address)
        return bool(parts.hostname) and parts.port != 0
    except ValueError:
        return False


def _is_service(address: str) -> bool:
    return address.startswith(("https://", "http://")) and _has_host(address)


@sensitive_post_parameters("password", "private_key")
@permission_required("handoff.keep_destinations", raise_exception=True)
def write_destination(request: HttpRequest, destination_id: int | None = None) -> HttpResponse:
    """Add a destination, or change one."""
    found = get_object_or_404(Destination, pk=destination_id) if destination_id is not None else None
    form = DestinationForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        secret = form.cleaned_data["private_key"] or form.cleaned_data["password"]
        kept = services.keep_destination(form.save(commit=False), secret=secret, by=signed_in(request))
        messages.info(request, f"{kept}: {services.try_destination(kept)}")
        return redirect("hand-offs")
    heading = f"Change {form.initial['name']}" if found else "New destination"
    return render(request, "handoff/destination.html", {"form": form, "heading": heading, "destination": found})


@require_POST
@permission_required("handoff.add_handoff", raise_exception=True)
def try_destination(request: HttpRequest, destination_id: int) -> HttpResponse:
    """Knock at a destination, without sending anything."""
    destination = get_object_or_404(Destination, pk=destination_id)
    messages.info(request, f"{destination}: {services.try_destination(destination)}")
    return redirect("hand-offs")
