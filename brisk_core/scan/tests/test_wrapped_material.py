"""What a wrapper keeps beside the pictures, and before them."""

import tempfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import numpy as np

from brisk_core.facts import Inspection, keys
from brisk_core.scan.tests.encoded import inspected

SIZE = (192, 112)


def rgba(number: int, *, premultiplied: bool, seen: Callable[[Any], Any]) -> av.VideoFrame:
    """A moving pattern under an alpha made of the distance from a moving point."""
    down, across = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32)
    pattern = np.stack([150 + 80 * np.sin((across + 3 * number) / 9 + at) * np.cos(down / 11) for at in range(3)], -1)
    alpha = seen(np.clip(255 - 4 * np.hypot(across - 60 - number, down - 56), 0, 255))
    if premultiplied:
        pattern *= alpha[..., None] / 255
    picture = np.concatenate([pattern, alpha[..., None]], -1).clip(0, 255).astype(np.uint8)
    return av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgba").reformat(format="yuva420p")


class AlphaBesideTest(TestCase):
    """Alpha of VP8 and VP9 in Matroska lies in a stream of its own beside each picture (AlphaMode, BlockAddition 1)."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.webm"

    def write(
        self, coder: str, *, premultiplied: bool = False, seen: Callable[[Any], Any] = lambda alpha: alpha
    ) -> None:
        with av.open(str(self.path), "w") as container:
            stream: Any = container.add_stream(coder, rate=25)
            stream.width, stream.height = SIZE
            stream.pix_fmt = "yuva420p"
            stream.options = {"deadline": "realtime", "cpu-used": "8", "b": "1M", "auto-alt-ref": "0"}
            for number in range(30):
                frame = rgba(number, premultiplied=premultiplied, seen=seen)
                frame.pts = number
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))

    def alpha(self) -> tuple[Any, Any, Any]:
        found = inspected(self.path)
        facts = found.facts["picture.alpha"]
        self.assertEqual(found[keys.CONTENT_UNREADABLE], ())
        return facts.declared, facts.observed, bool(found[keys.FILE_CONTRADICTIONS])

    def test_its_use_is_told(self) -> None:
        for coder in ("libvpx", "libvpx-vp9"):
            self.write(coder)
            self.assertEqual(self.alpha(), ("present", "straight", False), coder)
            self.write(coder, premultiplied=True)
            self.assertEqual(self.alpha(), ("present", "premultiplied", False), coder)
            self.write(coder, seen=lambda alpha: np.full_like(alpha, 255))
            self.assertEqual(self.alpha(), ("present", "opaque", False), coder)

    def test_a_wrapper_that_declares_what_is_not_there_is_not_believed(self) -> None:
        self.write("libvpx-vp9")
        other = self.path.with_name("b.webm")
        with av.open(str(self.path)) as source, av.open(str(other), "w") as target:
            own = source.streams.video[0]
            bare: Any = target.add_stream_from_template(own)
            bare.metadata["alpha_mode"] = "1"
            for packet in source.demux(own):
                if packet.size:
                    plain = av.Packet(bytes(packet))
                    plain.pts, plain.dts, plain.time_base = packet.pts, packet.dts, packet.time_base
                    plain.is_keyframe, plain.stream = packet.is_keyframe, bare
                    target.mux(plain)
        self.path = other
        self.assertEqual(self.alpha(), ("present", "none", False))
        self.assertEqual(inspected(other).best("picture.alpha"), "none")


class FragmentedStartTest(TestCase):
    """Fragments without an edit list begin with a coder's priming, and their pictures later by the coder's delay."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.mp4"

    def inspected(self, *, hole: tuple[float, float] | None = None) -> Inspection:
        with av.open(str(self.path), "w", options={"movflags": "frag_keyframe+empty_moov"}) as container:
            pictures: Any = container.add_stream("libx264", rate=25)
            pictures.width, pictures.height = SIZE
            pictures.pix_fmt = "yuv420p"
            pictures.options = {"preset": "fast", "g": "25"}
            sound: Any = container.add_stream("aac", rate=48000)
            sound.layout = "stereo"
            for number in range(75):
                frame = rgba(number, premultiplied=False, seen=lambda alpha: alpha).reformat(format="yuv420p")
                frame.pts = number
                container.mux(pictures.encode(frame))
                times = (1920 * number + np.arange(1920)) / 48000
                wave = 0.2 * np.sin(2 * np.pi * 440 * times) + 0.1 * np.sin(2 * np.pi * 311 * times)
                if hole:
                    wave[(times >= hole[0]) & (times < hole[1])] = 0
                part = av.AudioFrame.from_ndarray(
                    np.stack([wave, wave]).astype(np.float32), format="fltp", layout="stereo"
                )
                part.sample_rate, part.pts, part.time_base = 48000, 1920 * number, Fraction(1, 48000)
                container.mux(sound.encode(part))
            for stream in (pictures, sound):
                container.mux(stream.encode(None))
        return inspected(self.path)

    def test_nothing_is_missing_before_the_first_picture(self) -> None:
        found = self.inspected()
        self.assertEqual((found[keys.TIMING_SOUND_GAPS], found[keys.SOUND_DROPOUT]), ((), ((),)))

    def test_what_is_missing_later_is_told(self) -> None:
        (spans,) = self.inspected(hole=(1.0, 1.1))[keys.SOUND_DROPOUT] or ((),)
        self.assertEqual(len(spans), 1)
        self.assertAlmostEqual(spans[0].end - spans[0].start, 0.1, delta=0.05)
