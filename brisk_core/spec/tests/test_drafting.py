import tempfile
from pathlib import Path
from unittest import TestCase

from brisk_core.facts import Inspection, keys
from brisk_core.inspect import inspect
from brisk_core.plan.settings import planned_inspection
from brisk_core.reading import Source
from brisk_core.small_media import Small, make_small
from brisk_core.spec import FAMILIES, Verdict, draft_document, draft_lines, judge, parse_spec, shelf_specs

SPECS = tuple(shelf_specs().values())
HEAD = {"id_": "draft", "name": "Draft", "source": "a good render", "issued": "2026-03-02"}


class DraftTest(TestCase):
    """A file passes the draft that was made of it, and another one does not."""

    inspections: dict[str, Inspection]

    @classmethod
    def setUpClass(cls) -> None:
        with tempfile.TemporaryDirectory() as folder:
            files = {
                "web": make_small(Path(folder) / "a.mp4", Small(sound="aac", frames=50)),
                "disc": make_small(
                    Path(folder) / "a.mpg", Small(codec="mpeg2video", sound="mp2", frames=60, size=(352, 288))
                ),
                "broadcast": make_small(
                    Path(folder) / "a.mxf", Small(codec="mpeg2video", options={"b": "8000000", "g": "12"})
                ),
            }
            cls.inspections = {name: inspect(Source.at(str(path))).inspection for name, path in files.items()}

    def test_a_file_passes_its_draft(self) -> None:
        for name, inspection in self.inspections.items():
            for family in FAMILIES:
                drafts = draft_lines(inspection, family, SPECS)
                self.assertGreater(len(drafts), 5, (name, family))
                spec = parse_spec(draft_document(drafts, family=family, **HEAD))
                check = judge(spec, inspection, integrity=False)
                own = [one for one in check.findings if one.line.id in {draft.id for draft in drafts}]
                self.assertEqual({one.outcome.value for one in own}, {"pass"}, (name, family))
                self.assertEqual(len(own), len(drafts))

    def test_another_file_does_not(self) -> None:
        spec = parse_spec(draft_document(draft_lines(self.inspections["web"], "web", SPECS), family="web", **HEAD))
        self.assertIs(judge(spec, self.inspections["broadcast"], integrity=False).verdict, Verdict.FAIL)

    def test_conditions_by_kind(self) -> None:
        drafts = {one.characteristic.id: one.condition for one in draft_lines(self.inspections["web"], "web", SPECS)}
        self.assertEqual(drafts["picture.size"], {"equals": "192x128"})
        self.assertEqual(drafts["picture.codec"], {"equals": "avc"})
        clean = self.inspections["web"][keys.CONTENT_MISTAKES] == ()
        self.assertEqual(drafts.get("content.mistakes"), {"absent": True} if clean else None)
        least, most = drafts["bitrate.average"]["between"]
        rate = self.inspections["web"][keys.BITRATE_AVERAGE] or 0
        self.assertLessEqual(int(least.split()[0]), 0.8 * rate)
        self.assertGreaterEqual(int(most.split()[0]), 1.2 * rate)
        self.assertNotIn("file.name", drafts)

    def test_a_draft_asks_what_the_family_asks(self) -> None:
        planned = planned_inspection(picture_size=(1920, 1080), picture_codec="avc", sound_programme_loudness=-22.6)
        asked = {one.characteristic.id for one in draft_lines(planned, "broadcast", SPECS)}
        self.assertIn("picture.size", asked)
        conditions = {one.characteristic.id: one.condition for one in draft_lines(planned, "broadcast", SPECS)}
        self.assertEqual(conditions["sound.programme_loudness"], {"near": {"value": -23, "tolerance": 1}})
        self.assertTrue(all(one.share >= 0.5 for one in draft_lines(planned, "broadcast", SPECS)))
        self.assertEqual(draft_lines(planned, "web", []), [])
