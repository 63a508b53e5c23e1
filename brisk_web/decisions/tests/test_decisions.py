"""Decisions on real checks: waivers change verdicts and end, requests are answered, signatures stand and are void."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any
from unittest import mock

from django.db import ProgrammingError, connection, transaction
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from brisk_core.decide import points_of
from brisk_web.checks.models import Check, Waiver
from brisk_web.checks.services import judge_again
from brisk_web.decisions import services
from brisk_web.decisions.models import Request, Signature, Watching
from brisk_web.handoff.states import State, failing, needs_a_person, with_state
from brisk_web.house.models import AuditEntry
from brisk_web.house.services import DecisionRefused
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.jobs.services import add_deliverable, take_in
from brisk_web.shelf.models import SpecVersion
from brisk_web.testing import QueueTestCase, spec_version
from brisk_web.work.sweep import sweep

SPEC = """
brisk_spec: 1
id: small
name: Small spec
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }
  - { id: codec, characteristic: picture.codec, condition: { equals: avc } }
  - { id: size, characteristic: picture.size, condition: { equals: 1920x1080 } }
  - { id: sound, characteristic: sound.tracks, weight: should, condition: { equals: 2 } }
  - { id: length, characteristic: edit.length, condition: { same_as_timeline: true } }
"""


class DecisionCase(QueueTestCase):
    """A deliverable whose first attempt has the wrong size, which must be met, and no sound, which should."""

    def setUp(self) -> None:
        super().setUp()
        self.operator, self.lead = self.people["operator"], self.people["lead"]
        self.version = spec_version(SPEC)
        job = Job.objects.create(title="Canal")
        made = Deliverable(job=job, name="Wide", spec_version=self.version, naming_rule="CANAL_V##.mp4")
        self.wide = add_deliverable(made, by=self.operator)
        self.check = self.attempt("CANAL_V01.mp4", frames=30)

    def attempt(self, name: str, **recipe: Any) -> Check:
        check = take_in(self.media(name, **recipe), self.wide, by=self.operator)
        self.work()
        check.refresh_from_db()
        return check

    def render_of(self, check: Check) -> Render:
        assert check.render
        return check.render

    def outcome(self, line: str, check: Check | None = None) -> str:
        return (check or self.check).findings.get(line=line).outcome

    def state(self) -> str:
        return str(with_state(Deliverable.objects.filter(pk=self.wide.pk)).get().state)  # type: ignore[attr-defined]

    def sign(self, by: Any = None) -> Signature:
        return services.sign(self.render_of(self.check), by=by or self.operator)

    def make_signable(self) -> None:
        """Waive what fails, and give a person's word for what was not measured."""
        if self.outcome("size") == "fail":
            services.waive(self.check, "size", "agreed", by=self.lead)
        for finding in self.check.findings.filter(outcome="not measured", weight="must"):
            services.watched(
                self.render_of(self.check), 0, 30, line=finding.line, says="I looked at it", by=self.operator
            )
        self.check.refresh_from_db()


class TogetherTest(DecisionCase):
    """Many checks are judged again together: each with its own waivers, in no more queries than a few."""

    def louder(self, words: str) -> SpecVersion:
        """The spec with other words for the size, which is judged again for it."""
        return spec_version(SPEC.replace("{ equals: 1920x1080 }", f"{{ equals: 1920x1080 }}, why: {words}"))

    def test_each_keeps_its_own_waivers(self) -> None:
        waived, other = self.check, self.attempt("CANAL_V02.mp4", frames=31)
        services.waive(waived, "size", "agreed", by=self.lead)
        self.assertEqual(judge_again(self.louder("The screen is that large."), by=self.lead), 2)
        self.assertEqual([self.outcome("size", check) for check in (waived, other)], ["waived", "fail"])
        services.waive(other, "size", "all of them", by=self.lead, whole_deliverable=True)
        third = self.attempt("CANAL_V03.mp4", frames=32)
        self.assertEqual(judge_again(self.louder("It is."), by=self.lead), 3)
        self.assertEqual([self.outcome("size", check) for check in (waived, other, third)], ["waived"] * 3)
        Waiver.objects.update(taken_back_at=timezone.now())
        judge_again(self.louder("It was."), by=self.lead)
        self.assertEqual([self.outcome("size", check) for check in (waived, other, third)], ["fail"] * 3)

    def test_queries_do_not_grow(self) -> None:
        few, many = self.louder("One."), self.louder("Two.")
        with CaptureQueriesContext(connection) as one:
            judge_again(few, by=self.lead)
        for number in range(2, 6):
            self.attempt(f"CANAL_V0{number}.mp4", frames=30 + number)
        with CaptureQueriesContext(connection) as five:
            self.assertEqual(judge_again(many, by=self.lead), 5)
        self.assertLess(len(five), 2 * len(one))  # of two older versions, each judged at once


