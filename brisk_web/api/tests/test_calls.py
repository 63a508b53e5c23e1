"""What other programs can call: the whole way of a render, who may do what, and that nothing is done twice."""

from __future__ import annotations

import base64
import io
import json
import random
import zipfile
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from jsonschema import Draft202012Validator

from brisk_core.edit import write_otio
from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.api.calls import addresses, forget_answers, schema
from brisk_web.api.models import GivenAnswer
from brisk_web.checks.tests.test_pages import EDL
from brisk_web.decisions.models import Request, Signature
from brisk_web.decisions.tests.test_decisions import SPEC, DecisionCase
from brisk_web.edits.models import Timeline
from brisk_web.edits.services import import_timeline
from brisk_web.handoff import services as handing
from brisk_web.handoff.models import Destination
from brisk_web.house.models import AuditEntry, Defaults, Token
from brisk_web.house.tokens import SCOPES, make_token
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import open_job, take_in
from brisk_web.pages.tests.furnished import addresses as pages
from brisk_web.planner.models import Plan
from brisk_web.planner.services import keep
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage.models import MediaFile, Upload
from brisk_web.storage.services import StorageRefused, receive
from brisk_web.telling.models import Comment, Notice

PROBLEM = "application/problem+json"
PASSWORD = "right-word"


class ApiCase(DecisionCase):
    """A render that was taken in, and a token of the operator that may do everything."""

    def setUp(self) -> None:
        super().setUp()
        self.caller = Client(enforce_csrf_checks=True)
        self.text = self.token_for(OPERATOR)

    def token_for(self, role: str, *scopes: str) -> str:
        return make_token(self.people[role], "Render queue", scopes or tuple(SCOPES), 30)[1]

    def get(self, path: str, text: str | None = None, **headers: str) -> Any:
        return self.caller.get(f"/api/v1{path}", headers={"authorization": f"Bearer {text or self.text}", **headers})

    def post(self, path: str, asked: Any = None, text: str | None = None, **headers: str) -> Any:
        return self.caller.post(
            f"/api/v1{path}",
            asked if isinstance(asked, bytes) else json.dumps(asked or {}),
            content_type="application/json",
            headers={"authorization": f"Bearer {text or self.text}", **headers},
        )

    def refused(self, answer: Any, status: int, says: str) -> None:
        """It is a problem, with the sentence."""
        self.assertEqual(
            (answer.status_code, answer["Content-Type"].partition(";")[0]), (status, PROBLEM), answer.content
        )
        told = answer.json()
        self.assertEqual((told["status"], bool(told["title"])), (status, True))
        self.assertIn(says, told["detail"])


