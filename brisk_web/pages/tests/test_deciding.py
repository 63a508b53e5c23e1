"""Pages of decisions and reports: forms, mistakes, what goes out as PDF, text, marks, tables."""

from __future__ import annotations

import csv
import io
import json
import subprocess
import tempfile
from pathlib import Path

from django.core import mail
from jsonschema import Draft202012Validator

from brisk_core.report import report_schema
from brisk_web.checks.models import Waiver
from brisk_web.decisions.models import Point, Request, Signature, Watching
from brisk_web.decisions.tests.test_decisions import DecisionCase

_POINTS = {
    "point_line": ["size", "sound", "made-up"],
    "point_label": ["Size", "Sound tracks", "End title"],
    "point_found": ["Too small.", "None.", ""],
    "point_change": ["Export at 1920 × 1080.", "", "Two seconds longer."],
    "point_keep": ["yes", "no", "yes"],
}


def pdf_text(content: bytes, *options: str) -> str:
    """Return what a reader of PDF finds in one."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "it.pdf"
        path.write_bytes(content)
        return subprocess.run(
            ["pdftotext", *options, str(path), "-"], capture_output=True, check=True, text=True
        ).stdout


class AskingPagesTest(DecisionCase):
    def test_points_are_offered_edited_left_out_added_sent_and_go_out(self) -> None:
        self.sign_in()
        address = f"/checks/{self.check.pk}/ask-again"
        self.assertContains(self.client.get(address), "1. Size")
        type(self.wide).objects.filter(pk=self.wide.pk).update(name="Wide\nBcc: all@house.example")
        wrong = self.client.post(address, {**_POINTS, "sent_to": "nobody"})
        self.assertContains(wrong, "“nobody” is no e-mail address", status_code=422)
        self.assertContains(wrong, "Two seconds longer.", status_code=422)  # nothing that was written is lost
        nothing = self.client.post(address, {"words": "please"})
        self.assertContains(nothing, "Nothing is asked", status_code=422)
        answer = self.client.post(address, {**_POINTS, "words": "Soon.", "sent_to": "edit@house.example"})
        asked = Request.objects.get()
        self.assertRedirects(answer, f"/requests/{asked.pk}/")
        self.assertEqual(list(asked.points.values_list("line", "label")), [("size", "Size"), ("", "End title")])
        (sent,) = mail.outbox
        self.assertNotIn("\n", sent.subject)
        self.assertEqual(sent.to, ["edit@house.example"])
        for part in ("attempt 2", "Soon.", "1. Size", "Export at 1920 × 1080.", "2. End title"):
            self.assertIn(part, sent.body)
        self.assertEqual(self.client.get(f"/requests/{asked.pk}.txt").content.decode(), sent.body)
        told = pdf_text(self.client.get(f"/requests/{asked.pk}.pdf").content)
        self.assertIn("Please render attempt 2", told)
        self.assertIn("Export at 1920 × 1080.", told)
        self.assertEqual(self.client.get(f"/requests/{asked.pk}.edl").status_code, 404)  # it has no timeline
        self.assertContains(self.client.get("/?show=asked"), "Asked again")
        self.client.post(f"/points/{asked.points.get(line='').pk}/answer", {"answer": "mended"})
        self.assertEqual(Point.objects.get(line="").by_hand, "mended")
        back = f"/decisions/request/{asked.pk}/take-back"
        self.assertContains(self.client.post(back, {"why": ""}, follow=True), "Say why it is taken back")
        self.assertContains(self.client.post(back, {"why": "too soon"}, follow=True), "too soon")
        self.assertEqual(self.client.post(f"/decisions/nonsense/{asked.pk}/take-back").status_code, 404)

    def test_a_check_by_a_spec_alone_has_no_such_pages(self) -> None:
        self.sign_in()
        self.client.post(f"/files/{self.check.media_file_id}/take-in", {"spec_version": self.version.pk})
        alone = self.check.media_file.checks.exclude(pk=self.check.pk).get()
        for part in ("ask-again", "watch", "sign"):
            self.assertEqual(self.client.get(f"/checks/{alone.pk}/{part}").status_code, 404)
        self.assertContains(self.client.get(f"/checks/{alone.pk}/report/"), "of 1")


class WaivingAndSigningPagesTest(DecisionCase):
    def test_waive_watch_sign_and_take_back(self) -> None:
        self.sign_in()
        waive = f"/checks/{self.check.pk}/waive/size"
        self.assertContains(self.client.get(waive), "Only a lead can waive")
        self.sign_in("lead")
        self.assertContains(self.client.post(waive, {"reason": ""}), "Say why it is accepted", status_code=422)
        day = self.client.post(waive, {"reason": "agreed", "until": "tomorrow"})
        self.assertContains(day, "“tomorrow” is no day", status_code=422)
        self.client.post(waive, {"reason": "agreed <b>", "scope": "deliverable"})
        self.assertEqual(Waiver.objects.get().deliverable, self.wide)
        self.assertContains(self.client.get(f"/checks/{self.check.pk}/"), "agreed &lt;b&gt;")
        sign = f"/checks/{self.check.pk}/sign"
        self.assertContains(self.client.get(sign), "nobody has looked at it")
        watch = f"/checks/{self.check.pk}/watch"
        self.assertContains(self.client.get(watch), "0 %")
        for said, status in (
            ({"start": "0", "end": "99999"}, 422),
            ({"start": "x"}, 422),
            ({"start": "0", "end": "30"}, 302),
        ):
            self.assertEqual(self.client.post(watch, said).status_code, status)
        for finding in self.check.findings.filter(outcome="not measured"):
            self.client.post(watch, {"start": "0", "end": "30", "line": finding.line, "says": "right"})
        self.assertContains(self.client.get(watch), "100 %")
        self.assertEqual(Watching.objects.filter(line="")[0].made_by, self.lead)
        self.assertContains(self.client.post(sign, {"password": "wrong"}), "not your password", status_code=422)
        self.assertEqual(Signature.objects.count(), 0)
        self.client.post(sign, {"password": "right-word", "words": "fine"})
        signed = Signature.objects.get()
        page = self.client.get(f"/deliverables/{self.wide.pk}/")
        self.assertContains(page, signed.digest[:16])
        self.assertContains(self.client.post(sign, {"password": "right-word"}), "You have signed it", status_code=422)
        self.assertContains(self.client.get("/?show=signed"), "Wide")
        self.client.post(f"/decisions/waiver/{Waiver.objects.get().pk}/take-back", {"why": "no"})
        self.assertContains(self.client.get(f"/deliverables/{self.wide.pk}/"), "Void since")


class ReportPagesTest(DecisionCase):
    def test_one_attempt_on_page_pdf_json_table_and_text(self) -> None:
        self.sign_in("viewer")
        start = f"/checks/{self.check.pk}/report"
        self.assertContains(self.client.get(f"{start}/"), "CANAL_V01.mp4")
        report = self.client.get(f"{start}.json").json()
        Draft202012Validator(report_schema()).validate(report)
        self.assertEqual(report["verdict"], "fail")
        self.assertEqual(self.client.get("/reports/schema.json").json(), report_schema())
        table = io.StringIO(self.client.get(f"{start}.csv").content.decode(), newline="")
        lines = {row["label"]: row["outcome"] for row in csv.DictReader(table, strict=True)}
        self.assertEqual(lines["Size"], "fail")
        self.assertIn("FAIL: Size", self.client.get(f"{start}.txt").content.decode())
        made = self.client.get(f"{start}.pdf").content
        self.assertEqual(made, self.client.get(f"{start}.pdf").content)
        told = pdf_text(made, "-layout")
        self.assertIn("1920 × 1080", told)
        self.assertIn("What does not pass", told)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "it.pdf"
            path.write_bytes(made)
            said = subprocess.run(["pdfinfo", str(path)], capture_output=True, check=True, text=True).stdout
            self.assertRegex(said, r"Tagged: +yes")
            subprocess.run(["pdfdetach", "-saveall", "-o", folder, str(path)], check=True)
            self.assertEqual(json.loads((Path(folder) / "report.json").read_text("utf-8")), report)

    def test_a_job_and_a_period_with_statistics(self) -> None:
        self.sign_in("viewer")
        for start, kind in ((f"/jobs/{self.wide.job_id}/report", "job"), ("/reports/period", "period")):
            report = self.client.get(f"{start}.json").json()
            Draft202012Validator(report_schema()).validate(report)
            self.assertEqual((report["kind"], report["counts"]["attempts"]), (kind, 1))
            self.assertIn("Canal", pdf_text(self.client.get(f"{start}.pdf").content))
            self.assertEqual(len(self.client.get(f"{start}.csv").content.decode().split("\r\n")), 3)
            self.assertIn("attempt 1: fail", self.client.get(f"{start}.txt").content.decode())
        page = self.client.get("/reports/?q=canal")
        self.assertEqual(page.context["statistics"].lines[0]["label"], "Size")
        self.assertEqual([one.failing for one in page.context["statistics"].houses], [1])
        self.assertEqual(self.client.get("/reports/?q=nothing").context["statistics"].attempts, 0)
        self.assertEqual(self.client.get("/reports/?from=2020-01-01&to=2020-02-01").context["statistics"].attempts, 0)
        self.assertContains(self.client.get("/reports/?from=yesterday"), "“yesterday” is no day")
        self.assertContains(self.client.get("/reports/?from=2026-02-01&to=2026-01-01"), "exchanged")
        self.assertEqual(self.client.get("/reports/period.csv?from=x").status_code, 400)