class WaiverTest(DecisionCase):
    def test_who_may_waive_what_and_what_it_changes(self) -> None:
        self.assertEqual((self.check.verdict, self.outcome("size"), self.outcome("sound")), ("fail", "fail", "caution"))
        for line, reason, by, says in (
            ("size", "agreed", self.operator, "Only a lead"),
            ("size", "  ", self.lead, "Say why"),
            ("length", "agreed", self.lead, "not measured"),
            ("rate", "agreed", self.lead, "passes"),
            ("nothing", "agreed", self.lead, "not judged"),
        ):
            with self.assertRaisesRegex(DecisionRefused, says):
                services.waive(self.check, line, reason, by=by)
        with self.assertRaisesRegex(DecisionRefused, "has passed"):
            services.waive(self.check, "size", "agreed", by=self.lead, until=timezone.localdate() - timedelta(days=1))
        self.assertEqual(Waiver.objects.count(), 0)
        services.waive(self.check, "sound", "a silent film", by=self.operator)
        given = services.waive(self.check, "size", "agreed", by=self.lead)
        self.check.refresh_from_db()
        self.assertNotEqual(self.check.verdict, "fail")
        self.assertEqual(self.check.counts["waived"], 2)
        self.assertEqual(self.check.findings.get(line="size").document["waived"]["reason"], "agreed")
        with self.assertRaisesRegex(DecisionRefused, "or a lead"):
            services.take_back(given, "no", by=self.operator)
        for why in ("", "  "):
            with self.assertRaisesRegex(DecisionRefused, "Say why it is taken back"):
                services.take_back(given, why, by=self.lead)
        services.take_back(given, "they changed their mind", by=self.lead)
        self.assertEqual(self.outcome("size"), "fail")
        with self.assertRaisesRegex(DecisionRefused, "already"):
            services.take_back(given, "again", by=self.lead)
        given.refresh_from_db()
        self.assertEqual((given.taken_back_by, given.taken_back_why), (self.lead, "they changed their mind"))

    def test_a_waiver_of_every_attempt_covers_the_same_value_only_and_ends(self) -> None:
        day = timezone.localdate()
        given = services.waive(self.check, "size", "agreed", by=self.lead, whole_deliverable=True, until=day)
        second = self.attempt("CANAL_V02.mp4", frames=31)
        third = self.attempt("CANAL_V03.mp4", frames=31, size=(192, 108))
        self.assertEqual(
            [self.outcome("size", one) for one in (self.check, second, third)], ["waived", "waived", "fail"]
        )
        services.waive(third, "size", "this one", by=self.lead)
        fourth = self.attempt("CANAL_V04.mp4", frames=32, size=(192, 108))
        self.assertEqual([self.outcome("size", one) for one in (third, fourth)], ["waived", "fail"])
        self.assertEqual(sweep().mended, 0)
        with mock.patch("django.utils.timezone.localdate", return_value=given.until + timedelta(days=1)):
            self.assertEqual(sweep().mended, 1)
            self.assertEqual([self.outcome("size", one) for one in (self.check, second)], ["fail", "fail"])
            self.assertEqual(sweep().mended, 0)
        self.assertTrue(AuditEntry.objects.filter(verb="waiver.ended").exists())


