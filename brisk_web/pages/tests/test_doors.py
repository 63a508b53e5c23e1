"""Every address of the application: who may come in, and what no input of any kind can do. Derived from the URLs."""

from __future__ import annotations

import inspect
import re
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from functools import cache
from pathlib import Path
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings
from django.urls import URLPattern
from django.utils.datastructures import MultiValueDict

import brisk_web.pages
from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.pages.tests.furnished import addresses, furnish
from brisk_web.testing import HouseMixin

#: Who is let in to what writes, or to a form that does. Whatever is not named here is only read, by everybody signed
#: in, and answers no POST. A new address that writes is refused by the tests until it stands here.
WRITES: dict[str, str] = {
    "new-job": OPERATOR,
    "new-deliverable": OPERATOR,
    "import-timeline": OPERATOR,
    "set-range": OPERATOR,
    "change-job": OPERATOR,
    "retire-job": OPERATOR,
    "change-deliverable": OPERATOR,
    "retire-deliverable": OPERATOR,
    "change-timeline": OPERATOR,
    "retire-timeline": OPERATOR,
    "put-away": OPERATOR,
    "change-root": LEAD,
    "retire-root": LEAD,
    "you": VIEWER,
    "password": VIEWER,
    "register-file": OPERATOR,
    "take-in": OPERATOR,
    "inspect-again": OPERATOR,
    "inspect-outdated": OPERATOR,
    "cancel-inspection": OPERATOR,
    "begin-stems": OPERATOR,
    "cancel-stems": OPERATOR,
    "uploads": OPERATOR,
    "upload": OPERATOR,
    "compare": OPERATOR,
    "cancel-comparison": OPERATOR,
    "add-captions": OPERATOR,
    "drop-captions": OPERATOR,
    "add-root": LEAD,
    "new-spec": LEAD,
    "change-spec": LEAD,
    "spec-from-file": LEAD,
    "review-spec": LEAD,
    "judge-again": LEAD,
    "keep-plan": OPERATOR,
    "retire-plan": OPERATOR,
    "bring-in-specs": LEAD,
    "house-words": LEAD,
    "move-deliverables": LEAD,
    "spec-rows": LEAD,
    "forget-draft": LEAD,
    "new-disc": OPERATOR,
    "change-disc": OPERATOR,
    "ask-again": OPERATOR,
    "answer-point": OPERATOR,
    "waive": OPERATOR,
    "watch": OPERATOR,
    "sign": OPERATOR,
    "take-back": OPERATOR,
    "verify-trail": LEAD,
    "hand-over": OPERATOR,
    "read-notices": VIEWER,
    "open-notice": VIEWER,
    "keep-wishes": VIEWER,
    "change-hand-off": OPERATOR,
    "try-destination": OPERATOR,
    "new-destination": LEAD,
    "change-destination": LEAD,
    "retire-destination": LEAD,
    "add-comment": OPERATOR,
    "several-deliverables": OPERATOR,
    "new-bundle": OPERATOR,
    "change-bundle": OPERATOR,
    "retire-bundle": OPERATOR,
    "bring-companion": OPERATOR,
    "remove-companion": OPERATOR,
    "edit-map": OPERATOR,
    "play-outside": OPERATOR,
    "remove-comment": OPERATOR,
    "new-hook": LEAD,
    "change-hook": LEAD,
    "try-hook": LEAD,
    "retire-hook": LEAD,
    "house-defaults": LEAD,
    "tokens": VIEWER,
    "second-step": VIEWER,
    "passkeys": VIEWER,
    "add-passkey": VIEWER,
    "remove-passkey": VIEWER,
    "remove-person-passkeys": LEAD,
    "join-provider": VIEWER,
    "part-provider": VIEWER,
    "recovery-codes": VIEWER,
    "remove-second-step": VIEWER,
    "remove-person-second-step": LEAD,
    "sessions": VIEWER,
    "people": LEAD,
    "pause-queue": LEAD,
    "put-first": OPERATOR,
    "change-role": LEAD,
    "switch-person": LEAD,
    "reset-password": LEAD,
    "end-sessions": LEAD,
    "end-token": VIEWER,
    "attach-source": LEAD,
    "watch-folder": LEAD,
    "change-watched": LEAD,
    "retire-watched": LEAD,
    "retire-source": LEAD,
}
#: Those of them that a GET reaches as well: forms.
FORMS = {
    "bring-in-specs", "house-words", "ask-again", "waive", "watch", "sign",
    "several-deliverables", "new-bundle", "change-bundle", "hand-over", "new-destination", "change-destination", "new-hook", "change-hook",
    "new-job", "new-deliverable", "import-timeline", "take-in", "new-spec", "change-spec", "judge-again", "upload", "spec-from-file",
    "change-job", "change-deliverable", "change-timeline", "change-root", "you", "password", "house-defaults", "tokens", "sessions", "people", "second-step", "passkeys", "join-provider",
    "watch-folder", "change-watched",
}  # fmt: skip
#: What is only read, but not by everybody.
READS = {"trail": LEAD, "hooks": LEAD}
#: What writes by another method than POST.
METHODS = {"upload": "delete"}
OPEN = {
    "figures",
    "healthz",
    "readyz",
    "openapi",
    "session",
    "sign-in",
    "sign-in-code",
    "sign-in-passkey",
    "provider",
    "provider-back",
    "sign-out",
}
ROLES = (VIEWER, OPERATOR, LEAD)

