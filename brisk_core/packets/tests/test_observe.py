from fractions import Fraction
from typing import Any

import av
import numpy as np

from brisk_core.facts import Chapter, Depth
from brisk_core.inspect import inspect
from brisk_core.packets import load_series, save_series
from brisk_core.reading import Source
from brisk_core.reading.tests.test_headers import MediaTest


class ObserveTest(MediaTest):
    def test_variable_rate_is_seen_in_every_wrapper(self) -> None:
        for name in ("a.mp4", "a.mkv"):
            path = self.made(
                name,
                frames=100,
                time_base=Fraction(1, 90000),
                times=lambda number: number * 3000 + (number % 7) * 400,
            )
            inspection = self.read(path)
            self.assertEqual(inspection.best("picture.rate_mode"), "variable", name)
            self.assertEqual(inspection.best("picture.frame_count"), 100)

    def test_groups_and_runs_of_an_encoder_as_it_was_told(self) -> None:
        options = {"x264-params": "keyint=20:min-keyint=20:scenecut=0:bframes=2:b-adapt=0:b-pyramid=0"}
        inspection = self.read(self.made("a.mp4", frames=60, options=options))
        self.assertEqual(inspection.best("gop.longest"), 20)
        self.assertEqual(inspection.best("gop.shortest"), 20)
        self.assertEqual(inspection.best("picture.b_frames"), 2)
        self.assertIs(inspection.best("gop.open"), False)
        self.assertTrue(inspection.best("gop.pattern").startswith("IBBPBBP"))

    def test_open_groups_of_mpeg2(self) -> None:
        path = self.made("a.mxf", codec="mpeg2video", frames=40, options={"g": "12", "bf": "2"})
        inspection = self.read(path)
        self.assertEqual(inspection.best("gop.longest"), 12)
        self.assertIs(inspection.facts["gop.open"].observed, True)
        self.assertIs(inspection.facts["gop.open"].coded, True)

    def test_slices_as_the_encoder_was_told(self) -> None:
        inspection = self.read(self.made("a.mp4", size=(640, 360), options={"x264-params": "slices=4:threads=1"}))
        self.assertEqual(inspection.best("picture.slices"), 4)

    def test_the_mean_is_the_sum_of_packets_over_the_duration(self) -> None:
        import av

        path = self.made("a.mp4", frames=75)
        with av.open(str(path)) as container:
            bits = sum(packet.size for packet in container.demux(video=0)) * 8
        self.assertEqual(self.read(path).best("bitrate.average"), round(bits / 3))

    def test_chapters_stand_on_entry_points_or_do_not(self) -> None:
        def chapters(container: Any, _: Any) -> None:
            row = {"id": 1, "start": 0, "end": 1000, "time_base": Fraction(1, 1000), "metadata": {"title": "Dawn"}}
            later = row | {"id": 2, "start": 1000, "end": 2000, "metadata": {"title": "Dusk"}}
            container.set_chapters([row, later])

        options = {"x264-params": "keyint=250:scenecut=0"}
        inspection = self.read(self.made("a.mkv", prepare=chapters, options=options))
        self.assertEqual(
            inspection.facts["text.chapters"].observed,
            (
                Chapter(time=Fraction(0), title="Dawn", on_random_access=True),
                Chapter(time=Fraction(1), title="Dusk", on_random_access=False),
            ),
        )

    def test_headers_leave_the_packets_unread_and_say_so(self) -> None:
        inspection = self.read(self.made("a.mp4"), Depth.HEADERS)
        self.assertEqual(inspection.unread["bitrate.average"], "the packets have not been read")
        self.assertEqual(inspection.unread["picture.scan"], "the pictures have not been scanned")

    def test_less_than_a_second_has_no_peak(self) -> None:
        inspection = self.read(self.made("a.mp4", frames=10))
        self.assertEqual(inspection.unread["bitrate.peak_1s"], "the pictures last less than one second")

    def test_lost_packets_of_a_transport_stream_are_named_by_their_place(self) -> None:
        path = self.made("a.ts", size=(640, 360), options={"preset": "ultrafast", "b": "4000000"})
        packets = [path.read_bytes()[at : at + 188] for at in range(0, path.stat().st_size, 188)]
        del packets[len(packets) // 2 : len(packets) // 2 + 7]  # a hole in the count of continuity
        path.write_bytes(b"".join(packets))
        facts = self.read(path)
        self.assertIs(facts.best("wrapper.complete"), False)
        self.assertRegex(facts.best("wrapper.damage")[0], r"^byte [\d,]+: \d+ or more packets of PID 0x\w+ are lost$")

    def test_sizes_by_type_and_bits_per_pixel(self) -> None:
        facts = self.read(self.made("a.mp4", frames=50, options={"x264-params": "bframes=2:keyint=25"}))
        by_type = facts.best("bitrate.by_type")
        self.assertEqual(set(by_type), {"I", "P", "B"})
        self.assertGreater(by_type["I"], by_type["B"])
        self.assertAlmostEqual(
            facts.best("bitrate.bits_per_pixel"), facts.best("bitrate.average") / 25 / (192 * 128), places=3
        )

    def test_steps_of_a_variable_rate(self) -> None:
        base = Fraction(1, 90000)
        path = self.made("a.mp4", frames=40, time_base=base, times=lambda number: number * 3600 + (number % 2) * 900)
        steps = self.read(path).best("timing.steps")
        self.assertEqual((steps["smallest"], steps["largest"]), (0.03, 0.05))

    def test_sound_is_counted_by_time(self) -> None:
        path = self.made("a.mp4", frames=50, sound="aac")
        series = inspect(Source.at(str(path)), Depth.PACKETS).series
        assert series
        self.assertEqual(len(series.sound), 1)
        self.assertIn(len(series.sound[0]), (50, 51, 52))
        save_series(series, self.folder / "s.npz")
        again = load_series(self.folder / "s.npz")
        np.testing.assert_array_equal(again.sound[0], series.sound[0])

    def test_frames_of_sound_and_a_short_last_one_leave_no_gaps(self) -> None:
        for name in ("a.mp4", "a.mov", "a.ts", "a.mkv"):
            for sound, rate in (("aac", 44100), ("aac", 48000), ("ac3", 48000), ("mp2", 44100)):
                path = self.made(name, sound=sound, sample_rate=rate, sound_seconds=1.9871)
                self.assertEqual(self.read(path).best("timing.sound_gaps"), (), (name, sound, rate))

    def test_a_gap_in_the_sound_is_named(self) -> None:
        whole = self.made("a.mp4", frames=75, sound="aac")
        holed = self.folder / "b.mp4"
        with av.open(str(whole)) as old, av.open(str(holed), "w") as new:
            streams = {one.index: new.add_stream_from_template(one) for one in old.streams}
            for packet in old.demux():
                at = float(packet.pts * packet.time_base) if packet.pts is not None else 0
                if packet.dts is None or (packet.stream.type == "audio" and 1 <= at < 2):
                    continue
                packet.stream = streams[packet.stream.index]
                new.mux(packet)
        gaps = self.read(holed).best("timing.sound_gaps")
        self.assertEqual(len(gaps), 1)
        self.assertRegex(gaps[0], r"^track 1: nothing for (1|1\.0\d*) s from (1\.0\d*|1|0\.9\d*) s on$")
