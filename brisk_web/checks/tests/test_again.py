import json
from unittest.mock import patch

from brisk_core import sandbox
from brisk_web.checks import services
from brisk_web.checks.models import Check
from brisk_web.checks.services import judge_again, open_check, trials
from brisk_web.house.models import AuditEntry
from brisk_web.testing import SPEC, QueueTestCase, spec_version


class JudgeAgainTest(QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.old = spec_version()
        self.record = open_check(self.media(), self.old, by=self.people["operator"])
        self.work()
        self.new = spec_version(SPEC.replace("equals: true", "equals: false"))

    def test_a_trial_says_what_would_change_and_writes_nothing(self) -> None:
        trial = next(trials(self.new.parsed(), services.behind(self.new)))
        self.assertEqual(trial.changed, [{"label": "Fast start", "before": "fail", "after": "pass"}])
        self.record.refresh_from_db()
        self.assertEqual((self.record.verdict, self.record.spec_version), ("fail", self.old))

    def test_a_draft_is_tried_before_it_is_published(self) -> None:
        self.sign_in("lead")
        draft = SPEC.replace("equals: avc", "equals: hevc")
        with patch.object(sandbox, "run", side_effect=AssertionError("a file was read")):
            page = self.client.post("/specs/small/change", {"document": draft, "try": ""})
            self.assertContains(page, "Tried on 1 check of this spec")
            self.assertContains(page, "0 verdicts would turn, 1 with other lines")
            self.assertContains(page, "Codec: pass → fail")
            fresh = draft.replace("id: small", "id: fresh", 1)
            page = self.client.post("/specs/new", {"document": fresh, "try": ""})
            self.assertContains(page, "Tried on 1 file")
            self.assertContains(page, "Codec: fail")
            self.assertNotContains(page, "Frame rate: ")  # it passes
            wrong = self.client.post("/specs/new", {"document": fresh.replace("hevc", "kodec"), "try": ""})
            self.assertNotContains(wrong, "Tried on", status_code=422)
        self.record.refresh_from_db()
        self.assertEqual((self.record.verdict, self.record.spec_version), ("fail", self.old))

    def test_checks_of_older_versions_are_judged_without_reading(self) -> None:
        before = dict(self.record.findings.values_list("line", "pk"))
        with patch.object(sandbox, "run", side_effect=AssertionError("a file was read")):
            self.assertEqual(judge_again(self.new, by=self.people["lead"]), 1)
        record = Check.objects.get()
        self.assertEqual((record.spec_version, record.verdict), (self.new, "not measured"))
        self.assertEqual(record.findings.get(line="index-first").outcome, "pass")
        after = dict(record.findings.values_list("line", "pk"))
        self.assertEqual(list(after), list(before))
        kept = [line for line, pk in after.items() if before[line] == pk]
        self.assertEqual(sorted(set(before) - set(kept)), ["index-first"])
        self.assertEqual(judge_again(self.new, by=self.people["lead"]), 0)
        self.assertIn("Judged 1 check again", AuditEntry.objects.get(verb="spec.judged-again").says)

    def test_findings_are_written_sign_by_sign(self) -> None:
        label = "A sign \\N, \\. and “quotes” \" ' of 😀"
        odd = json.dumps(label, ensure_ascii=False)
        row = "{ id: codec, characteristic: picture.codec, condition: { equals: avc } }"
        assert row in SPEC
        version = spec_version(SPEC.replace(row, f"{row[:-2]}, label: {odd}, why: {odd} }}"))
        judge_again(version, by=None)
        finding = Check.objects.get().findings.get(line="codec")
        self.assertEqual((finding.label, finding.document["label"]), (label, label))
        self.assertEqual((finding.outcome, finding.weight), ("pass", "must"))

    def test_lines_stand_in_the_order_of_the_newest_version(self) -> None:
        rows = SPEC.strip().splitlines()
        turned = "\n".join([*rows[:-4], *reversed(rows[-4:])])
        version = spec_version(turned)
        judge_again(version, by=self.people["lead"])
        own = [line.id for line in version.parsed().lines]
        self.assertEqual(own[0], "length")
        found = list(Check.objects.get().findings.values_list("line", flat=True))
        self.assertEqual([line for line in found if line in own], [line for line in own if line in found])

    def test_a_line_that_is_gone_goes_from_the_findings(self) -> None:
        shorter = spec_version(
            SPEC.replace("  - { id: codec, characteristic: picture.codec, condition: { equals: avc } }\n", "")
        )
        judge_again(shorter, by=None)
        lines = list(Check.objects.get().findings.values_list("line", flat=True))
        self.assertEqual(lines[:3], ["rate", "index-first", "length"])
        self.assertNotIn("codec", lines)

    def test_the_page_shows_the_change_and_judges(self) -> None:
        self.sign_in("operator")
        self.assertEqual(self.client.get("/specs/small/judge-again").status_code, 403)
        self.sign_in("lead")
        self.assertContains(self.client.get("/specs/small/"), "1 check is judged by an older version")
        page = self.client.get("/specs/small/judge-again")
        self.assertContains(page, "Fast start: fail → pass")
        answer = self.client.post("/specs/small/judge-again", follow=True)
        self.assertContains(answer, "Judged 1 check again by version 2; no file was read again")
        self.assertNotContains(answer, "judged by an older version")