HOSTILE = (
    "", "0", "-1", "x", "1 OR 1=1", "9" * 19, "9" * 5000, "²", "٣", "1.5", "\x00", "../../etc", "/", "a" * 3000, "\u202e", "😀",
    "<script>", "{{7*7}}", "nan", "[]", "\r\n", "1," * 50,
)  # fmt: skip
#: Every name of a parameter that a page reads; a test of the sources holds this list to what they really read.
NAMES = (
    "q", "page", "before", "sort", "fact", "is", "value", "with", "master", "show", "file", "back", "captions",
    "view", "x", "y", "across", "down", "frames", "width", "seconds", "check", "mix", "stem", "files", "add", "spec",
    "timeline", "places", "path", "name", "url", "target", "deliverable", "spec_version", "in", "out", "version",
    "document", "publish", "try", "start", "end", "title", "naming_rule", "due_at", "after", "range_text", "rate",
    "size", "scan", "pixel_aspect", "sample_rate", "replaces", "again", "seen", "attempts_too", "intake", "time_zone",
    "which", "frame", "line", "refusal", "role", "username", "scopes", "days", "code", "next", "queue", "kind_of_work", "cap", "reserve", "wrapper", "codec", "group", "picture_rate", "why", "remedy",
    "render_fast_start", "render_bytes", "render_length", "screen", "index_first", "copy", "specs", "slug", "kind", "plan", "media", "versions",
    "shape", "enlarge", "length", "sounds", "free", "codecs", "sound", "alpha", "switcher_rate", "counts_fields",
    "name_length", "name_signs", "card", "disc_kind", "at", "key", "render_name", "render_wrapper", "render_codec",
    "render_profile", "render_level", "render_size", "render_rate", "render_scan", "render_chroma",
    "render_bit_depth", "render_picture_rate", "render_group", "render_sounds", "job", "file_name", "file_length",
    "file_rate", "file_size", "file_sounds", "file_texts", "file_weight", "source_name", "source_rate",
    "source_length", "characteristic", "old", "new", "family", "next_by",
    "words", "sent_to", "point_line", "point_label", "point_found", "point_change", "point_keep", "answer", "reason",
    "scope", "until", "line", "says", "password", "from", "to", "assigned_to", "rendered_by", "rendered_by_email",
    "two_sign", "action", "destination", "address", "user", "package", "name_rule", "name_case", "name_signs",
    "receipt_key", "asked_at", "at_once", "opens", "closes", "answers", "language", "host_key", "events", "secret",
    "quiet_from", "quiet_to", "item", "button", "rehearse", "private_key", "text", "source", "pick", "row_name", "row_spec",
    "row_naming_rule", "root", "folder", "names", "settle_s", "takes_in", "from_now_on", "row_due_at", "row_range", "row_language", "row_two_sign",
)  # fmt: skip


def names_read_by(pattern: URLPattern) -> list[str]:
    """The parameters that a page can read: those spelled in its module, or in a module of ours that it takes from."""
    view = sys.modules[inspect.unwrap(pattern.callback).__module__]
    taken = {getattr(one, "__module__", None) or getattr(one, "__name__", "") for one in vars(view).values()}
    ours = {view.__name__, *(name for name in taken if isinstance(name, str) and name.startswith("brisk_web."))}
    spelled = frozenset[str]().union(*map(_spelled_in, ours))
    return [name for name in NAMES if name in spelled]


@cache
def _spelled_in(module: str) -> frozenset[str]:
    """The names that a module has as texts, or as what is set with an indent (the fields of a form)."""
    text = inspect.getsource(sys.modules[module])
    return frozenset(re.findall(r"\"(\w+)\"", text)) | frozenset(re.findall(r"^ +(\w+) = ", text, re.MULTILINE))


