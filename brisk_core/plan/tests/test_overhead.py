import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.plan import WRAPPERS, Stream, overhead, wrapped_size
from brisk_core.plan.tests.wrapped import Coded, picture, sound, wrap

CLOSE = 0.005  # of the real size
DISC = "g=15,bf=2"


class OverheadTest(TestCase):
    """Predicted sizes beside those of real files, ten of each wrapper, by each of its writers that is at hand."""

    minutes = 1

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = at = Path(folder.name)
        plain, ordered = "preset=ultrafast,g=25", "preset=veryfast,g=48,bf=3"
        cls.avc = [
            picture(at, "libx264", 900_000, options=plain),
            picture(at, "libx264", 2_500_000, options=ordered),
            picture(at, "libx264", 1_400_000, Fraction(30000, 1001), 240, ordered),
            picture(at, "libx264", 3_500_000, Fraction(50), 400, plain),
        ]
        cls.mpeg2 = [
            picture(at, "mpeg2video", 3_000_000, options=DISC),
            picture(at, "mpeg2video", 5_500_000, options="g=12,bf=2"),
            picture(at, "mpeg2video", 4_000_000, Fraction(30000, 1001), 240, DISC),
        ]
        cls.prores = picture(at, "prores_ks", 0, frames=50, pixels="yuv422p10le")
        cls.aac, cls.low = sound(at, "aac", 128_000), sound(at, "aac", 80_000)
        cls.ac3, cls.mp2 = sound(at, "ac3", 256_000), sound(at, "mp2", 192_000)
        cls.pcm = sound(at, "pcm_s24le", 0, layout="mono")
        cls.short = sound(at, "pcm_s16le", 0, Fraction(2))

    def predicted(self, wrapper: str, files: list[tuple[str, list[Coded], str | None, dict[str, str]]]) -> None:
        for number, (name, coded, kind, options) in enumerate(files):
            with self.subTest(f"{wrapper} {number}", name=name):
                real = wrap(self.folder / f"{wrapper}-{number}-{name}", coded, format=kind, options=options)
                said = wrapped_size(wrapper, [one.stream for one in coded])
                self.assertLess(abs(said - real) / real, CLOSE, f"{said} said, {real} there")

    def test_iso_media(self) -> None:
        one, two, three, four = self.avc
        kinds = [
            [one, self.aac], [two, self.low], [three, self.aac], [four, self.ac3], [two], [one, self.aac, self.ac3],
            [two, self.mp2], [self.mpeg2[0], self.aac], [three], [four, self.low, self.low],
        ]  # fmt: skip
        self.predicted("mp4", [("a.mp4", kind, None, {}) for kind in kinds])
        self.predicted("mp4", [("b.mp4", kind, None, {"movflags": "faststart"}) for kind in kinds[:2]])
        more = [*kinds[:5], [self.prores, self.short], [self.prores], *kinds[6:9]]
        self.predicted("mov", [("a.mov", kind, None, {}) for kind in more])

    def test_fragments(self) -> None:
        one, two, three, four = self.avc
        flags = ["frag_keyframe+empty_moov", "frag_keyframe+empty_moov+default_base_moof", "frag_keyframe"]
        kinds = [[one, self.aac], [two, self.low], [three], [four, self.aac, self.low]]
        files = [("f.mp4", kind, None, {"movflags": flag}) for kind in kinds for flag in flags]
        self.predicted("mp4-fragmented", files)

    def test_transport_stream(self) -> None:
        one, two, three, four = self.avc
        kinds = [
            [one, self.aac], [two, self.aac], [three, self.ac3], [four, self.mp2], [two], [self.mpeg2[0], self.mp2],
            [self.mpeg2[1], self.ac3, self.ac3], [self.mpeg2[2]], [four, self.low], [one, self.mp2],
        ]  # fmt: skip
        self.predicted("mpeg-ts", [("a.ts", kind, None, {}) for kind in kinds])

    def test_program_stream(self) -> None:
        one, two, three = self.mpeg2
        kinds = [
            [one, self.mp2], [two, self.ac3], [three, self.mp2], [one], [two, self.mp2, self.mp2], [three, self.ac3],
            [two], [one, self.ac3, self.mp2], [three], [one, self.ac3],
        ]  # fmt: skip
        self.predicted("mpeg-ps", [("a.mpg", kind, None, {}) for kind in kinds])
        for writer in ("vob", "svcd"):
            self.predicted("mpeg-ps-packs", [(f"a.{writer}", kind, writer, {}) for kind in kinds[:3]])
        self.predicted("mpeg-ps-disc", [("a.vob", kind, "dvd", {}) for kind in kinds[1:4]])

    def test_matroska(self) -> None:
        one, two, three, four = self.avc
        kinds = [
            [one, self.aac], [two, self.low], [three, self.ac3], [four, self.mp2], [two], [self.mpeg2[0], self.aac],
            [self.prores, self.short], [self.prores], [four, self.low, self.low], [three],
        ]  # fmt: skip
        self.predicted("matroska", [("a.mkv", kind, None, {}) for kind in kinds])

    def test_mxf(self) -> None:
        one, two, three = self.mpeg2
        kinds = [
            [one], [two], [three], [one, self.pcm], [two, self.pcm], [three, self.pcm], [one, self.pcm, self.pcm],
            [two, *[self.pcm] * 4], [three, *[self.pcm] * 2], [one, *[self.pcm] * 8],
        ]  # fmt: skip
        self.predicted("mxf-op1a", [("a.mxf", kind, None, {}) for kind in kinds])

    def test_by_hand(self) -> None:
        """One second of AC-3 at 192 kb/s: 768 bytes a frame, 782 with the head of its PES packet, 5 packets of 184."""
        frames = Stream(
            kind="sound", codec="ac3", packets=31, size=Fraction(31 * 768), seconds=Fraction(31 * 1536, 48000)
        )
        tables = -(-31 * 1536 * 20 // 48000)  # twenty a second, the last one begun
        self.assertEqual(wrapped_size("mpeg-ts", [frames]), (31 * 5 + tables) * 188)

    def test_offsets_of_large_files_take_twice_the_bytes(self) -> None:
        """ISO/IEC 14496-12, 8.7.5: stco has 32 bits an offset, co64 has 64."""
        near = [replace(one.stream, size=Fraction((1 << 31) - 1)) for one in (self.avc[0], self.aac)]
        far = [replace(one, size=Fraction(1 << 31)) for one in near]
        chunks = min(one.packets for one in near)
        self.assertEqual(overhead("mp4", far) - overhead("mp4", near), 2 * 4 * chunks)

    def test_what_cannot_be_wrapped(self) -> None:
        with self.assertRaisesRegex(PlanRefused, "met wrapper 'zip'; expected one of mp4, mov"):
            overhead("zip", [self.aac.stream])
        with self.assertRaisesRegex(PlanRefused, "nothing to wrap"):
            overhead("mp4", [])

    def test_more_of_anything_is_never_smaller(self) -> None:
        for wrapper in WRAPPERS:
            least = 0
            for seconds in range(1, 9):
                streams = [one.cut(Fraction(seconds)).stream for one in (self.avc[0], self.aac)]
                size = wrapped_size(wrapper, streams)
                self.assertGreater(size, least, wrapper)
                least = size
