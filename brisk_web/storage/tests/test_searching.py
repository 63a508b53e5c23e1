from fractions import Fraction

from django.test import SimpleTestCase, TestCase

from brisk_core.facts import REGISTRY, Depth, FactsBuilder, Span, Witness, inspection_to_json, keys
from brisk_core.version import ENGINE
from brisk_web.inspections.finding import fact_number, index_facts, index_missing
from brisk_web.inspections.models import Fact, Inspection
from brisk_web.pages.searching import Search
from brisk_web.storage.models import MediaFile
from brisk_web.testing import HouseMixin

D, C, O = Witness.DECLARED, Witness.CODED, Witness.OBSERVED
FILES = {
    "CANAL_MASTER.mxf": [
        (C, "picture.scan", "interlaced"), (C, "picture.codec", "mpeg2"), (C, "picture.size", (1920, 1080)),
        (O, "bitrate.average", 50_000_000), (C, "picture.frame_rate", "25"), (C, "picture.profile", "4:2:2"),
        (D, "sound.channels", (1, 1)), (O, "wrapper.duration", "600"),
    ],
    "CANAL_WIDE.mp4": [
        (D, "picture.scan", "progressive"), (C, "picture.codec", "avc"), (C, "picture.size", (1280, 720)),
        (O, "bitrate.average", 6_000_000), (C, "picture.frame_rate", "30000/1001"), (C, "picture.profile", "High 4:2:2"),
        (D, "bitrate.average", 90_000_000), (D, "sound.channels", (2,)), (O, "wrapper.duration", "20"),
    ],
    "BARGE_29.97_NAMED.mov": [(C, "picture.codec", "prores"), (C, "picture.frame_rate", "24")],
}  # fmt: skip


class NumberTest(SimpleTestCase):
    def test_what_a_value_is_ordered_by(self) -> None:
        for id_, value, expected in (
            ("content.freeze", (Span(start=3, end=9), Span(start=20, end=22)), 2.0),
            ("content.mistakes", (), 0.0),
            ("picture.size", (1920, 1080), 2_073_600.0),
            ("picture.frame_rate", Fraction(30000, 1001), 30000 / 1001),
            ("picture.codec", "avc", None),
        ):
            self.assertEqual(fact_number(REGISTRY[id_], value), expected, id_)


class SearchTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        for number, (name, said) in enumerate(FILES.items(), 1):
            builder = FactsBuilder()
            for witness, id_, value in said:
                exact = Fraction(value) if id_ in ("picture.frame_rate", "wrapper.duration") else value
                builder.say(witness, keys.BY_ID[id_], exact)
            document = inspection_to_json(builder.finish(file_name=name, file_size=number, depth=Depth.FULL))
            inspection = Inspection.objects.create(engine=ENGINE, document=document, state="done")
            index_facts(inspection)
            MediaFile.objects.create(
                root=self.root, path=name, name=name, size=number * 10**9, modified_ns=0, inspection=inspection
            )
        MediaFile.objects.create(root=self.root, path="new.mp4", name="new.mp4", size=5, modified_ns=0)

    def found(self, words: str = "", **asked: str) -> list[str]:
        self.search = Search.of({"q": words} | asked)
        return [file.name.split(".")[0] for file in self.search.files()]

    def test_words_are_whole_values_or_parts_of_names(self) -> None:
        self.assertEqual(self.found("interlaced"), ["CANAL_MASTER"])
        self.assertEqual(self.found("canal"), ["CANAL_WIDE", "CANAL_MASTER"])
        self.assertEqual(self.found("29.97"), ["BARGE_29", "CANAL_WIDE"])
        self.assertEqual(self.found("1920x1080"), ["CANAL_MASTER"])
        self.assertEqual(self.found('"high 4:2:2"'), ["CANAL_WIDE"])
        self.assertEqual(self.found("canal avc"), ["CANAL_WIDE"])
        self.assertEqual(self.found("not canal"), ["new", "BARGE_29"])
        self.assertEqual(self.found("inter"), [])

    def test_amounts_with_a_unit(self) -> None:
        self.assertEqual(self.found("over 20 Mb/s"), ["CANAL_MASTER"])  # what is declared does not count here
        self.assertEqual(self.found("under 6000 kb/s"), [])
        self.assertEqual(self.found("at most 6 Mb/s"), ["CANAL_WIDE"])
        self.assertEqual(self.found("over 1.5 GB"), ["BARGE_29", "CANAL_WIDE"])
        self.assertEqual(self.found("at least 10 min interlaced"), ["CANAL_MASTER"])
        self.assertEqual(self.found("under 30 s"), ["CANAL_WIDE"])

    def test_one_fact_by_name(self) -> None:
        self.assertEqual(self.found(fact="picture.profile", value="4:2:2"), ["CANAL_WIDE", "CANAL_MASTER"])
        self.assertEqual(self.found(fact="sound.channels", value="2"), ["CANAL_WIDE"])
        over = {"fact": "picture.frame_rate", "is": "over", "value": "25"}
        self.assertEqual(self.found(**over), ["CANAL_WIDE"])
        self.assertEqual(self.found(fact="picture.scan", **{"is": "not known"}), ["new", "BARGE_29"])
        self.assertEqual(self.found(fact="picture.scan"), ["CANAL_WIDE", "CANAL_MASTER"])

    def test_what_makes_no_sense_is_named_and_left_out(self) -> None:
        self.assertEqual(len(self.found(fact="picture.kodec", value="avc")), 4)
        self.assertIn("met 'picture.kodec' as a fact", self.search.mistakes[0])
        self.assertEqual(len(self.found(fact="picture.codec", value="avc", **{"is": "over"})), 4)
        self.assertIn("codec has no order of size", self.search.mistakes[0])
        self.assertEqual(len(self.found(fact="picture.size", value="large", **{"is": "over"})), 4)
        self.assertIn("met 'large' as a size", self.search.mistakes[0])
        self.assertEqual(len(self.found(sort="backwards")), 4)

    def test_orders_put_what_is_not_known_last(self) -> None:
        self.assertEqual(self.found(sort="mean"), ["CANAL_WIDE", "CANAL_MASTER", "new", "BARGE_29"])
        self.assertEqual(self.found(sort="-mean"), ["CANAL_MASTER", "CANAL_WIDE", "new", "BARGE_29"])
        self.assertEqual(self.found(sort="name")[0], "BARGE_29")
        self.assertEqual(self.found(sort="-size")[:2], ["CANAL_MASTER", "CANAL_WIDE"])
        self.assertEqual(self.found(sort="codec")[:3], ["CANAL_WIDE", "CANAL_MASTER", "BARGE_29"])

    def test_the_page_keeps_the_search_in_its_address(self) -> None:
        self.sign_in("viewer")
        page = self.client.get("/files/", {"q": "canal", "sort": "mean"})
        self.assertContains(page, "2 of 4 files")
        self.assertContains(page, 'href="?q=canal&amp;sort=-mean"')
        self.assertContains(page, 'aria-sort="ascending"')
        self.assertContains(self.client.get("/files/", {"q": "nothing like it"}), "No file is like that")

    def test_inspections_without_rows_get_them(self) -> None:
        Fact.objects.all().delete()
        self.assertEqual(index_missing(), 3)
        self.assertEqual(index_missing(), 0)
        self.assertEqual(self.found("interlaced"), ["CANAL_MASTER"])

    def test_pages_go_on_in_the_order_that_was_asked_for(self) -> None:
        self.sign_in("viewer")
        MediaFile.objects.bulk_create(
            MediaFile(root=self.root, path=f"{n}.mp4", name=f"Z{n:03}.mp4", size=n, modified_ns=0) for n in range(120)
        )
        first = self.client.get("/files/?sort=name&q=z")
        self.assertContains(first, "120 of 124 files")
        second = self.client.get("/files/?sort=name&q=z&page=3")
        self.assertContains(second, "Z119.mp4")
        self.assertNotContains(second, "Z099.mp4")
        self.assertNotContains(second, "Next page")
