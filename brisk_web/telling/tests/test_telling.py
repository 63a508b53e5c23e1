"""Who is told of what, once, where they want it, and never of what they did themselves."""

from __future__ import annotations

from django.core import mail

from brisk_core.decide import points_of
from brisk_web.decisions import services as decisions
from brisk_web.decisions.tests.test_decisions import DecisionCase
from brisk_web.handoff.models import Destination
from brisk_web.handoff.services import hand_over, keep_destination
from brisk_web.jobs.models import Deliverable
from brisk_web.jobs.services import change_deliverable
from brisk_web.telling.models import Notice
from brisk_web.telling.services import tell


class TellingTest(DecisionCase):
    def told(self, person: str = "operator") -> list[tuple[str, str]]:
        return list(Notice.objects.filter(person=self.people[person]).order_by("pk").values_list("kind", "says"))

    def test_of_what_is_given_to_one_by_another_and_once(self) -> None:
        self.wide.assigned_to = self.operator
        change_deliverable(self.wide, attempts_too=False, by=self.lead)
        change_deliverable(self.wide, attempts_too=False, by=self.lead)
        self.assertEqual(self.told(), [("assigned", "Canal: Wide is yours to look after.")])
        self.wide.assigned_to = self.lead
        change_deliverable(self.wide, attempts_too=False, by=self.lead)
        self.assertEqual(self.told("lead"), [])

    def test_of_the_next_attempt_of_a_void_signature_and_of_their_answer(self) -> None:
        points = points_of([one.document for one in self.check.findings.all()])
        decisions.ask_again(self.render_of(self.check), points, words="", sent_to="", by=self.operator)
        self.check = self.attempt("CANAL_V02.mp4", frames=31)
        self.assertEqual(self.told(), [("answered", "Attempt 2 at Canal: Wide is here and judged.")])
        Notice.objects.update(read_at="2026-01-01T00:00Z")
        decisions.waive(self.check, "sound", "silent", by=self.lead)  # it is judged again, and nobody is told again
        self.assertEqual(len(self.told()), 1)
        for finding in self.check.findings.filter(outcome="not measured", weight="must"):
            decisions.watched(self.render_of(self.check), 0, 31, line=finding.line, says="seen", by=self.operator)
        waiver = decisions.waive(self.check, "size", "agreed", by=self.lead)
        self.sign()
        (self.folder / "outside").mkdir()
        there = keep_destination(
            Destination(name="Outside", kind="folder", address=str(self.folder / "outside")), secret="", by=self.lead
        )
        Deliverable.objects.filter(pk=self.wide.pk).update(assigned_to=self.lead)
        hand_over(self.render_of(self.check), there, by=self.operator)
        self.work()
        self.assertEqual([kind for kind, _ in self.told()], ["answered", "taken"])
        self.assertEqual([kind for kind, _ in self.told("lead")], ["taken"])
        decisions.take_back(waiver, "no", by=self.lead)
        self.assertEqual(self.told()[-1][0], "voided")

    def test_by_mail_and_not_at_all_as_one_wishes(self) -> None:
        self.operator.email = "otto@house.example"
        self.operator.save()
        self.sign_in()
        self.client.post("/notices/wishes", {"mail taken": "on", "house refused": "on"})
        for kind in ("taken", "refused", "voided"):
            tell(self.operator, Notice.Kind(kind), f"It is {kind}.\nMore.", address="/", about="x:1")
        self.assertEqual([kind for kind, _ in self.told()], ["refused"])
        self.assertEqual([one.subject for one in mail.outbox], ["Brisk Sentry: It is taken."])

    def test_the_bell_its_page_and_that_nobody_reads_what_others_are_told(self) -> None:
        tell(self.operator, Notice.Kind.TAKEN, "It is <taken>.", address="/jobs/", about="x:1")
        tell(self.operator, Notice.Kind.REFUSED, "Elsewhere.", address="https://elsewhere.example/", about="x:2")
        self.sign_in("lead")
        mine = Notice.objects.get(kind="taken")
        self.assertEqual(self.client.post(f"/notices/{mine.pk}/open").status_code, 404)
        self.assertEqual(self.client.get("/notices/unread.json").json(), {"unread": 0})
        self.sign_in()
        self.assertEqual(self.client.get("/notices/unread.json").json(), {"unread": 2})
        self.assertContains(self.client.get("/notices/"), "It is &lt;taken&gt;.")
        self.assertContains(self.client.get("/jobs/"), "Notices, 2 not read")
        self.assertRedirects(self.client.post(f"/notices/{mine.pk}/open"), "/jobs/")
        elsewhere = Notice.objects.get(kind="refused")
        self.assertRedirects(self.client.post(f"/notices/{elsewhere.pk}/open"), "/notices/")
        tell(self.operator, Notice.Kind.TAKEN, "Again.", address="/", about="x:1")
        self.client.post("/notices/read")
        self.assertEqual(self.client.get("/notices/unread.json").json(), {"unread": 0})
