"""Every page by the rules of the Web Content Accessibility Guidelines, in both themes, wide and narrow, with long names."""

from collections.abc import Iterator

from django.urls import reverse

from brisk_web.accounts.roles import LEAD
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.checks.services import open_check
from brisk_web.inspections.models import Inspection
from brisk_web.inspections.reading import read_headers
from brisk_web.inspections.tests.test_first_look import SEEN
from brisk_web.pages.tests.furnished import addresses, furnish
from brisk_web.shelf.models import SpecVersion

_LONG = f"OLP_{'LAMPLIGHTERS_' * 13}V09.mp4"  # a name without a place to break it
_BOTH_WAYS = "OLP_מנורות_القناة_V10.mp4"  # written in both directions
#: Day and night are a class of the page and nothing else.
_BY_NIGHT = "() => { document.documentElement.className = 'night'; }"
_DRAWN = "() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))"
_TOO_WIDE = "() => document.documentElement.scrollWidth - document.documentElement.clientWidth"


class EveryPageTest(BrowserTestCase):
    minutes = 2

    def pages(self) -> Iterator[str]:
        """The addresses that answer with a page."""
        house = furnish(self, _LONG, _BOTH_WAYS, job_title="Canal" * 20)
        self.work()
        self.client.force_login(self.people[LEAD])
        for pattern in addresses():
            address = house.address(pattern)
            answer = self.client.get(address)
            if answer.status_code == 200 and answer["Content-Type"].startswith("text/html"):
                yield address
        yield from self.seen_so_far()
        yield "/no-such-page"

    def seen_so_far(self) -> Iterator[str]:
        """The pages of a file that has been looked at and waits for its scan."""
        file = self.media("looked-at.mp4")
        read_headers.run(file.inspection_id)
        Inspection.objects.filter(pk=file.inspection_id).update(look=SEEN)
        yield reverse("file", args=[file.pk])
        yield reverse("check", args=[open_check(file, SpecVersion.objects.earliest("pk"), by=None).pk])

    def too_wide(self) -> int:
        """By how much the page is wider than its window, once what is drawn anew for another width has been drawn."""
        for _ in range(20):
            if (found := int(self.page.evaluate(_TOO_WIDE))) <= 0:
                break
            self.page.wait_for_timeout(100)
        return found

    def test_no_rule_is_broken_and_no_page_scrolls_sideways(self) -> None:
        found = list(self.pages())
        self.assertGreater(len(found), 20)
        self.enter(LEAD)
        self.page.context.add_cookies([{"name": "brisk-theme", "value": "day", "url": self.live_server_url}])
        for address in found:
            self.page.set_viewport_size({"width": 320, "height": 800})
            self.page.goto(f"{self.live_server_url}{address}")
            for width in (320, 760, 1280):
                self.page.set_viewport_size({"width": width, "height": 800})
                self.page.evaluate(_DRAWN)
                with self.subTest(address, width=width):
                    self.assertLessEqual(self.too_wide(), 0)
                    if width != 760:
                        self.assertEqual(self.broken_rules(), [])
            self.page.evaluate(_BY_NIGHT)
            self.page.evaluate(_DRAWN)
            with self.subTest(address, theme="night"):
                self.assertLessEqual(self.too_wide(), 0)
                self.assertEqual(self.broken_rules(), [])
        self.complaints[:] = [one for one in self.complaints if "404" not in one]  # of the page that is not there