class AskingTest(DecisionCase):
    def test_the_next_attempt_ticks_the_points_off(self) -> None:
        render = self.render_of(self.check)
        self.assertEqual(self.state(), State.DECIDING)
        points = points_of([one.document for one in self.check.findings.all()])
        with self.assertRaisesRegex(DecisionRefused, "Nothing is asked"):
            services.ask_again(render, [], words="", sent_to="", by=self.operator)
        first = services.ask_again(render, points, words="soon", sent_to="", by=self.operator)
        asked = services.ask_again(render, points, words="sooner", sent_to="", by=self.operator)
        first.refresh_from_db()
        self.assertEqual(first.taken_back_why, "asked anew")
        self.assertEqual(self.state(), State.ASKED)
        self.assertIsNone(services.answered(asked))
        self.attempt("CANAL_V02.mp4", frames=30, size=(1920, 1080), codec="mpeg4")
        self.assertEqual(self.state(), State.DECIDING)
        told = services.answered(asked)
        assert told
        self.assertEqual(
            {point.line: ticked.answer.value for point, ticked in told.points},
            {"size": "mended", "sound": "not mended"},
        )
        self.assertEqual(told.mended, 1)
        self.assertIn("Codec", told.broken)
        sound = asked.points.get(line="sound")
        services.answer_by_hand(sound, "mended", by=self.operator)
        told = services.answered(asked)
        assert told
        self.assertEqual(told.mended, 2)
        with self.assertRaisesRegex(DecisionRefused, "mended or not mended"):
            services.answer_by_hand(sound, "perhaps", by=self.operator)
        with self.assertRaisesRegex(DecisionRefused, "newer attempt"):
            services.ask_again(render, points, words="", sent_to="", by=self.operator)


class SigningTest(DecisionCase):
    def test_nothing_is_signed_that_fails_or_that_nobody_looked_at(self) -> None:
        with self.assertRaisesRegex(DecisionRefused, "“Size” fails and is not waived"):
            self.sign()
        services.waive(self.check, "size", "agreed", by=self.lead)
        with self.assertRaisesRegex(DecisionRefused, "“Length” .*not measured"):
            self.sign()
        render = self.render_of(self.check)
        for start, end in ((-1, 5), (5, 5), (0, 31)):
            with self.assertRaisesRegex(DecisionRefused, "no stretch"):
                services.watched(render, start, end, by=self.operator)
        with self.assertRaisesRegex(DecisionRefused, "Say what you saw"):
            services.watched(render, 0, 30, line="length", by=self.operator)
        self.make_signable()
        signed = self.sign()
        self.assertEqual(len(signed.digest), 64)
        self.assertEqual(self.state(), State.SIGNED)
        with self.assertRaisesRegex(DecisionRefused, "You have signed it"):
            self.sign()
        with self.assertRaisesRegex(DecisionRefused, "It is signed"):
            self.sign(self.lead)
        points = points_of([one.document for one in self.check.findings.all()])
        with self.assertRaisesRegex(DecisionRefused, "is signed"):
            services.ask_again(render, points, words="", sent_to="", by=self.operator)
        word = render.watchings.filter(line="length")[0]
        with self.assertRaisesRegex(DecisionRefused, "signed on this word"):
            services.take_back(word, "I dreamt", by=self.operator)
        services.take_back(signed, "too early", by=self.operator)
        self.assertEqual(self.state(), State.DECIDING)

    def test_pictures_that_nothing_and_nobody_looked_at_are_not_signed_for(self) -> None:
        self.make_signable()
        Watching.objects.update(taken_back_at=timezone.now(), taken_back_by=self.lead, taken_back_why="another file")
        render = self.render_of(self.check)
        for finding in self.check.findings.filter(outcome="not measured", weight="must"):
            services.watched(render, 0, 1, line=finding.line, says="I asked the editor", by=self.operator)
        self.check.refresh_from_db()
        inspection = render.media_file.inspection
        assert inspection
        inspection.document = inspection.document | {"depth": "packets"}  # the scan was lost
        inspection.save(update_fields=["document"])
        for start, end in ((0, 10), (12, 30)):
            services.watched(render, start, end, by=self.lead)
            with self.assertRaisesRegex(DecisionRefused, "Nothing and nobody has looked at all of the pictures"):
                self.sign()
        services.watched(render, 10, 12, by=self.operator)
        self.assertTrue(self.sign().stands)

    def test_two_people_sign_where_two_are_asked_for(self) -> None:
        Deliverable.objects.filter(pk=self.wide.pk).update(two_sign=True)
        self.make_signable()
        self.sign()
        self.assertEqual(self.state(), State.HALF_SIGNED)
        with self.assertRaisesRegex(DecisionRefused, "A second person has to"):
            self.sign()
        self.sign(self.lead)
        self.assertEqual(self.state(), State.SIGNED)

    def test_a_signature_is_void_when_what_it_stands_for_changes_and_only_then(self) -> None:
        self.make_signable()
        signed = self.sign()
        self.assertEqual(services.void_what_changed([self.render_of(self.check)]), 0)
        signed.refresh_from_db()
        self.assertTrue(signed.stands)
        services.take_back(Waiver.objects.get(line="size"), "no longer agreed", by=self.lead)
        signed.refresh_from_db()
        self.assertFalse(signed.stands)
        self.assertIn("waiver", signed.voided_why)
        self.assertEqual(self.state(), State.DECIDING)
        self.assertTrue(AuditEntry.objects.filter(verb="signature.voided").exists())

    def test_a_new_version_of_the_spec_voids_it(self) -> None:
        self.make_signable()
        signed = self.sign()
        newer = spec_version(SPEC.replace("{ equals: 2 }", "{ equals: 1 }").replace("2026-03-02", "2026-04-02"))
        judge_again(newer, by=self.lead)
        signed.refresh_from_db()
        self.assertIn("version of the spec", signed.voided_why)

    def test_a_changed_file_voids_it(self) -> None:
        self.make_signable()
        signed = self.sign()
        inspection = self.check.media_file.inspection
        assert inspection
        type(inspection).objects.filter(pk=inspection.pk).update(checksum="ff" * 16)
        services.void_what_changed([self.render_of(self.check)])
        signed.refresh_from_db()
        self.assertIn("not the one that was signed", signed.voided_why)


