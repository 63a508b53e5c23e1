from django.test import TestCase

from brisk_core.facts import REGISTRY, WORDS
from brisk_web.testing import HouseMixin


class GlossaryTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in("viewer")

    def test_everything_has_one_line(self) -> None:
        page = self.client.get("/glossary/")
        self.assertEqual(page.context["count"], len(REGISTRY) + len(WORDS))
        self.assertContains(page, 'id="sound.dropout"')
        self.assertContains(page, "SMPTE ST 12-1")

    def test_it_is_found_by_word_by_id_and_by_standard(self) -> None:
        for wanted, found in (
            ("dual mono", "sound.same_channels"),
            ("content.blend", "Blended frames"),
            ("BT.1702", "Flashes"),
        ):
            page = self.client.get("/glossary/", {"q": wanted})
            self.assertContains(page, found)
            self.assertLess(page.context["count"], 6)
        self.assertContains(self.client.get("/glossary/", {"q": "no such word"}), "Nothing here is called")

    def test_words_stand_in_order_and_once(self) -> None:
        terms = [word.term for word in WORDS]
        self.assertEqual(terms, sorted(set(terms), key=str.casefold))
