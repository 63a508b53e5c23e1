from pathlib import Path
from unittest import TestCase

from brisk_core.captions import Captioned, belongs_to, read_captions
from brisk_core.edit import EditHints, import_edit
from brisk_core.samples import RENDERS, build_samples
from brisk_core.samples.build import frame_count
from brisk_core.samples.captions import CAPTIONS
from brisk_core.samples.tests.shared import canned, shared_samples
from brisk_core.samples.timelines import TALL_EDIT, WIDE_EDIT
from brisk_core.spec import judge, shelf_specs

_REPOSITORY = Path(__file__).resolve().parents[3]


class RendersTest(TestCase):
    """Every sample file through reading, packets and judging: right ones pass whole, faulty ones fail where they should."""

    minutes = 3

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.folder = shared_samples()
        cls.timelines = {
            "wide": import_edit(cls.folder / WIDE_EDIT),
            "tall": import_edit(cls.folder / TALL_EDIT, hints=EditHints.from_json({"rate": 30})),
        }

    def test_each_render_fails_exactly_the_lines_of_its_fault(self) -> None:
        specs = shelf_specs()
        for recipe in RENDERS:
            with self.subTest(recipe.name):
                found = canned(str(self.folder / recipe.name)).inspection
                timeline = self.timelines["tall" if recipe.spec == "pebbleview-tall" else "wide"]
                check = judge(specs[recipe.spec], found, timeline=timeline, captioned=self.beside(recipe.name))
                failed = tuple(one.line.id for one in check.findings if one.outcome.value == "fail")
                self.assertEqual(sorted(failed), sorted(recipe.fails))
                cautions = [one.line.id for one in check.findings if one.outcome.value == "caution"]
                self.assertEqual(sorted(cautions), sorted(recipe.cautions))
                unheard = [one.line.id for one in check.findings if one.outcome.value == "not measured"]
                # Four captions are too few to be placed by sound and cuts, and nobody looked at the pictures for them.
                notes = ("integrity-captions-rate-mismatch", "integrity-captions-burned-in")
                self.assertEqual([id_ for id_ in unheard if id_ not in notes], [])
                self.assertEqual(check.verdict.value, recipe.verdict)
                self.assertEqual(found.best("picture.frame_count"), frame_count(recipe))

    def beside(self, name: str) -> Captioned:
        """The captions that lie beside a render."""
        files = [one for one in CAPTIONS if belongs_to(one, name)]
        return Captioned(documents=tuple(read_captions((self.folder / one).read_bytes(), one) for one in files))

    def test_each_spec_with_renders_has_a_right_one_and_two_faults(self) -> None:
        for id_ in {recipe.spec for recipe in RENDERS}:
            faults = [recipe.fault for recipe in RENDERS if recipe.spec == id_]
            self.assertIn(None, faults)
            self.assertGreaterEqual(len(faults) - faults.count(None), 2)

    def test_samples_are_made_once(self) -> None:
        stamp = (self.folder / RENDERS[0].name).stat().st_mtime_ns
        self.assertEqual(build_samples(self.folder.parent), self.folder)
        self.assertEqual((self.folder / RENDERS[0].name).stat().st_mtime_ns, stamp)