@contextmanager
def names_asked_for() -> Iterator[set[str]]:
    """Collect the names by which anything sent is asked for."""
    asked: set[str] = set()
    plain = {name: getattr(MultiValueDict, name) for name in ("__getitem__", "get", "getlist", "pop")}

    def noting(method: Any) -> Any:
        def ask(sent: MultiValueDict[Any, Any], key: Any, *more: Any, **named: Any) -> Any:
            asked.add(key)
            return method(sent, key, *more, **named)

        return ask

    def taken_in(sent: MultiValueDict[Any, Any], key: Any, value: Any) -> None:
        before = set(asked)  # what is sent asks for its own name
        plain_append(sent, key, value)
        asked.intersection_update(before)

    plain_append = MultiValueDict.appendlist

    def is_there(sent: MultiValueDict[Any, Any], key: object) -> bool:
        asked.add(str(key))
        return dict.__contains__(sent, key)

    with ExitStack() as patches:
        for name, method in plain.items():
            patches.enter_context(mock.patch.object(MultiValueDict, name, noting(method)))
        patches.enter_context(mock.patch.object(MultiValueDict, "appendlist", taken_in))
        patches.enter_context(mock.patch.object(MultiValueDict, "__contains__", is_there, create=True))
        yield asked


def is_printed(pattern: URLPattern) -> bool:
    """Is it a page as PDF, which takes a second to lay out?"""
    return pattern.name.endswith("-pdf")


def _keep_nothing(*_: object, **__: object) -> None:
    """In the place of what keeps every template of an answer with its context."""


class FurnishedTestCase(HouseMixin, TestCase):
    """A house with one of everything."""

    def setUp(self) -> None:
        super().setUp()
        self.house = furnish(self)
        # Nobody asks these thousands of answers for their templates.
        plain = mock.patch("django.test.client.store_rendered_templates", _keep_nothing)
        plain.start()
        self.addCleanup(plain.stop)


class DoorTest(FurnishedTestCase):
    def test_every_address_asks_for_a_sign_in(self) -> None:
        for pattern in addresses():
            if pattern.name not in OPEN:
                for method in (self.client.get, self.client.post):
                    answer = method(self.house.address(pattern))
                    self.assertEqual(answer.status_code, 302, pattern.name)
                    self.assertTrue(answer["Location"].startswith("/sign-in"), pattern.name)

    def test_what_writes_lets_in_whom_it_should_and_nobody_below(self) -> None:
        for pattern in addresses():
            if pattern.name in OPEN:
                continue
            least = WRITES.get(pattern.name)
            for role in ROLES:
                self.sign_in(role)
                write = getattr(self.client, METHODS.get(pattern.name, "post"))
                answer = write(self.house.address(pattern))
                refused = answer.status_code
                if least is None:
                    self.assertEqual(refused, 405, f"{pattern.name}: a POST is answered; who may send it?")
                elif ROLES.index(role) < ROLES.index(least):
                    self.assertEqual(refused, 403, f"{pattern.name} by a {role}")
                else:
                    self.assertNotIn(refused, (403, 500), f"{pattern.name} by a {role}")

    def test_pages_that_only_show_are_open_to_every_role_and_forms_are_not(self) -> None:
        for pattern in addresses():
            if pattern.name in OPEN:
                continue
            for role in ROLES:
                self.sign_in(role)
                status = self.client.get(self.house.address(pattern)).status_code
                if ROLES.index(role) < ROLES.index(READS.get(pattern.name, VIEWER)):
                    self.assertEqual(status, 403, f"{pattern.name} for a {role}")
                elif pattern.name not in WRITES:
                    self.assertIn(status, (200, 400, 404), f"{pattern.name} for a {role}")
                elif pattern.name in FORMS and ROLES.index(role) < ROLES.index(WRITES[pattern.name]):
                    self.assertEqual(status, 403, f"{pattern.name} for a {role}")
                elif pattern.name not in FORMS:
                    self.assertIn(status, (403, 405), f"{pattern.name} for a {role}")


