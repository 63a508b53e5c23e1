from fractions import Fraction
from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.plan.order import Picture, Row, nearest_rows
from brisk_core.plan.order_document import plan_order
from brisk_core.spec import parse_spec, shelf_specs

WIDE = Picture(size=(1920, 1080), rate=Fraction(25))


class RowsTest(TestCase):
    def rows(self, source: Picture, *specs: str, may_enlarge: bool = False) -> list[Row]:
        return nearest_rows(source, [shelf_specs()[one] for one in specs], may_enlarge=may_enlarge)

    def test_nothing_happens_to_what_is_ordered(self) -> None:
        first = self.rows(WIDE, "upload-wide-1080")[0]
        self.assertEqual((first.picture.words, first.harm, first.reasons), ("1920 × 1080, 25, progressive", 0, ()))
        self.assertEqual(first.codecs, ("avc",))

    def test_only_rows_of_the_table_are_told(self) -> None:
        """1280 × 720 stands in the disc's table with 50 and 24, never with 25."""
        rates = {row.picture.rate for row in self.rows(WIDE, "disc-hd-avc-25") if row.picture.size == (1280, 720)}
        self.assertEqual(rates, {Fraction(50), Fraction(24)})

    def test_bars_and_cuts_by_hand(self) -> None:
        """16:9 in a square: the picture fills 9/16 of it, and 7/16 = 43.75 % are bars or are cut."""
        (row, *_) = self.rows(WIDE, "pebbleview-square")
        self.assertEqual(row.shown, (1, Fraction(9, 16)))
        self.assertEqual(row.kept, (Fraction(9, 16), 1))
        (bars,) = [one for one in row.reasons if one.kind == "bars"]
        self.assertEqual(bars.harm, Fraction(7, 16))
        self.assertEqual(
            bars.says, "bars above and below fill 43.8 % of the frame, or 43.8 % of the picture is cut at the sides"
        )

    def test_a_standard_definition_disc_keeps_the_shape(self) -> None:
        first, *others = self.rows(WIDE, "disc-sd-mpeg2-25")
        self.assertEqual(first.picture.words, "720 × 576, 25, interlaced, shown 16:9")
        self.assertEqual([one.kind for one in first.reasons], ["reduced", "rate"])
        self.assertTrue(any(one.kind == "bars" for row in others for one in row.reasons))

    def test_sizes_without_square_pixels_have_the_shapes_of_their_standards(self) -> None:
        shapes = {row.picture.aspect for row in self.rows(WIDE, "disc-hd-avc-25") if row.picture.size == (720, 576)}
        self.assertEqual(shapes, {Fraction(4, 3), Fraction(16, 9)})

    def test_never_larger_than_the_source(self) -> None:
        small = Picture(size=(1280, 720), rate=Fraction(25))
        rows = self.rows(small, "upload-wide-1080")
        first_larger = next(at for at, row in enumerate(rows) if row.enlarges)
        self.assertTrue(all(row.enlarges for row in rows[first_larger:]))
        self.assertFalse(rows[0].enlarges)
        (says,) = [one.says for one in rows[first_larger].reasons if one.kind == "enlarged"]
        self.assertEqual(says, "enlarged 1.50 times")

    def test_enlarged_on_purpose(self) -> None:
        small = Picture(size=(1280, 720), rate=Fraction(25))
        rows = self.rows(small, "upload-wide-1080", may_enlarge=True)
        self.assertEqual([row.harm for row in rows], sorted(row.harm for row in rows))

    def test_fields_are_taken_apart_for_progressive_rows_only(self) -> None:
        fields = Picture(size=(1920, 1080), rate=Fraction(25), interlaced=True)
        self.assertEqual(self.rows(fields, "channel-merrow-master")[0].reasons, ())
        first = self.rows(fields, "upload-wide-1080")[0]
        self.assertEqual(first.picture.rate, 50)
        self.assertEqual([one.says for one in first.reasons], ["its fields are made into pictures"])

    def test_29_97_is_not_30(self) -> None:
        thirty = Picture(size=(1920, 1080), rate=Fraction(30))
        first, second, *_ = self.rows(thirty, "upload-wide-1080")
        self.assertEqual((first.harm, second.picture.rate), (0, Fraction(30_000, 1001)))
        self.assertIn("0.1 % slower", second.reasons[0].says)

    def test_a_spec_that_names_no_size_takes_the_source_s(self) -> None:
        spec = parse_spec({
            "brisk_spec": 1, "id": "rates", "name": "Rates", "family": "web", "source": "a test", "issued": "2026-01-01",
            "lines": [{"id": "rate", "characteristic": "picture.frame_rate", "condition": {"between": [24, 30]}}],
        })  # fmt: skip
        rows = nearest_rows(WIDE, [spec])
        self.assertEqual({row.picture.size for row in rows}, {(1920, 1080)})
        self.assertEqual({float(row.picture.rate) for row in rows}, {24, 25, 30000 / 1001, 30})


class DocumentTest(TestCase):
    def test_an_answer(self) -> None:
        found = plan_order({"size": "1920x1080", "rate": 25}, [shelf_specs()["pebbleview-tall"]])
        row = found["rows"][0]
        self.assertEqual(row["fitted"], {"x": 0.0, "y": 0.3418, "width": 1.0, "height": 0.3164})
        self.assertEqual(row["kept"], {"x": 0.3418, "y": 0.0, "width": 0.3164, "height": 1.0})
        self.assertTrue(row["never_larger"])

    def test_every_mistake_is_named(self) -> None:
        with self.assertRaises(PlanRefused) as caught:
            plan_order({"size": "x", "rate": "y", "scan": "z", "shape": "0:0", "enlarge": "maybe", "more": 1}, [])
        places = [one.place for one in caught.exception.mistakes]
        self.assertEqual(places, ["plan", "scan", "size", "rate", "shape", "enlarge", "spec"])
