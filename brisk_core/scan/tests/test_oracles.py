"""The meters beside independent ones: the decoding library's own filters, on the same files."""

import re
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import numpy as np

from brisk_core.meters.tests.drawn import moment, weave
from brisk_core.meters.tests.test_sound import tone
from brisk_core.scan.tests.encoded import CODINGS, inspected, write


def filtered(path: Path, name: str, options: str, kind: str = "video") -> list[dict[str, str]]:
    """The metadata that a filter leaves on each frame."""
    found = []
    with av.open(str(path)) as container:
        stream: Any = getattr(container.streams, kind)[0]
        graph: Any = av.filter.Graph()
        if kind == "video":
            source = graph.add_buffer(template=stream)
            sink = graph.add("buffersink")
        else:
            source = graph.add_abuffer(template=stream)
            sink = graph.add("abuffersink")
        middle = graph.add(name, options)
        source.link_to(middle)
        middle.link_to(sink)
        graph.configure()
        for frame in container.decode(stream):
            graph.push(frame)
            while True:
                try:
                    found.append(dict(graph.pull().metadata))
                except (av.error.BlockingIOError, av.error.EOFError):
                    break
    return found


class OracleTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_fields_agree_with_the_librarys_own_detector(self) -> None:
        cases = {
            "progressive": [moment(at, grain=1) for at in range(40)],
            "tff": [weave(moment(at, grain=1), moment(at + 0.5, grain=1)) for at in range(40)],
            "bff": [weave(moment(at + 0.5, grain=1), moment(at, grain=1)) for at in range(40)],
        }
        for wanted, planes in cases.items():
            path = write(self.folder / wanted, planes, CODINGS["ffv1"])
            said = filtered(path, "idet", "")[-1]["lavfi.idet.multiple.current_frame"]
            self.assertEqual(said, wanted)
            found = inspected(path)
            mine = found.facts["picture.scan"].observed, found.facts["picture.field_order"].observed
            self.assertEqual(
                mine,
                {"progressive": ("progressive", None), "tff": ("interlaced", "top"), "bff": ("interlaced", "bottom")}[
                    wanted
                ],
            )

    def test_black_and_freeze_agree_to_the_frame(self) -> None:
        planes = [moment(at, grain=1) for at in range(80)]
        planes[20:30] = [np.full_like(planes[0], 16)] * 10
        planes[45:65] = [planes[45]] * 20
        path = write(self.folder / "a", planes, CODINGS["ffv1"])
        found = inspected(path)
        marks = filtered(path, "blackdetect", "d=0.1:pix_th=0.02")
        start = next(float(one["lavfi.black_start"]) for one in marks if "lavfi.black_start" in one)
        end = next(float(one["lavfi.black_end"]) for one in marks if "lavfi.black_end" in one)
        black = found.best("content.black")[0]
        self.assertEqual((black.start, black.end), (round(start * 25), round(end * 25)))
        marks = filtered(path, "freezedetect", "n=0.001:d=0.5")
        start = next(
            float(one["lavfi.freezedetect.freeze_start"]) for one in marks if "lavfi.freezedetect.freeze_start" in one
        )
        end = next(
            float(one["lavfi.freezedetect.freeze_end"]) for one in marks if "lavfi.freezedetect.freeze_end" in one
        )
        freeze = found.best("content.freeze")[0]
        self.assertEqual((freeze.start, freeze.end), (round(start * 25), round(end * 25)))

    def test_loudness_and_true_peak_agree_within_a_tenth(self) -> None:
        random = np.random.default_rng(5)
        speech = random.normal(0, 0.08, (2, 48000 * 12)) * np.repeat(random.uniform(0.1, 1, 24), 24000)
        sound = (speech + tone(-24, 12, 220)).astype(np.float32)
        path = write(self.folder / "a", [moment(at) for at in range(300)], CODINGS["ffv1"], sound)
        said = filtered(path, "ebur128", "metadata=1:peak=true", "audio")[-1]
        found = inspected(path)
        self.assertAlmostEqual(found.best("sound.loudness")[0], float(said["lavfi.r128.I"]), delta=0.1)
        self.assertAlmostEqual(found.best("sound.loudness_range")[0], float(said["lavfi.r128.LRA"]), delta=0.5)
        peak = max(float(value) for key, value in said.items() if re.search(r"true_peaks_ch\d", key))
        self.assertAlmostEqual(found.best("sound.true_peak")[0], 20 * np.log10(peak), delta=0.3)

    def test_levels_agree_with_the_librarys_statistics(self) -> None:
        path = write(self.folder / "a", [moment(at, grain=4) for at in range(20)], CODINGS["ffv1"])
        said = filtered(path, "signalstats", "")
        found = inspected(path).best("content.levels")
        self.assertEqual(found["min"], min(int(float(one["lavfi.signalstats.YMIN"])) for one in said))
        self.assertEqual(found["max"], max(int(float(one["lavfi.signalstats.YMAX"])) for one in said))