class StateTest(DecisionCase):
    def test_states_and_whom_they_wait_for(self) -> None:
        empty = add_deliverable(
            Deliverable(job=self.wide.job, name="Tall", spec_version=self.version), by=self.operator
        )
        rows = {one.pk: one for one in with_state(Deliverable.objects.all())}
        self.assertEqual(rows[empty.pk].state, State.WAITING)  # type: ignore[attr-defined]
        self.assertIsNone(rows[empty.pk].since)  # type: ignore[attr-defined]
        self.assertEqual(rows[self.wide.pk].verdict, "fail")  # type: ignore[attr-defined]
        wanted = [self.wide.pk]
        for part in (needs_a_person(), failing()):
            self.assertEqual([one.pk for one in with_state(Deliverable.objects.all()).filter(part)], wanted)
        take_in(self.media("CANAL_V02.mp4", frames=33), self.wide, by=self.operator)
        self.assertEqual(self.state(), State.READING)


class DatabaseTest(DecisionCase):
    """What was decided is refused any other form by the database itself."""

    def refused(self, says: str, act: Callable[[], object]) -> None:
        with self.assertRaisesRegex(ProgrammingError, says), transaction.atomic():
            act()

    def test_no_decision_changes_or_goes(self) -> None:
        points = points_of([one.document for one in self.check.findings.all()])
        asked = services.ask_again(self.render_of(self.check), points, words="soon", sent_to="", by=self.operator)
        services.take_back(asked, "no need", by=self.operator)
        self.make_signable()
        signature = self.sign()
        decisions = (asked, signature, Waiver.objects.get(), Watching.objects.first())
        changes = (
            {"words": "later"},
            {"basis": {"file": {"checksum": "0" * 32}}},
            {"reason": "nobody agreed"},
            {"says": "I saw nothing"},
        )
        for decision, change in zip(decisions, changes, strict=True):
            assert decision
            with self.subTest(type(decision).__name__):
                rows = type(decision)._default_manager.filter(pk=decision.pk)
                self.refused("never changes", lambda rows=rows, change=change: rows.update(**change))
                self.refused("never changes", lambda rows=rows: rows.update(made_by=self.people["viewer"]))
                self.refused("never removed", lambda decision=decision: decision.delete())
        self.refused("never removed", lambda: self.render_of(self.check).delete())
        services.take_back(signature, "too early", by=self.operator)
        mine = Signature.objects.filter(pk=signature.pk)
        self.refused("has ended", lambda: mine.update(taken_back_at=None))
        self.refused("has ended", lambda: mine.update(taken_back_why="never mind"))
        self.refused("has ended", lambda: Request.objects.update(taken_back_by=self.lead))
