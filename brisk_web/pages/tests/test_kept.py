"""What goes by itself: said before it goes, and never by looking."""

from __future__ import annotations

import os
from datetime import timedelta
from unittest import mock

from axes.models import AccessLog
from django.contrib.sessions.models import Session
from django.test import Client, TestCase
from django.utils import timezone

from brisk_web.inspections.keeping import tidy_series
from brisk_web.storage.models import Upload
from brisk_web.testing import HouseMixin
from brisk_web.work.tidying import KEEPERS, forget_sessions, forget_sign_ins, tidy_up


class KeptTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        settings = self.settings(DATA_FOLDER=self.folder)
        settings.enable()
        self.addCleanup(settings.disable)

    def leave(self) -> None:
        """Leave something of several kinds behind that would go."""
        stray = self.folder / "series" / "999999.npz"
        stray.parent.mkdir(exist_ok=True)
        stray.write_bytes(b"x" * 2048)
        old = timezone.now() - timedelta(days=100)
        upload = Upload.objects.create(owner=self.people["operator"], name="c.mp4", size=3)
        Upload.objects.filter(pk=upload.pk).update(touched_at=old)
        other = Client()
        other.force_login(self.people["operator"])
        Session.objects.update(expire_date=old)
        note = AccessLog.objects.create(username="operator", ip_address="10.0.0.1")
        AccessLog.objects.filter(pk=note.pk).update(attempt_time=old)

    def test_it_says_what_would_go_and_looking_removes_nothing(self) -> None:
        self.leave()
        self.sign_in("viewer")
        for _ in range(2):
            page = self.client.get("/house/kept").content.decode()
            for keeper in KEEPERS:
                self.assertIn(keeper.what, page)
            self.assertRegex(page, r"inspections that are gone.*(?s:.*?)2\.0\W+KB")
            self.assertEqual(page.count('<span class="text-soft">nothing</span>'), len(KEEPERS) - 4)
        self.assertTrue((self.folder / "series" / "999999.npz").exists())
        self.assertTrue(Upload.objects.exists())

    def test_what_would_go_goes_and_nothing_else(self) -> None:
        self.leave()
        self.sign_in("viewer")
        AccessLog.objects.create(username="lead", ip_address="10.0.0.2")
        said = sum(keeper.find().count for keeper in KEEPERS)
        self.assertEqual((said, tidy_up()), (4, 4))
        self.assertEqual(sum(keeper.find().count for keeper in KEEPERS), 0)
        self.assertFalse((self.folder / "series" / "999999.npz").exists())
        self.assertEqual(self.client.get("/house/kept").status_code, 200)  # this session goes on
        self.assertEqual([AccessLog.objects.filter(ip_address=f"10.0.0.{at}").count() for at in (1, 2)], [0, 1])

    def test_what_is_young_stays(self) -> None:
        self.sign_in("viewer")
        AccessLog.objects.create(username="lead", ip_address="10.0.0.2")
        self.assertEqual((forget_sessions(), forget_sign_ins()), (0, 0))

    def test_what_is_gone_before_it_is_removed_is_no_mistake(self) -> None:
        self.leave()
        removal = tidy_series.find()
        os.remove(self.folder / "series" / "999999.npz")
        self.assertEqual(removal.remove(), 1)
        with mock.patch("brisk_web.work.tidying.Path.lstat", side_effect=OSError):
            self.assertEqual(tidy_series.find().size, 0)
