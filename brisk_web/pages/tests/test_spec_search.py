from django.test import TestCase
from django.urls import reverse

from brisk_web.testing import SPEC, HouseMixin, spec_version


class SpecSearchTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in("viewer")
        self.first = spec_version()
        self.second = spec_version(
            SPEC.replace("equals: 25", "one_of: [25, 59.94]").replace("issued: 2026-03-02", "issued: 2026-04-02")
        )
        self.other = spec_version(
            SPEC.replace("id: small", "id: other")
            .replace("Small spec", "Other spec")
            .replace("equals: 25", "equals: 50")
        )

    def test_who_takes_a_value(self) -> None:
        page = self.client.get(reverse("spec-lines"), {"characteristic": "picture.frame_rate", "value": "59.94"})
        self.assertContains(page, "59.94: 2 lines of 2 specs")
        rows = [(row.version.spec.name, row.says) for row in page.context["found"]]
        self.assertEqual(rows, [("Small spec", "takes it"), ("Other spec", "refuses it")])  # the newest version alone
        for asked, says in (
            ({"characteristic": "picture.frame_rate", "value": "fast"}, "as a frame rate; expected"),
            ({"value": "59.94"}, "Choose what the value is of."),
            ({"characteristic": "picture.alpha", "value": "none"}, "No line of the shelf is like that."),
        ):
            self.assertContains(self.client.get(reverse("spec-lines"), asked), says)

    def test_words_of_lines(self) -> None:
        page = self.client.get(reverse("spec-lines"), {"q": "codec other"})
        self.assertEqual([row.line.id for row in page.context["found"]], ["codec"])
        self.assertContains(page, f"{reverse('spec', args=['other'])}#line-codec")
        page = self.client.get(reverse("spec-lines"), {"characteristic": "wrapper.index_first"})
        self.assertContains(page, "2 lines of 2 specs")

    def test_two_versions_compared(self) -> None:
        page = self.client.get(reverse("compare-specs"), {"old": self.first.pk, "new": self.second.pk})
        self.assertContains(page, "<b>1</b> looser; ")
        self.assertContains(page, "3 lines the same")
        page = self.client.get(reverse("compare-specs"), {"old": self.second.pk, "new": self.first.pk})
        self.assertContains(page, "<b>1</b> stricter; ")
        sheet = self.client.get(reverse("spec", args=["small"]))
        self.assertContains(sheet, f"?new={self.second.pk}&amp;old={self.first.pk}")

    def test_two_specs_compared_and_the_same_one_with_itself(self) -> None:
        page = self.client.get(reverse("compare-specs"), {"old": self.first.pk, "new": self.other.pk})
        self.assertContains(page, "<b>1</b> another requirement; ")
        page = self.client.get(reverse("compare-specs"), {"old": self.other.pk, "new": self.other.pk})
        self.assertContains(page, "No line differs")
        for asked in ({}, {"old": self.first.pk}, {"old": "x", "new": "999"}):
            self.assertNotContains(self.client.get(reverse("compare-specs"), asked), "No line differs")
