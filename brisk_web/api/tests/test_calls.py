"""What other programs can call: the whole way of a render, who may do what, and that nothing is done twice."""

from __future__ import annotations

import io
import json
import random
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from jsonschema import Draft202012Validator

from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.api.calls import addresses, forget_answers, schema
from brisk_web.api.models import GivenAnswer
from brisk_web.decisions.models import Request, Signature
from brisk_web.decisions.tests.test_decisions import DecisionCase
from brisk_web.handoff import services as handing
from brisk_web.handoff.models import Destination
from brisk_web.house.models import AuditEntry, Token
from brisk_web.house.tokens import SCOPES, make_token
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.pages.tests.furnished import addresses as pages
from brisk_web.storage.models import MediaFile, Upload
from brisk_web.storage.services import StorageRefused, receive

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


class RightsTest(ApiCase):
    def calls(self) -> list[tuple[str, str]]:
        """Every call of the interface, with the ids of what is there."""
        numbers = {
            "check_id": self.check.pk,
            "deliverable_id": self.render_of(self.check).deliverable_id,
            "kind": "waiver",
        }
        return [
            (method, path.removeprefix("/api/v1").format_map(_Ones(numbers | {"action": "pause"})))
            for path, methods in schema()["paths"].items()
            for method in methods
        ]

    def ask(self, method: str, path: str, text: str) -> Any:
        if method == "put":
            headers = {"authorization": f"Bearer {text}"}
            return self.caller.put(f"/api/v1{path}", b"x", content_type="application/octet-stream", headers=headers)
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
            answer = self.ask(method, path, writes if method == "get" else reads)
            if answer.status_code == 422:  # what it takes is read first, and nothing was sent
                answer = self.post(path, self.sample(path), reads)
            self.refused(answer, 403, "it would need the scope")
        self.assertEqual(AuditEntry.objects.count(), before)

    def test_a_token_does_no_more_than_its_owner_may(self) -> None:
        viewer, before = self.token_for(VIEWER), None
        before = AuditEntry.objects.count()
        for method, path in self.calls():
            if method != "get":
                answer = (
                    self.ask(method, path, viewer) if method == "put" else self.post(path, self.sample(path), viewer)
                )
                self.refused(answer, 403, "viewer may not do this.")
        self.assertEqual(AuditEntry.objects.count(), before)
        waived = {"line": "size", "reason": "agreed"}
        self.refused(self.post(f"/checks/{self.check.pk}/waivers", waived), 409, "Only a lead")

    def sample(self, path: str) -> dict[str, Any]:
        """A body that can be read, for the call at a path."""
        samples = {
            "jobs": {"title": "X"}, "files": {"root": "x", "path": "y"}, "attempts": {"deliverable": 1}, "requests": {},
            "checks": {"file": 1, "spec": "x"}, "waivers": {"line": "size", "reason": "x"}, "taking-back": {"why": "x"},
            "watchings": {"start": 0, "end": 1}, "signatures": {"password": "x"}, "hand-offs": {"destination": "x"},
        }  # fmt: skip
        return samples.get(path.rpartition("/")[2], {})


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

    def test_what_is_being_worked_at_waits_and_what_broke_is_done_anew(self) -> None:
        with (
            mock.patch("brisk_web.api.deciding.jobs.open_job", side_effect=RuntimeError),
            self.assertRaises(RuntimeError),
        ):
            self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"})
        self.assertEqual(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"}).status_code, 201)
        GivenAnswer.objects.update(status=None)
        self.refused(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"}), 409, "is being worked at")
        GivenAnswer.objects.update(at=timezone.now() - timedelta(minutes=6))
        self.refused(self.post("/jobs", {"title": "Locks"}, **{"idempotency-key": "a"}), 409, "already")

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
            numbers |= {"decision_id": 1, "handoff_id": 1, "kind": chance.choice(["waiver", "x"]), "action": "pause"}
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
        self.refused(self.send(b""), 411, "expected how many bytes the file has")
        with self.assertRaisesMessage(StorageRefused, "broke off after 3 of 9 bytes; send it again"):
            receive("a.mp4", 9, io.BytesIO(b"abc"), by=self.operator)
        self.refused(self.send(b"abc", name="a%0Ab.mp4"), 422, "expected printable characters")
        self.assertFalse(Upload.objects.exists())
        self.assertFalse(list((self.folder / "data").rglob("*.part")))
