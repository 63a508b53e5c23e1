"""The pages as documents: valid HTML by the standard, with the tables and forms that readers of screens need."""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path
from unittest import skipUnless

from django.conf import settings
from django.urls import reverse

from brisk_web.accounts.roles import LEAD, VIEWER
from brisk_web.pages.tests.furnished import addresses
from brisk_web.pages.tests.test_doors import FurnishedTestCase
from brisk_web.storage.models import MediaFile

_VALIDATOR = settings.BASE_DIR / "node_modules" / ".bin" / "html-validate"


@skipUnless(_VALIDATOR.exists(), "html-validate is not here; `npm ci` brings it")
class HtmlTest(FurnishedTestCase):
    def test_every_page_is_valid(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            pages = Path(folder)
            for role in (VIEWER, LEAD):
                self.sign_in(role)
                for pattern in addresses():
                    answer = self.client.get(self.house.address(pattern))
                    if answer.headers["Content-Type"].startswith("text/html"):
                        (pages / f"{role}-{pattern.name}.html").write_bytes(answer.content)
            self.client.logout()
            (pages / "sign-in.html").write_bytes(self.client.get(reverse("sign-in")).content)
            self.assertGreater(len(list(pages.iterdir())), 40)
            done = self.validate(pages)
            self.assertEqual(done.returncode, 0, done.stdout)

    def test_a_page_that_is_not_valid_is_told(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "a.html").write_text(
                '<!DOCTYPE html><html lang="en"><title>x</title><p id="a"><p id="a"><div>'
            )
            self.assertIn("Duplicate ID", self.validate(Path(folder)).stdout)

    def test_hostile_names_leave_a_page_valid(self) -> None:
        self.sign_in(LEAD)
        MediaFile.objects.update(name='"><b id=x>&amp;<!--.mp4')
        with tempfile.TemporaryDirectory() as folder:
            for name in ("desk", "files"):
                (Path(folder) / f"{name}.html").write_bytes(self.client.get(reverse(name)).content)
            done = self.validate(Path(folder))
            self.assertEqual(done.returncode, 0, done.stdout)

    def validate(self, pages: Path) -> subprocess.CompletedProcess[str]:
        """Run the validator over a folder."""
        command = [str(_VALIDATOR), "--config", str(settings.BASE_DIR / ".htmlvalidate.json"), str(pages)]
        return subprocess.run(command, capture_output=True, text=True, cwd=settings.BASE_DIR, check=False)