class WholeWayTest(ApiCase):
    def test_from_a_file_to_the_hand_off(self) -> None:
        (self.folder / "shelf" / "later.mp4").write_bytes(
            (self.folder / "shelf" / self.check.media_file.path).read_bytes()
        )
        self.assertEqual(self.get("/jobs").json()["rows"][0]["title"], "Canal")
        made = self.post("/jobs", {"title": "Locks", "kind_of_work": "drama"})
        self.assertEqual((made.status_code, made.json()["kind_of_work"]), (201, "drama"))
        self.refused(self.post("/jobs", {"title": "Locks"}), 409, "There is a job 'Locks' already.")
        self.refused(self.post("/jobs", {"title": "Weir", "kind_of_work": "opera"}), 422, "expected one of drama,")
        file = self.post("/files", {"root": self.root.name, "path": "later.mp4"}).json()
        owed = Deliverable.objects.create(job=Job.objects.get(title="Locks"), name="Wide", spec_version=self.version)
        check = self.post(f"/files/{file['id']}/attempts", {"deliverable": owed.pk}).json()
        self.assertEqual((check["attempt"], check["deliverable"], check["verdict"]), (1, owed.pk, ""))
        self.refused(self.get(f"/checks/{check['id']}/document"), 409, "has not been judged yet")
        self.work()
        check = self.get(f"/checks/{check['id']}").json()
        self.assertEqual(check["verdict"], "fail")
        document = self.get(check["document"].removeprefix("/api/v1")).json()
        self.assertEqual((document["schema"], document["verdict"]), ("brisk-sentry/check/1", "fail"))
        self.assertEqual(self.get(f"/files/{file['id']}").json()["reading"], "done")
        asked = self.post(f"/checks/{check['id']}/requests", {"words": "Please mend it."})
        self.assertEqual((asked.status_code, asked.json()["kind"]), (201, "request"))
        self.assertEqual(Request.objects.get().points.first().line, "size")  # type: ignore[union-attr]
        self.assertEqual(self.get(f"/deliverables/{owed.pk}").json()["state"], "asked")
        rows = self.get(f"/deliverables?job={owed.job_id}&state=asked").json()["rows"]
        self.assertEqual([row["check"] for row in rows], [check["id"]])

    def test_waived_watched_signed_and_handed_over(self) -> None:
        self.make_signable()
        outside = self.folder / "outside"
        outside.mkdir()
        handing.keep_destination(
            Destination(name="Outside", kind="folder", address=str(outside)), secret="", by=self.lead
        )
        check, owed = self.check.pk, self.render_of(self.check).deliverable_id
        self.refused(self.post(f"/deliverables/{owed}/hand-offs", {"destination": "Outside"}), 409, "sign")
        wrong = self.post(f"/checks/{check}/signatures", {"password": "guess"})
        self.refused(wrong, 403, "This is not the password of the token's owner.")
        seen = self.post(f"/checks/{check}/watchings", {"start": 0, "end": 2})
        self.assertEqual(seen.status_code, 201)
        self.refused(self.post(f"/checks/{check}/watchings", {"start": 2, "end": 2}), 409, "is no stretch of it")
        signed = self.post(f"/checks/{check}/signatures", {"password": PASSWORD, "words": "Seen."})
        self.assertEqual((signed.status_code, signed.json()["kind"]), (201, "signature"))
        self.assertEqual(Signature.objects.get().made_by, self.operator)
        self.refused(self.post(f"/checks/{check}/signatures", {"password": PASSWORD}), 409, "You have signed it.")
        self.assertEqual(self.get("/destinations").json(), ["Outside"])
        sent = self.post(f"/deliverables/{owed}/hand-offs", {"destination": "Outside"}).json()
        self.work()
        told = self.get(f"/hand-offs/{sent['id']}").json()
        self.assertEqual((told["state"], told["name"]), ("done", sent["name"]))
        self.assertTrue((outside / sent["name"]).is_file())
        self.refused(self.post(f"/hand-offs/{sent['id']}/explode"), 404, "expected one of pause, go-on, cancel, look")

    def test_a_decision_is_taken_back_with_a_reason(self) -> None:
        lead = self.token_for(LEAD)
        given = self.post(f"/checks/{self.check.pk}/waivers", {"line": "size", "reason": "agreed"}, lead).json()
        self.refused(self.post(f"/decisions/waiver/{given['id']}/taking-back", {"why": " "}, lead), 409, "Say why")
        taken = self.post(f"/decisions/waiver/{given['id']}/taking-back", {"why": "they changed their mind"}, lead)
        self.assertEqual((taken.status_code, taken.json()["id"]), (200, given["id"]))
        self.refused(self.post("/decisions/verdict/1/taking-back", {"why": "x"}, lead), 404, "expected one of request")


