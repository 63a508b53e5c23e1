"""Comments, whom they name, quiet hours, and dates that come near."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from unittest import mock

from django.core import mail
from django.test import override_settings
from django.utils import timezone

from brisk_web.accounts.models import Preference
from brisk_web.decisions.tests.test_decisions import SPEC, DecisionCase
from brisk_web.house.services import DecisionRefused
from brisk_web.telling.dates import tell_of_due, tell_of_reviews
from brisk_web.telling.models import Comment, Letter, Notice, Quiet, Wish
from brisk_web.telling.services import comment, keep_quiet, named_in, quiet_until, send_letters, tell
from brisk_web.testing import spec_version


class CommentTest(DecisionCase):
    def test_who_is_named_is_told_and_nobody_else(self) -> None:
        made = comment(self.check, "Is this ours, @lead? Ask @lead or @nobody.", line="size", frame=3, by=self.operator)
        self.assertEqual((made.line, made.frame), ("size", 3))
        notice = Notice.objects.get(kind="named")
        self.assertEqual(
            (notice.person, notice.address), (self.lead, f"/checks/{self.check.pk}/comments/#comment-{made.pk}")
        )
        self.assertIn("operator names you beside CANAL_V01.mp4", notice.says)
        comment(self.check, "I, @operator, say so", by=self.operator)
        self.assertEqual(Notice.objects.filter(kind="named").count(), 1)
        self.assertEqual(named_in("a@lead.example and @@lead"), [])
        self.assertEqual(named_in("(@lead), @operator."), [self.lead, self.operator])

    def test_what_cannot_be_said_is_refused_with_a_sentence(self) -> None:
        for words, line, frame, says in (
            ("  ", "", None, "Say something"),
            ("x" * 4001, "", None, "at most 4,000"),
            ("x", "nothing", None, "no line"),
            ("x", "", 30, "expected one of 0 to 29"),
            ("x", "", -1, "expected one of 0 to 29"),
            ("x", "", 2**40, "expected one of"),
        ):
            with self.assertRaisesRegex(DecisionRefused, says):
                comment(self.check, words, line=line, frame=frame, by=self.operator)
        self.assertEqual(Comment.objects.count(), 0)

    def test_the_pages(self) -> None:
        self.sign_in("operator")
        address = f"/checks/{self.check.pk}/comments/"
        self.assertContains(self.client.get(address), "Nobody has said anything")
        answer = self.client.post(f"{address}add", {"words": "<b>late</b>", "line": "size", "frame": "12"})
        self.assertEqual(answer.status_code, 302)
        page = self.client.get(address)
        self.assertContains(page, "&lt;b&gt;late&lt;/b&gt;")
        self.assertContains(page, "00:00:00:12")
        self.assertContains(self.client.get(f"/checks/{self.check.pk}/"), "Comments (1)")
        self.assertContains(
            self.client.post(f"{address}add", {"words": "x", "frame": "1.5"}), "whole number", status_code=422
        )
        self.assertContains(self.client.post(f"{address}add", {"words": ""}), "Say something", status_code=422)
        made = Comment.objects.get()
        self.sign_in("viewer")
        self.assertNotContains(self.client.get(address), "Your comment")
        self.assertEqual(self.client.post(f"/comments/{made.pk}/remove").status_code, 403)
        self.sign_in("lead")
        self.client.post(f"/comments/{made.pk}/remove")
        self.assertNotContains(self.client.get(address), "late")
        self.client.post(f"/comments/{made.pk}/remove", {"again": "1"})
        self.assertContains(self.client.get(address), "late")
        other = comment(self.check, "mine", by=self.lead)
        self.sign_in("operator")
        self.assertEqual(self.client.post(f"/comments/{other.pk}/remove").status_code, 403)


class QuietTest(DecisionCase):
    def at(self, hour: int, minute: int = 0) -> datetime:
        return datetime(2026, 11, 29, hour, minute, tzinfo=UTC)

    def test_hours_over_midnight_and_within_a_day_in_the_zone_of_the_person(self) -> None:
        for begins, ends, now, until in (
            (time(22), time(7), self.at(23), datetime(2026, 11, 30, 7, tzinfo=UTC)),
            (time(22), time(7), self.at(6, 59), self.at(7)),
            (time(22), time(7), self.at(7), None),
            (time(22), time(7), self.at(22), datetime(2026, 11, 30, 7, tzinfo=UTC)),
            (time(12), time(13), self.at(12, 30), self.at(13)),
            (time(12), time(13), self.at(13), None),
            (time(12), time(12), self.at(12), None),
        ):
            keep_quiet(self.lead, begins, ends)
            self.assertEqual(quiet_until(self.lead, now), until, (begins, ends, now))
        Preference.objects.create(user=self.lead, time_zone="Asia/Tokyo")  # 9 hours ahead
        keep_quiet(self.lead, time(22), time(7))
        self.assertEqual(quiet_until(self.lead, self.at(14)), datetime(2026, 11, 29, 22, tzinfo=UTC))
        self.assertIsNone(quiet_until(self.lead, self.at(23)))
        keep_quiet(self.lead, None, time(7))
        self.assertFalse(Quiet.objects.exists())

    @override_settings(EMAIL_BACKEND="django.core.mail.backends.locmem.EmailBackend")
    def test_mail_waits_until_they_end_and_the_bell_does_not(self) -> None:
        self.lead.email = "lead@house.example"
        self.lead.save()
        Wish.objects.create(person=self.lead, kind="taken", by_mail=True)
        now = timezone.now()
        with mock.patch("brisk_web.telling.services.quiet_until", return_value=now + timedelta(hours=1)):
            tell(self.lead, Notice.Kind.TAKEN, "They took it.", address="/", about="x:1")
        self.assertEqual((len(mail.outbox), send_letters()), (0, 0))
        self.assertEqual(Notice.objects.filter(person=self.lead, kind="taken").count(), 1)
        Letter.objects.update(not_before=now)
        self.assertEqual((send_letters(), send_letters()), (1, 0))
        self.assertEqual([one.body for one in mail.outbox], ["They took it."])

    def test_they_are_kept_from_the_page(self) -> None:
        self.sign_in("lead")
        self.client.post("/notices/wishes", {"quiet_from": "22:00", "quiet_to": "07:30"})
        self.assertEqual(Quiet.objects.get().ends, time(7, 30))
        self.assertContains(self.client.get("/notices/"), 'value="07:30"')
        page = self.client.post("/notices/wishes", {"quiet_from": "late", "quiet_to": "07:30"}, follow=True)
        self.assertContains(page, "expected such as 22:00 to 07:00")
        self.client.post("/notices/wishes", {"quiet_from": "", "quiet_to": ""})
        self.assertFalse(Quiet.objects.exists())


class DatesTest(DecisionCase):
    def test_what_is_due_within_a_day_is_told_once_for_each_date(self) -> None:
        now = timezone.now()
        self.assertEqual(tell_of_due(), 0)
        self.wide.assigned_to, self.wide.due_at = self.operator, now + timedelta(hours=30)
        self.wide.save()
        self.assertEqual(tell_of_due(), 0)
        self.wide.due_at = now + timedelta(hours=20)
        self.wide.save()
        self.assertEqual((tell_of_due(), tell_of_due()), (1, 0))
        Notice.objects.update(read_at=now)
        self.assertEqual(tell_of_due(), 0)
        self.wide.due_at = now + timedelta(hours=10)
        self.wide.save()
        self.assertEqual(tell_of_due(), 1)
        self.assertIn("is due at", Notice.objects.filter(kind="due").latest("pk").says)
        self.wide.due_at = now - timedelta(hours=1)
        self.wide.save()
        self.assertEqual(tell_of_due(), 0)

    def test_leads_are_told_once_of_a_spec_that_was_to_be_reviewed(self) -> None:
        self.assertEqual(tell_of_reviews(), 0)
        spec_version(SPEC.replace("issued:", "review_by: 2026-06-01\nissued:"))
        self.assertEqual((tell_of_reviews(), tell_of_reviews()), (1, 0))
        self.assertEqual([one.person for one in Notice.objects.filter(kind="review")], [self.lead])
