import re
from pathlib import Path
from unittest import TestCase

from django.conf import settings

_ROOT = Path(settings.BASE_DIR)


class SecurityPageTest(TestCase):
    """What docs/security.md names as proof is there."""

    def test_every_test_that_is_named_is_one(self) -> None:
        named = set(re.findall(r"`(test_\w+)`", (_ROOT / "docs" / "security.md").read_text()))
        self.assertGreater(len(named), 30)
        written = "".join(
            path.read_text()
            for package in ("brisk_core", "brisk_web")
            for path in (_ROOT / package).rglob("tests/*.py")
        )
        self.assertEqual([name for name in sorted(named) if f"def {name}(" not in written], [])