class OrderingTest(ApiCase):
    """What is ordered and said: each call does what its page does, and refuses with the same sentences."""

    def spec_text(self, slug: str = "canal-own", size: str = "1920x1080") -> str:
        return SPEC.replace(f"id: {self.version.spec.slug}", f"id: {slug}").replace("1920x1080", size)

    def test_a_spec_is_published_read_and_never_written_over_unseen(self) -> None:
        made = self.post("/specs", {"text": self.spec_text()}, self.token_for(LEAD))
        self.assertEqual((made.status_code, made.json()["spec"], made.json()["version"]), (201, "canal-own", 1))
        lead = self.token_for(LEAD)
        again = self.post("/specs", {"text": self.spec_text()}, lead)
        self.assertEqual((again.status_code, again.json()["id"]), (200, made.json()["id"]))
        other = self.spec_text(size="1280x720")
        self.refused(self.post("/specs", {"text": other}, lead), 409, "There is version 1 of 'canal-own'")
        changed = self.post("/specs", {"text": other, "after": 1}, lead)
        self.assertEqual((changed.status_code, changed.json()["version"]), (201, 2))
        told = self.get("/specs/canal-own").json()
        self.assertEqual((told["version"], "1280x720" in told["text"]), (2, True))
        self.assertIn("1920x1080", self.get("/specs/canal-own?version=1").json()["text"])
        self.refused(self.get("/specs/canal-own?version=9"), 404, "There is no version 9 of the spec 'canal-own'.")
        self.assertIn("canal-own", [row["spec"] for row in self.get("/specs").json()["rows"]])
        wrong = self.post("/specs", {"text": other.replace("equals", "equal"), "after": 2}, lead)
        self.refused(wrong, 422, "mistake")
        self.assertTrue(wrong.json()["mistakes"][0]["place"])
        self.assertEqual(SpecVersion.objects.filter(spec__slug="canal-own").count(), 2)

    def test_a_deliverable_is_added_with_what_the_house_has_by_default(self) -> None:
        Defaults.objects.create(naming_rule="OLP_*_V##.mp4", rendered_by="Lamp House", due_in_days=3)
        job, slug = self.wide.job_id, self.version.spec.slug
        made = self.post(f"/jobs/{job}/deliverables", {"name": "Tall", "spec": slug, "looked_after_by": "lead"})
        self.assertEqual((made.status_code, made.json()["state"], made.json()["spec"]), (201, "waiting", slug))
        row = Deliverable.objects.get(pk=made.json()["id"])
        self.assertEqual(
            (row.naming_rule, row.rendered_by, row.assigned_to), ("OLP_*_V##.mp4", "Lamp House", self.lead)
        )
        self.assertEqual(row.due_at and timezone.localtime(row.due_at).hour, 18)
        said = {"naming_rule": "", "due_at": "2026-12-24T12:00:00Z", "two_sign": True, "version": self.version.number}
        own = self.post(f"/jobs/{job}/deliverables", {"name": "Square", "spec": slug, **said}).json()
        row = Deliverable.objects.get(pk=own["id"])
        self.assertEqual((row.naming_rule, row.two_sign, row.due_at and row.due_at.day), ("", True, 24))
        for change, status, says in (
            ({"name": "Tall"}, 409, "has a deliverable 'Tall' already"),
            ({"spec": "nowhere"}, 422, "There is no spec 'nowhere'."),
            ({"version": 99}, 422, "There is no version 99 of the spec"),
            ({"naming_rule": "a/b##.mp4"}, 422, "met"),
            ({"range": "0-10"}, 422, "A range needs a timeline."),
            ({"timeline": 999}, 422, "The job has no timeline 999."),
            ({"looked_after_by": "nobody"}, 422, "There is nobody called 'nobody'."),
            ({"rendered_by_email": "lamp"}, 422, "expected an e-mail address"),
            ({"due_at": "2026-12-24T12:00:00"}, 422, "due_at"),
        ):
            answer = self.post(f"/jobs/{job}/deliverables", {"name": "Next", "spec": slug} | change)
            self.refused(answer, status, says)
        self.assertEqual(Deliverable.objects.filter(job=job).count(), 3)
        self.wide.job.retired_at = timezone.now()
        self.wide.job.save()
        self.refused(self.post(f"/jobs/{job}/deliverables", {"name": "Next", "spec": slug}), 404, "no such thing")

    def test_a_range_on_the_timeline_of_the_job(self) -> None:
        timeline = import_timeline(self.wide.job, SimpleUploadedFile("lock.edl", EDL), {"rate": "25"}, by=self.operator)
        asked = {"name": "Part", "spec": self.version.spec.slug, "timeline": timeline.pk, "range": "2-5"}
        row = Deliverable.objects.get(pk=self.post(f"/jobs/{self.wide.job_id}/deliverables", asked).json()["id"])
        self.assertEqual((row.timeline, row.range_start, row.range_end), (timeline, 2, 5))
        asked |= {"name": "Other", "range": "5-2"}
        self.refused(self.post(f"/jobs/{self.wide.job_id}/deliverables", asked), 422, "5-2")

    def test_a_timeline_is_imported_and_the_next_version_of_it(self) -> None:
        path = f"/jobs/{self.wide.job_id}/timelines"
        text = EDL.decode()
        made = self.post(path, {"name": "lock.edl", "text": text, "rate": "25"})
        told = made.json()
        self.assertEqual(
            (made.status_code, told["rate"], told["file_name"], told["remarks"]), (201, "25", "lock.edl", [])
        )
        row = Timeline.objects.get(pk=told["id"])
        self.assertEqual((told["frames"], row.job), (row.edit.length, self.wide.job))
        bundle = io.BytesIO()
        with zipfile.ZipFile(bundle, "w") as archive:
            archive.writestr("content.otio", write_otio(row.edit, ()))
        packed = {"name": "lock.otioz", "base64": base64.b64encode(bundle.getvalue()).decode(), "replaces": row.pk}
        again = self.post(path, packed)
        self.assertEqual(
            (again.status_code, again.json()["replaces"], again.json()["frames"]), (201, row.pk, told["frames"])
        )
        self.assertEqual([one["id"] for one in self.get(path).json()["rows"]], [again.json()["id"], row.pk])
        for asked, says in (
            ({"name": "a.edl", "text": text}, "does not state its frame rate"),
            ({"name": "a.edl", "text": text, "rate": "fast"}, "met 'fast'"),
            ({"name": "a.edl", "text": "Dear editor,"}, "expected an OTIO document"),
            ({"name": "a.edl"}, "met neither text and base64"),
            ({"name": "a.edl", "text": text, "base64": "eA=="}, "met both text and base64"),
            ({"name": "a.edl", "base64": "###"}, "base64 cannot be read"),
            ({"name": "a.edl", "text": text, "rate": "25", "replaces": 99999}, "The job has no timeline 99999."),
        ):
            self.refused(self.post(path, asked), 422, says)
        self.assertEqual(Timeline.objects.filter(job=self.wide.job).count(), 2)

    def test_a_plan_is_kept_with_its_answer_and_opens(self) -> None:
        path = f"/jobs/{self.wide.job_id}/plans"
        asked = {"sources": [{"rate": "25", "length": "60 s"}], "targets": ["25", "29.97i"]}
        kept = self.post(path, {"kind": "rates", "asked": asked, "name": "For the wall"})
        self.assertEqual((kept.status_code, kept.json()["name"], kept.json()["document"]["schema"]),
                         (201, "For the wall", "brisk-sentry/plan-rates/1"))  # fmt: skip
        self.assertEqual(self.get(path).json()["rows"], [kept.json()])
        self.sign_in(OPERATOR)
        self.assertContains(self.client.get(f"/plans/{kept.json()['id']}/"), "For the wall")
        self.assertEqual(self.post(path, {"kind": "rates", "asked": asked}).json()["name"], Plan.Kind.RATES.label)
        self.refused(self.post(path, {"kind": "rates", "asked": {"sources": []}}), 422, "expected a list of 1 to")
        self.refused(self.post(path, {"kind": "weather", "asked": {}}), 422, "expected one of bits, sizes")
        self.assertEqual(Plan.objects.count(), 2)

    def test_comments_name_people_and_removed_ones_are_gone(self) -> None:
        path = f"/checks/{self.check.pk}/comments"
        made = self.post(path, {"words": "Look here, @lead", "line": "size", "frame": 3})
        self.assertEqual((made.status_code, made.json()["frame"]), (201, 3))
        self.assertEqual(Notice.objects.filter(person=self.lead, kind=Notice.Kind.NAMED).count(), 1)
        self.assertEqual([row["words"] for row in self.get(path).json()["rows"]], ["Look here, @lead"])
        self.refused(self.post(path, {"words": " "}), 422, "words")
        self.refused(self.post(path, {"words": "x", "line": "colour"}), 409, "The check has no line 'colour'.")
        self.refused(self.post(path, {"words": "x", "frame": 30}), 409, "expected one of 0 to 29")
        Comment.objects.update(retired_at=timezone.now())
        self.assertEqual(self.get(path).json()["rows"], [])

    def test_captions_are_put_beside_a_file(self) -> None:
        (self.folder / "shelf" / "apart.srt").write_text("1\n00:00:00,100 --> 00:00:00,900\nA lamp.\n")
        source = self.post("/files", {"root": self.root.name, "path": "apart.srt"}).json()
        self.work()
        path = f"/files/{self.check.media_file_id}/captions"
        self.assertEqual(self.get(path).json(), [])
        put = self.post(path, {"captions": source["id"]})
        self.assertEqual((put.status_code, put.json()["name"], put.json()["reading"]), (201, "apart.srt", "done"))
        self.assertEqual([row["file"] for row in self.get(path).json()], [source["id"]])
        self.refused(self.post(path, {"captions": self.check.media_file_id}), 422, "There is no caption file")

    def test_plans_are_worked_out_and_read(self) -> None:
        sources = [{"rate": "25", "length": "60 s"}]
        told = self.post("/plans", {"kind": "rates", "asked": {"sources": sources, "targets": ["25", "29.97i"]}}).json()
        self.assertEqual([row["rate"] for row in told["targets"]], ["25", "30000/1001"])
        deck = self.post("/plans", {"kind": "deck", "asked": {}, "files": [self.check.media_file_id]})
        self.assertIn(deck.status_code, (200, 422), deck.content)
        self.assertEqual(Plan.objects.count(), 0)
        keep(self.wide.job, "Rates", {"sources": sources}, None, by=self.operator, kind="rates")
        kept = self.get(f"/jobs/{self.wide.job_id}/plans").json()["rows"]
        self.assertEqual(
            [(row["name"], row["document"]["schema"]) for row in kept], [("Rates", "brisk-sentry/plan-rates/1")]
        )
        self.refused(self.post("/plans", {"kind": "weather", "asked": {}}), 422, "expected one of bits, sizes")
        wrong = self.post("/plans", {"kind": "rates", "asked": {"sources": []}})
        self.refused(wrong, 422, "expected a list of 1 to")
        self.assertEqual(wrong.json()["mistakes"][0]["place"], "sources")


