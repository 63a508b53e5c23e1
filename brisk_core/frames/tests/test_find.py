import tempfile
from pathlib import Path
from unittest import TestCase

import av
import numpy as np
from PIL import Image

from brisk_core.errors import UnreadableFile
from brisk_core.frames import frame_path, write_frames
from brisk_core.inspect import inspect
from brisk_core.reading import Source
from brisk_core.small_media import Small, make_small


class FrameTest(TestCase):
    """Every frame that is written is the frame that decoding from the start gives at that place."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def compare(self, name: str, numbers: tuple[int, ...], **recipe: object) -> None:
        path = make_small(self.folder / name, Small(frames=60, **recipe))  # type: ignore[arg-type]
        series = self.folder / "series.npz"
        inspect(Source.at(str(path)), series_path=series)
        with av.open(str(path)) as container:
            decoded = [frame.to_ndarray(format="rgb24").astype(int) for frame in container.decode(video=0)]
        for number in numbers:
            written = write_frames(Source.at(str(path)), series, self.folder / "out", number, 2, 1920)
            self.assertEqual(written[0], number)
            picture = np.asarray(Image.open(frame_path(self.folder / "out", number))).astype(int)
            distances = [abs(picture - other).mean() for other in decoded]
            self.assertEqual(int(np.argmin(distances)), number, name)

    def test_open_and_closed_groups_with_reordering(self) -> None:
        self.compare("a.mp4", (0, 1, 19, 20, 21, 59), options={"x264-params": "keyint=20:bframes=3:scenecut=0"})
        self.compare("a.mkv", (0, 23, 24, 59), options={"x264-params": "keyint=12:open-gop=1:bframes=2:scenecut=0"})

    def test_frames_that_no_other_is_made_from_are_found_among_those_left_out(self) -> None:
        few = (1, 7, 22, 23, 38, 58)
        self.compare("b.mp4", few, options={"x264-params": "keyint=60:bframes=5:b-pyramid=normal:b-adapt=0:scenecut=0"})
        self.compare("c.mp4", few, codec="libx265", options={"x265-params": "keyint=30:bframes=4:log-level=error"})
        self.compare("d.mp4", few, options={"x264-params": "interlaced=1:keyint=30:bframes=3:b-adapt=0"})

    def test_mpeg2_in_mxf_and_transport_stream(self) -> None:
        for name in ("a.mxf", "a.ts"):
            self.compare(name, (0, 11, 12, 13, 50), codec="mpeg2video", options={"g": "12", "bf": "2", "b": "4000000"})

    def test_wrappers_that_give_times_in_the_order_of_decoding_alone(self) -> None:
        closed = "keyint=12:bframes=3:scenecut=0:b-adapt=0"
        for params in (closed, f"{closed}:open-gop=1"):
            for name in ("untimed.avi", "untimed.mxf"):
                self.compare(name, (0, 2, 3, 9, 11, 12, 14, 59), options={"x264-params": params})

    def test_wide_pictures_are_scaled_down(self) -> None:
        path = make_small(self.folder / "a.mp4", Small(size=(640, 360), frames=5))
        inspect(Source.at(str(path)), series_path=self.folder / "s.npz")
        write_frames(Source.at(str(path)), self.folder / "s.npz", self.folder / "out", 0, 1, 320)
        self.assertEqual(Image.open(frame_path(self.folder / "out", 0)).size, (320, 180))

    def test_a_frame_beyond_the_end(self) -> None:
        path = make_small(self.folder / "a.mp4", Small(frames=5))
        inspect(Source.at(str(path)), series_path=self.folder / "s.npz")
        with self.assertRaisesRegex(UnreadableFile, "there is no frame 5; the file has 5 frames"):
            write_frames(Source.at(str(path)), self.folder / "s.npz", self.folder / "out", 5, 1, 320)