@override_settings(DEBUG=False)
class HostileTest(FurnishedTestCase):
    """No input of any kind gives an error of ours."""

    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)
        self.client.raise_request_exception = False
        self.broken: list[str] = []
        self.tried: set[str] = set()

    def ask(self, method: str, address: str, data: dict[str, Any], says: str) -> int:
        status: int = getattr(self.client, method)(address, data).status_code
        if status >= 500:
            self.broken.append(f"{method} {address} with {says}")
        return status

    def tearDown(self) -> None:
        self.assertEqual(self.broken, [])
        super().tearDown()

    def test_every_parameter_of_every_address_with_hostile_values(self) -> None:
        for pattern in addresses():
            if pattern.name in ("sign-out", "upload", "clip", "frame", "strip", "samples") or is_printed(pattern):
                continue
            if pattern.name == "readyz":
                continue  # its 503 is what it has to say of a house without workers; it reads no parameter
            address, names = self.house.address(pattern), names_read_by(pattern)
            for method in ("get", "post") if pattern.name in WRITES else ("get",):
                for value in HOSTILE:
                    data = dict.fromkeys(names, value)
                    status = self.ask(method, address, data, f"{value[:20]!r} everywhere")
                    if status == 405 or not data:
                        break  # refused before anything is read, or nothing to read

    def test_what_is_printed_with_a_few_hostile_values(self) -> None:
        for pattern in filter(is_printed, addresses()):
            for value in ("", "a\x00", "9" * 40):  # each costs a second; the pages beside them read the same
                self.ask("get", self.house.address(pattern), dict.fromkeys(NAMES, value), repr(value[:20]))

    def test_the_bench_with_hostile_values(self) -> None:
        for pattern in addresses():
            if pattern.name in ("clip", "frame", "strip", "samples"):
                for value in HOSTILE:
                    self.ask("get", self.house.address(pattern), dict.fromkeys(NAMES, value), repr(value[:20]))

    def test_one_parameter_at_a_time(self) -> None:
        for name in (
            "files",
            "jobs",
            "specs",
            "browse-root",
            "captions",
            "against",
            "take-in",
            "side-by-side",
            "stems",
        ):
            pattern = next(one for one in addresses() if one.name == name)
            for parameter in names_read_by(pattern):
                for value in ("a\x00", "²"):
                    self.ask("get", self.house.address(pattern), {parameter: value}, f"{parameter}={value!r}")

    def test_ids_that_are_not_there(self) -> None:
        for pattern in addresses():
            for key, kind in pattern.pattern.converters.items():
                if "Int" in type(kind).__name__ and pattern.name not in OPEN:
                    for number in (0, 999_999, 2**63 - 1, 2**63, 10**30):
                        address = self.house.address(pattern, **{key: number})
                        self.ask("get", address, {}, f"{key} {number}")
                        self.ask("post", address, {}, f"{key} {number}")

    def test_files_in_the_place_of_texts_and_texts_in_the_place_of_files(self) -> None:
        for pattern in addresses():
            if pattern.name in WRITES and pattern.name != "upload":
                address = self.house.address(pattern)
                for others in (
                    {},
                    *(dict.fromkeys(names_read_by(pattern), value) for value in ("1", "2026-12-01T10:00")),
                ):
                    self.ask_with_files(address, others)
        self.assertGreater(len(self.tried), 130)

    def ask_with_files(self, address: str, others: dict[str, Any]) -> None:
        """Ask with a file in the place of each name that is asked for, beside what else is sent."""
        tried: set[str] = set()
        with names_asked_for() as asked:
            self.ask("post", address, others, "no file")
            while left := sorted((asked & set(NAMES)) - tried):  # one that is there may have others asked for
                for name in left:
                    sent = others | {name: SimpleUploadedFile("\x1f.srt", b"\x00\xff")}
                    self.ask("post", address, sent, f"a file as {name}")
                tried.update(left)
        self.tried.update(tried)

    def test_headers_of_uploads(self) -> None:
        for value in HOSTILE:
            plain = value.encode("latin-1", "replace").decode("latin-1").replace("\r", "").replace("\n", "")
            headers = {"Tus-Resumable": "1.0.0", "Upload-Length": plain, "Upload-Metadata": f"filename {plain}"}
            self.assertLess(self.client.post("/intake/uploads/", headers=headers).status_code, 500, repr(value))

    def test_every_name_that_a_page_reads_is_tried(self) -> None:
        read: set[str] = set()
        for path in Path(brisk_web.pages.__file__).parent.glob("*.py"):
            text = path.read_text()
            read |= set(re.findall(r"request\.(?:GET|POST|FILES)(?:\.get|\.getlist)?[(\[]\"(\w+)\"", text))
            read |= set(re.findall(r"(?:asked_id|words)\([\w.]+, \"(\w+)\"\)", text))
        self.assertGreater(len(read), 15)
        self.assertLessEqual(read, set(NAMES))