class RightsTest(ApiCase):
    def calls(self) -> list[tuple[str, str]]:
        """Every call of the interface, with the ids of what is there."""
        numbers = {
            "check_id": self.check.pk,
            "deliverable_id": self.render_of(self.check).deliverable_id,
            "kind": "waiver",
            "upload_id": _NO_UPLOAD,
        }
        return [
            (method, path.removeprefix("/api/v1").format_map(_Ones(numbers | {"action": "pause"})))
            for path, methods in schema()["paths"].items()
            for method in methods
        ]

    def changes(self) -> list[tuple[str, str]]:
        """Those that change something; a plan is worked out and nothing kept."""
        return [(method, path) for method, path in self.calls() if method != "get" and path != "/plans"]

    def ask(self, method: str, path: str, text: str) -> Any:
        if method == "put":
            headers = {"authorization": f"Bearer {text}"}
            return self.caller.put(
                f"/api/v1{path}?offset=0", b"x", content_type="application/octet-stream", headers=headers
            )
        return self.get(path, text) if method == "get" else self.post(path, {}, text)

    def test_nobody_without_a_token_that_counts(self) -> None:
        token = Token.objects.get()
        for method, path in self.calls():
            self.refused(self.ask(method, path, "brisk-guess"), 401, "No token that counts")
        self.client.force_login(self.lead)
        self.assertEqual(self.client.get("/api/v1/jobs").status_code, 401, "a session is no token")
        self.assertEqual(self.get("/jobs").status_code, 200)
        for change in (
            {"expires_at": timezone.now() - timedelta(seconds=1)},
            {"expires_at": timezone.now() + timedelta(days=1), "retired_at": timezone.now()},
        ):
            Token.objects.filter(pk=token.pk).update(**change)
            self.assertEqual(self.get("/jobs").status_code, 401, change)
        Token.objects.filter(pk=token.pk).update(retired_at=None)
        self.assertEqual(self.get("/jobs").status_code, 200)
        self.people[OPERATOR].is_active = False
        self.people[OPERATOR].save()
        self.assertEqual(self.get("/jobs").status_code, 401)

    def test_a_token_does_only_what_its_scopes_say(self) -> None:
        reads, writes = self.token_for(LEAD, "read"), self.token_for(LEAD, *[one for one in SCOPES if one != "read"])
        before = AuditEntry.objects.count()
        for method, path in self.calls():
            asks = (method == "get" and not path.endswith("/bytes")) or path == "/plans"  # who sends asks how far it is
            answer = self.ask(method, path, writes if asks else reads)
            if answer.status_code == 422:  # what it takes is read first, and nothing was sent
                answer = self.post(path, self.sample(path), writes if asks else reads)
            self.refused(answer, 403, "it would need the scope")
        self.assertEqual(AuditEntry.objects.count(), before)

    def test_a_token_does_no_more_than_its_owner_may(self) -> None:
        viewer, before = self.token_for(VIEWER), None
        before = AuditEntry.objects.count()
        for method, path in self.changes():
            answer = self.ask(method, path, viewer) if method == "put" else self.post(path, self.sample(path), viewer)
            self.refused(answer, 403, "viewer may not do this.")
        self.assertEqual(self.post("/plans", {"kind": "rates", "asked": {}}, viewer).status_code, 422)
        self.assertEqual(AuditEntry.objects.count(), before)
        waived = {"line": "size", "reason": "agreed"}
        self.refused(self.post(f"/checks/{self.check.pk}/waivers", waived), 409, "Only a lead")

    def sample(self, path: str) -> dict[str, Any]:
        """A body that can be read, for the call at a path."""
        samples = {
            "jobs": {"title": "X"}, "files": {"root": "x", "path": "y"}, "attempts": {"deliverable": 1}, "requests": {},
            "checks": {"file": 1, "spec": "x"}, "waivers": {"line": "size", "reason": "x"}, "taking-back": {"why": "x"},
            "comments": {"words": "x"}, "captions": {"captions": 1}, "specs": {"text": "x"},
            "deliverables": {"name": "x", "spec": "x"}, "plans": {"kind": "rates", "asked": {}},
            "uploads": {"name": "a.mp4", "size": 3}, "timelines": {"name": "a.edl", "text": "x"}, "watchings": {"start": 0, "end": 1}, "signatures": {"password": "x"}, "hand-offs": {"destination": "x"},
        }  # fmt: skip
        return samples.get(path.rpartition("/")[2], {})


