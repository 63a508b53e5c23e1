"""AAF files as systems write them, made by ``aaf2``."""

from __future__ import annotations

import contextlib
import io
import tempfile
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import aaf2

from brisk_core.edit import Timeline, import_edit
from brisk_core.errors import EditRefused

NTSC = Fraction(30000, 1001)


class Edit:
    """An AAF file that is being written: one edit, of material named by letters."""

    def __init__(self, file: Any, rate: Fraction | int = 25) -> None:
        self.file, self.rate = file, rate
        self.edit = self.composition("Cut")

    def composition(self, name: str, usage: str = "Usage_TopLevel") -> Any:
        made = self.file.create.CompositionMob(name)
        made.usage = usage
        self.file.content.mobs.append(made)
        return made

    def timecode(self, start: int, fps: int = 25, *, drop: bool = False, number: int | None = 1) -> None:
        slot = self.edit.create_timeline_slot(self.rate)
        if number is not None:
            slot["PhysicalTrackNumber"].value = number
        slot.segment = self.file.create.Timecode()
        slot.segment.start, slot.segment.fps, slot.segment.drop, slot.segment.length = start, fps, drop, 1000

    def clip(self, name: str, start: int, length: int) -> Any:
        master, tape = self.file.create.MasterMob(name), self.file.create.SourceMob(f"{name} file")
        description = self.file.create.CDCIDescriptor()
        for key, value in (
            ("SampleRate", self.rate), ("Length", 2000), ("StoredWidth", 1920), ("StoredHeight", 1080),
            ("ComponentWidth", 8), ("HorizontalSubsampling", 2), ("FrameLayout", "FullFrame"),
            ("VideoLineMap", [42, 0]), ("ImageAspectRatio", "16/9"),
        ):  # fmt: skip
            description[key].value = value
        tape.descriptor = description
        self.file.content.mobs.extend([master, tape])
        below = tape.create_picture_slot(self.rate)
        below.segment.length = 2000
        slot = master.create_picture_slot(self.rate)
        slot.segment = tape.create_source_clip(below.slot_id, start=0, length=2000, media_kind="picture")
        return master.create_source_clip(slot.slot_id, start=start, length=length, media_kind="picture")

    def black(self, length: int) -> Any:
        return self.file.create.Filler(media_kind="picture", length=length)

    def dissolve(self, length: int, cut: int) -> Any:
        made = self.file.create.Transition()
        made["DataDefinition"].value = self.file.dictionary.lookup_datadef("picture")
        made["Length"].value, made["CutPoint"].value = length, cut
        kind = self.file.create.OperationDef(aaf2.auid.AUID(int=77), "Dissolve")
        self.file.dictionary.register_def(kind)
        kind.media_kind = "picture"
        kind["NumberInputs"].value, kind["IsTimeWarp"].value, kind["Bypass"].value = 2, False, 0
        kind["OperationCategory"].value = "OperationCategory_Effect"
        effect = self.file.create.OperationGroup(kind)
        effect.media_kind = "picture"
        effect.length = length
        made["OperationGroup"].value = effect
        return made

    def track(self, parts: Sequence[Any], number: int = 1, of: Any = None) -> Any:
        slot = (of or self.edit).create_timeline_slot(self.rate)
        slot.name, slot["PhysicalTrackNumber"].value = f"V{number}", number
        slot.segment = self.file.create.Sequence(media_kind="picture")
        for part in parts:
            slot.segment.components.append(part)
        return slot


class AafTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.aaf"

    def read(self, make: Callable[[Edit], None], rate: Fraction | int = 25) -> Timeline:
        """Write an edit and import it; nothing may be printed."""
        with aaf2.open(str(self.path), "w") as file:
            make(Edit(file, rate))
        said = io.StringIO()
        with contextlib.redirect_stdout(said):
            found = import_edit(self.path)
        self.assertEqual(said.getvalue(), "")
        return found

    def shots(self, timeline: Timeline) -> list[tuple[str, int, int]]:
        return [(shot.name if shot.event else "", shot.start, shot.end) for shot in timeline.shots()]

    def test_cuts_and_a_gap(self) -> None:
        def make(edit: Edit) -> None:
            edit.timecode(900_000)
            edit.track([edit.clip("A", 10, 50), edit.black(5), edit.clip("B", 20, 75)])

        found = self.read(make)
        self.assertEqual((str(found.start), found.rate, found.length), ("10:00:00:00", 25, 130))
        self.assertEqual(self.shots(found), [("A", 0, 50), ("", 50, 55), ("B", 55, 130)])
        self.assertEqual(found.lanes[0].events[0].source_start, Fraction(10, 25))

    def test_the_start_is_counted_as_the_file_says(self) -> None:
        for rate, start, fps, drop, number, expected in (
            (NTSC, 107_892, 30, True, 1, "01:00:00;00"),
            (NTSC, 108_000, 30, False, 1, "01:00:00:00"),
            (Fraction(24000, 1001), 86_400, 24, False, 1, "01:00:00:00"),
            (25, 90_000, 25, False, None, "01:00:00:00"),
            (25, 90_000, 25, False, 4, "01:00:00:00"),
            (50, 90_000, 25, False, 1, "01:00:00:00"),
        ):

            def make(
                edit: Edit, start: int = start, fps: int = fps, drop: bool = drop, number: int | None = number
            ) -> None:
                edit.timecode(start, fps, drop=drop, number=number)
                edit.track([edit.clip("A", 10, 50)])

            self.assertEqual(str(self.read(make, rate).start), expected)

    def test_a_start_that_counts_no_frames_is_none(self) -> None:
        def make(edit: Edit) -> None:
            edit.timecode(90_000, 0)
            edit.track([edit.clip("A", 10, 50)])

        self.assertEqual(self.read(make).length, 50)

    def test_of_several_timecodes_the_first_track_counts(self) -> None:
        def make(edit: Edit, numbers: Sequence[int] = (2, 1)) -> None:
            for number in numbers:
                edit.timecode(90_000 * number, number=number)
            edit.track([edit.clip("A", 10, 50)])

        self.assertEqual(str(self.read(make).start), "01:00:00:00")
        self.assertIsNone(self.read(lambda edit: make(edit, (3, 2))).start, "nobody can tell which")
        self.assertIsNone(self.read(lambda edit: make(edit, ())).start)

    def test_tracks_lie_over_each_other_by_their_numbers(self) -> None:
        def upper(edit: Edit) -> None:
            edit.track([edit.black(20), edit.clip("B", 20, 10)], number=2)

        def lower(edit: Edit) -> None:
            edit.track([edit.clip("A", 0, 50)])

        for order in ((lower, upper), (upper, lower)):

            def make(edit: Edit, order: Sequence[Callable[[Edit], None]] = order) -> None:
                for one in order:
                    one(edit)

            self.assertEqual(self.shots(self.read(make)), [("A", 0, 20), ("B", 20, 30), ("A", 30, 50)])

    def test_a_dissolve_lies_where_its_cut_does(self) -> None:
        def make(edit: Edit, cut: int) -> None:
            edit.track([edit.clip("A", 10, 62), edit.dissolve(12, cut), edit.clip("B", 20, 75)])

        for cut in (0, 6):
            found = self.read(lambda edit, cut=cut: make(edit, cut))  # type: ignore[misc]
            spans = {event.kind: (event.start, event.end) for event in found.lanes[0].events}
            self.assertEqual((spans["transition"], found.length), ((50, 62), 125))
            self.assertEqual([event.end for event in found.lanes[0].events if event.name == "A"], [50 + cut])

    def test_an_edit_in_an_edit(self) -> None:
        def make(edit: Edit) -> None:
            inside = edit.composition("Nested", "Usage_LowerLevel")
            slot = edit.track([edit.clip("B", 10, 50), edit.clip("C", 0, 50)], of=inside)
            used = inside.create_source_clip(slot.slot_id, start=25, length=50, media_kind="picture")
            edit.track([edit.clip("A", 10, 50), used])

        self.assertEqual(self.shots(self.read(make)), [("A", 0, 50), ("B", 50, 75), ("C", 75, 100)])

    def test_material_that_is_not_in_the_file_is_a_shot(self) -> None:
        def make(edit: Edit) -> None:
            gone = edit.file.create.SourceClip(media_kind="picture")
            gone.mob_id, gone.slot_id, gone.start, gone.length = aaf2.mobid.MobID(int=5), 1, 10, 30
            edit.track([edit.clip("A", 10, 50), gone, edit.black(5), edit.clip("B", 0, 5)])

        found = self.read(make)
        self.assertEqual(
            self.shots(found), [("A", 0, 50), ("material that is not in the file", 50, 80), ("", 80, 85), ("B", 85, 90)]
        )
        self.assertEqual([source.online for source in found.sources if source.name.startswith("material")], [False])

    def test_what_is_not_one_edit_is_refused(self) -> None:
        def two(edit: Edit) -> None:
            edit.track([edit.clip("A", 10, 50)])
            edit.track([edit.clip("B", 10, 50)], of=edit.composition("Other"))

        with self.assertRaisesRegex(EditRefused, r"the AAF file holds 2 timelines \('Cut', 'Other'\); expected one"):
            self.read(two)
        with self.assertRaisesRegex(EditRefused, "no tracks"):
            self.read(lambda edit: edit.timecode(0))
