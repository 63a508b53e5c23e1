from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from typing import Any
from unittest import TestCase

import numpy as np

from brisk_core.facts import Depth, FactsBuilder, Stage, Unheard, Witness, keys
from brisk_core.facts.keys import Key
from brisk_core.meters.tests.test_sound import Sound, rows, tone
from brisk_core.packets import PacketSeries
from brisk_core.scan import Segment, TrackScan, plan_segments
from brisk_core.scan.conclude_sound import observe_sounds


def track(sound: Sound, **more: object) -> TrackScan:
    names = ("FC",) if len(sound) == 1 else ("FL", "FR")
    return TrackScan(rows=rows(sound), sample_rate=48000, channel_names=names, **more)  # type: ignore[arg-type]


class SoundFactsTest(TestCase):
    def facts(self, *tracks: TrackScan, start: Fraction = Fraction(0)) -> FactsBuilder:
        builder = FactsBuilder()
        observe_sounds(builder, tracks, start)
        return builder

    def said(self, builder: FactsBuilder, key: Key[Any]) -> object:
        return builder.said(Witness.OBSERVED, key)

    def test_the_programme_of_single_channels_is_left_and_right_together(self) -> None:
        one = track(tone(-23, 12, channels=1))
        builder = self.facts(one, one, track(np.zeros((1, 48000 * 12), np.float32)))
        loudness = self.said(builder, keys.SOUND_LOUDNESS)
        assert isinstance(loudness, tuple)
        self.assertAlmostEqual(loudness[0], -26.0, delta=0.1)
        self.assertIsNone(loudness[2])
        programme = self.said(builder, keys.SOUND_PROGRAMME_LOUDNESS)
        self.assertAlmostEqual(float(str(programme)), -23.0, delta=0.1)
        self.assertEqual(self.said(builder, keys.SOUND_SILENT_CHANNELS), ("track 3 channel 1",))
        self.assertEqual(self.said(builder, keys.SOUND_CHANNELS), (1, 1, 0))
        self.assertEqual(self.said(builder, keys.SOUND_TRUE_PEAK)[2], -120.0)  # type: ignore[index]

    def test_places_are_told_on_the_clock_of_the_picture(self) -> None:
        sound = tone(-10, 6)
        sound[:, 96_000:100_800] = 0
        builder = self.facts(track(sound, start=Fraction(3, 2)), start=Fraction(1))
        dropout = self.said(builder, keys.SOUND_DROPOUT)[0][0]  # type: ignore[index]
        self.assertAlmostEqual(dropout.start, 2.5, delta=0.01)

    def test_silence_and_tracks_that_cannot_be_decoded_have_their_reason(self) -> None:
        builder = self.facts(track(np.zeros((2, 48000 * 3), np.float32)))
        found = builder.finish(file_name="a", file_size=1, depth=Depth.FULL)
        self.assertIn("nothing is louder", found.unread["sound.programme_loudness"])
        broken = self.facts(TrackScan(rows=np.zeros(0), says="no sound could be decoded"))
        found = broken.finish(file_name="a", file_size=1, depth=Depth.FULL)
        self.assertEqual(found.unread["sound.loudness"], "no sound could be decoded")
        self.assertIs(found.facts["sound.true_peak"].observed, Unheard.UNHEARD)

    def test_known_mistakes_of_mixing_have_a_sentence_each(self) -> None:
        sound = tone(-20, 6)
        self.assertIn("are the same", self.said(self.facts(track(sound)), keys.SOUND_MISTAKES)[0])  # type: ignore[index]
        turned = sound * np.array([[1], [-1]], np.float32)
        self.assertIn("polarity", self.said(self.facts(track(turned)), keys.SOUND_MISTAKES)[0])  # type: ignore[index]
        dead = sound * np.array([[1], [0]], np.float32)
        self.assertIn("Channel 2 of track 1 is silent", self.said(self.facts(track(dead)), keys.SOUND_MISTAKES)[0])  # type: ignore[index]
        clean = np.random.default_rng(1).normal(0, 0.1, (2, 48000 * 4)).astype(np.float32)
        self.assertEqual(self.said(self.facts(track(clean)), keys.SOUND_MISTAKES), ())

    def test_a_file_without_sound_has_empty_lists(self) -> None:
        builder = self.facts()
        self.assertEqual((self.said(builder, keys.SOUND_TRUE_PEAK), self.said(builder, keys.SOUND_SILENCE)), ((), ()))


class SegmentsTest(TestCase):
    def series(self, count: int, group: int) -> PacketSeries:
        pts = np.arange(count, dtype=np.int64)
        return PacketSeries(
            time_base=Fraction(1, 25), pts=pts, dts=pts, sizes=np.ones(count, np.uint32),
            types=np.full(count, ord("P"), np.uint8), random_access=pts % group == 0, last_duration=1,
        )  # fmt: skip

    def test_segments_begin_where_a_player_can_start_and_cover_everything_once(self) -> None:
        for count, group in ((5000, 12), (1500, 250), (3001, 1), (200, 300), (99, 10)):
            with self.subTest(count=count, group=group):
                found = plan_segments(self.series(count, group), 2)
                self.assertEqual(found[0].first, 0)
                self.assertEqual(found[-1].end, count)
                self.assertTrue(all(one.end == other.first for one, other in pairwise(found)))
                self.assertTrue(all(one.first % group == 0 for one in found))

    def test_short_files_and_files_without_entries_stay_whole(self) -> None:
        self.assertEqual(plan_segments(self.series(150, 10), 2), [Segment(0, 150)])
        whole = replace(self.series(5000, 12), random_access=np.zeros(5000, np.bool_))
        self.assertEqual(plan_segments(whole, 2), [Segment(0, 5000)])


class ResumeTest(TestCase):
    def test_a_builder_goes_on_from_an_inspection_and_forgets_reasons_of_the_stages_to_come(self) -> None:
        builder = FactsBuilder()
        builder.coded(keys.PICTURE_SCAN, "interlaced")
        builder.observed(keys.PICTURE_FRAME_RATE, Fraction(25))
        builder.silent(keys.TIMING_SOUND_GAPS)
        kept = builder.finish(file_name="a", file_size=1, depth=Depth.PACKETS)
        again = FactsBuilder.resume(kept, Stage.PICTURES)
        again.observed(keys.PICTURE_SCAN, "progressive-as-fields")
        found = again.finish(file_name="a", file_size=1, depth=Depth.FULL)
        self.assertEqual(
            (found.facts["picture.scan"].coded, found.facts["picture.scan"].observed),
            ("interlaced", "progressive-as-fields"),
        )
        self.assertIsNone(found.facts["timing.sound_gaps"].observed)
        self.assertEqual(found.unread["gop.longest"], kept.unread["gop.longest"])
        self.assertEqual(found.unread["content.black"], "the pictures have not been scanned")