_NO_UPLOAD = "00000000-0000-0000-0000-000000000000"


class _Ones(dict[str, Any]):
    def __missing__(self, key: str) -> Any:
        return 1


class TwiceTest(ApiCase):
    def test_the_same_call_with_a_key_is_done_once(self) -> None:
        first = self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"})
        again = self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"})
        self.assertEqual((first.status_code, first.content), (again.status_code, again.content))
        self.assertEqual(Job.objects.filter(title="Locks").count(), 1)
        self.refused(self.post("/jobs", {"title": "Weir"}, **{"idempotency-key": "a"}), 422, "with another call before")
        self.refused(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "b"}), 409, "already")
        self.refused(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "b"}), 409, "already")
        other = self.token_for(LEAD)
        self.assertEqual(self.post("/jobs", {"title": "Weir"}, other, **{"idempotency-key": "a"}).status_code, 201)

    def test_what_broke_is_done_anew(self) -> None:
        with (
            mock.patch("brisk_web.api.deciding.jobs.open_job", side_effect=RuntimeError),
            self.assertRaises(RuntimeError),
        ):
            self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"})
        self.assertEqual(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"}).status_code, 201)

    def test_what_is_being_worked_at_waits(self) -> None:
        asked, answers = open_job, []

        def slow(*args: Any, **more: Any) -> Job:
            with ThreadPoolExecutor(1) as other:
                answers.append(other.submit(self._in_a_thread).result())
            return asked(*args, **more)

        with mock.patch("brisk_web.api.deciding.jobs.open_job", slow):
            answers.append(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"}))
        self.refused(answers[0], 409, "is being worked at")
        self.assertEqual(answers[1].status_code, 201)

    def _in_a_thread(self) -> Any:
        try:
            return self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"})
        finally:
            connection.close()

    def test_a_web_that_dies_before_its_answer_is_kept_has_done_nothing(self) -> None:
        class Killed(BaseException):
            pass

        with mock.patch.object(GivenAnswer, "save", side_effect=Killed), self.assertRaises(Killed):
            self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"})
        self.assertEqual(Job.objects.filter(title="Locks").count(), 0)
        # Whatever is asked by the key then is done at once.
        self.assertEqual(self.post("/jobs", {"title": "Weir"}, **{"idempotency-key": "a"}).status_code, 201)
        self.assertEqual(Job.objects.filter(title__in=("Locks", "Weir")).count(), 1)

    def test_keys_that_are_none_and_old_answers(self) -> None:
        self.refused(self.post("/jobs", {"title": "X"}, **{"idempotency-key": "k" * 201}), 422, "201 letters")
        self.post("/jobs", {"title": "X"}, **{"idempotency-key": "a"})
        GivenAnswer.objects.update(at=timezone.now() - timedelta(days=2))
        self.assertEqual((forget_answers(), GivenAnswer.objects.count()), (1, 0))


class ShapeTest(ApiCase):
    def test_lists_go_on_to_their_end(self) -> None:
        Job.objects.bulk_create(Job(title=f"Job {number}") for number in range(25))
        path, seen = "/jobs?limit=10&title=Job", []
        while path:
            page = self.get(path).json()
            seen += [row["title"] for row in page["rows"]]
            path = (page["next"] or "").removeprefix("/api/v1")
        self.assertEqual(seen, [f"Job {number}" for number in range(24, -1, -1)])

    def test_lists_ask_no_more_for_many_rows_than_for_few(self) -> None:
        def queries(path: str) -> int:
            self.get(path)  # the token is noted as used
            with CaptureQueriesContext(connection) as asked:
                self.assertEqual(self.get(path).status_code, 200)
            return len(asked)

        paths = ("/jobs", "/deliverables", "/files", "/checks", "/hand-offs")
        few = {path: queries(path) for path in paths}
        for number in range(5):
            row = Deliverable.objects.create(job=self.wide.job, name=f"Row {number}", spec_version=self.version)
            take_in(self.media(f"row{number}.mp4"), row, by=self.operator)
        self.assertEqual({path: queries(path) for path in paths}, few)
        self.assertLessEqual(max(few.values()), 6)

    def test_what_has_not_changed_is_not_sent_again(self) -> None:
        first = self.get("/jobs")
        self.assertEqual(self.get("/jobs", **{"if-none-match": first["ETag"]}).status_code, 304)
        Job.objects.create(title="Locks")
        self.assertEqual(self.get("/jobs", **{"if-none-match": first["ETag"]}).status_code, 200)

    def test_mistakes_stand_at_their_places(self) -> None:
        answer = self.post(f"/checks/{self.check.pk}/waivers", {"line": 3, "until": "soon", "colour": "red"})
        self.refused(answer, 422, "")
        self.assertEqual({one["place"] for one in answer.json()["mistakes"]}, {"line", "reason", "until", "colour"})
        self.refused(self.post("/jobs", b"{"), 400, "Cannot parse request body")
        self.refused(self.get("/jobs/99999"), 404, "There is no such thing.")
        self.refused(self.get("/jobs?limit=0"), 422, "limit")

    def test_a_thousand_odd_calls_break_nothing(self) -> None:
        chance = random.Random(7)
        odd: list[Any] = [
            None, True, -1, 0, 1, 2**31, 2**63, 10**30, 1e308, "", " ", "x" * 5000, "\ud800", "\u0000", "²", "1", [], [[]],
            {}, {"a": 1}, "2026-02-30", "9999-12-31", "'; --", "<b>", [None] * 300, [{"label": "x"}] * 201,
        ]  # fmt: skip
        described = schema()
        posts = [path.removeprefix("/api/v1") for path, methods in described["paths"].items() if "post" in methods]
        gets = [path.removeprefix("/api/v1") for path, methods in described["paths"].items() if "get" in methods]
        names = sorted(
            {name for one in described["components"]["schemas"].values() for name in one.get("properties", {})}
        )
        own = {"check_id": self.check.pk, "deliverable_id": self.render_of(self.check).deliverable_id}
        self.caller.raise_request_exception = False
        for _ in range(1000):
            numbers = {
                name: chance.choice([own.get(name, 1), 1, 10**18, 10**30]) for name in (*own, "job_id", "file_id")
            }
            numbers |= {
                "name": "small",
                "decision_id": 1,
                "handoff_id": 1,
                "kind": chance.choice(["waiver", "x"]),
                "action": "pause",
                "upload_id": _NO_UPLOAD,
            }
            if chance.random() < 0.3:
                query = "&".join(f"{name}={chance.choice(odd[2:10])}" for name in chance.sample(_QUERY, 2))
                answer = self.get(f"{chance.choice(gets).format_map(numbers)}?{query}")
            else:
                body = {name: chance.choice(odd) for name in chance.sample(names, chance.randint(1, 5))}
                sample = RightsTest.sample(RightsTest(), chance.choice(posts)) | body
                answer = self.post(
                    chance.choice(posts).format_map(numbers), sample if chance.random() < 0.9 else odd[-3]
                )
            self.assertLess(answer.status_code, 500, (answer.request["PATH_INFO"], answer.content[:300]))

    def test_the_schema_is_one_and_answers_are_as_it_says(self) -> None:
        told = self.caller.get("/api/v1/openapi.json").json()
        self.assertEqual((told["openapi"], told["info"]["version"]), ("3.1.0", "1"))
        for path, name in (
            (f"/checks/{self.check.pk}", "CheckTold"),
            (f"/deliverables/{self.render_of(self.check).deliverable_id}", "DeliverableTold"),
            (f"/files/{self.check.media_file_id}", "FileTold"),
            ("/jobs", "Page"),
        ):
            shape = {**told["components"]["schemas"][name], "components": told["components"]}
            Draft202012Validator(shape).validate(self.get(path).json())

    def test_no_call_takes_the_name_of_a_page(self) -> None:
        self.assertEqual(reverse("check", args=[1]), "/checks/1/")
        self.assertEqual(reverse("api-check", args=[1]), "/api/v1/checks/1")
        names = [one.name for one in addresses()]
        self.assertFalse(set(names) & {one.name for one in pages()})
        self.assertGreaterEqual(len(names), 20)

    def test_every_call_stands_on_the_page(self) -> None:
        self.sign_in(VIEWER)
        page = self.client.get("/api/").content.decode()
        for path in schema()["paths"]:
            self.assertIn(path, page)


_QUERY = ["limit", "before", "title", "name", "job", "state", "file"]


class SendTest(ApiCase):
    def send(self, data: bytes, name: str = "later.mp4", **headers: str) -> Any:
        sent = {"authorization": f"Bearer {self.text}", **headers}
        return self.caller.put(f"/api/v1/uploads/{name}", data, content_type="application/octet-stream", headers=sent)

    def test_a_file_is_sent_whole_and_read(self) -> None:
        data = (self.folder / "shelf" / self.check.media_file.path).read_bytes()
        with mock.patch("brisk_web.storage.services._CHUNK", 1000):
            told = self.send(data)
        self.assertEqual((told.status_code, told.json()["size"]), (201, len(data)))
        self.work()
        self.assertEqual(self.get(f"/files/{told.json()['id']}").json()["reading"], "done")
        self.assertEqual(Path(MediaFile.objects.get(pk=told.json()["id"]).url).read_bytes(), data)

    def test_what_breaks_off_or_is_none_leaves_nothing(self) -> None:
        self.refused(self.send(b"", **{"content-length": "0"}), 422, "is empty; expected a media file")
        self.refused(self.send(b""), 411, "expected how many bytes are sent")
        with self.assertRaisesMessage(StorageRefused, "broke off after 3 of 9 bytes; send it again"):
            receive("a.mp4", 9, io.BytesIO(b"abc"), by=self.operator)
        self.refused(self.send(b"abc", name="a%0Ab.mp4"), 422, "expected printable characters")
        self.assertFalse(Upload.objects.exists())
        self.assertFalse(list((self.folder / "data").rglob("*.part")))


class PiecesTest(ApiCase):
    """A file that is sent in pieces."""

    def begin(self, size: int, name: str = "later.mp4") -> Any:
        return self.post("/uploads", {"name": name, "size": size})

    def piece(self, key: str, offset: object, data: bytes, text: str = "") -> Any:
        return self.caller.put(
            f"/api/v1/uploads/{key}/bytes?offset={offset}",
            data,
            content_type="application/octet-stream",
            headers={"authorization": f"Bearer {text or self.text}"},
        )

    def test_pieces_become_the_file(self) -> None:
        data = (self.folder / "shelf" / self.check.media_file.path).read_bytes()
        begun = self.begin(len(data)).json()
        self.assertEqual((begun["offset"], begun["size"], begun["file"]), (0, len(data), None))
        self.assertEqual(self.piece(begun["id"], 0, data[:1000]).json()["offset"], 1000)
        self.refused(self.piece(begun["id"], 0, data[:1000]), 409, "expected byte 1000")
        told = self.get(f"/uploads/{begun['id']}/bytes").json()
        self.assertEqual((told["offset"], told["file"]), (1000, None))
        last = self.piece(begun["id"], 1000, data[1000:])
        file = MediaFile.objects.get(pk=last.json()["file"]["id"])
        self.assertEqual((last.status_code, Path(file.url).read_bytes()), (200, data))
        self.assertEqual(self.get(f"/uploads/{begun['id']}/bytes").json()["file"]["id"], file.pk)

    def test_what_is_no_piece_is_refused(self) -> None:
        key = self.begin(10).json()["id"]
        self.refused(self.piece(key, 0, b"x" * 11), 422, "met a chunk of 11 bytes; expected at most 10")
        self.refused(self.piece(key, -1, b"x"), 422, "offset")
        self.refused(self.piece(key, "x", b"x"), 422, "offset")
        with mock.patch("brisk_web.storage.services.LARGEST_CHUNK", 2):
            self.refused(self.piece(key, 0, b"abc"), 413, "expected at most 2")
        self.refused(self.piece(key, 0, b""), 411, "Content-Length")
        self.refused(self.begin(0), 422, "size")
        self.refused(self.begin(1 << 60), 422, "expected at most")
        self.refused(self.begin(3, "a\nb.mp4"), 422, "printable")
        self.assertEqual(self.get(f"/uploads/{key}/bytes").json()["offset"], 0)

    def test_an_upload_belongs_to_who_began_it(self) -> None:
        key = self.begin(10).json()["id"]
        other = self.token_for(LEAD)
        self.refused(self.piece(key, 0, b"abc", other), 404, "no such thing")
        self.refused(self.get(f"/uploads/{key}/bytes", other), 404, "no such thing")
