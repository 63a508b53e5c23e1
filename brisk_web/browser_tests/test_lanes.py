"""Lanes of every length in rooms of every width: each is drawn, and the playhead stands where the frame is."""

import json
from fractions import Fraction
from functools import cache
from typing import Any
from unittest import mock

import numpy as np

from brisk_core.packets import PacketSeries
from brisk_core.scan import ScanSeries
from brisk_core.scan.series import BLEND, CUT, PICTURE_ROW, REPEAT, SOUND_ROW
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.checks.models import Check
from brisk_web.checks.services import open_check
from brisk_web.pages import lanes
from brisk_web.testing import spec_version

_FRAMES = (1, 2, 683, 684, 685, 750, 799, 800, 801, 200_000)
_WIDTHS = (320, 768, 1280, 2560)
_LANES = 15  # with captions, bars and buffer left out
#: Draws one answer of the server in a box, as the page does, and tells what stands there.
_DRAW = """
async ([data, width, frame]) => {
  const { Lanes } = await import(document.querySelector("script[src*='check.js']").src.replace("check.js", "lanes.js"));
  const box = document.createElement("div");
  box.className = "lanes";
  box.style.width = `${width}px`;
  document.body.append(box);
  const drawn = new Lanes(box, (at) => String(at), 25);
  drawn.addresses = { strip: "", small: "", kept: [0], shape: 16 / 9 };
  drawn.draw(JSON.parse(data), [{ start: frame, end: frame + 1 }]);
  drawn.drawHead(frame);
  const head = Number(box.querySelector(".head-line").getAttribute("x1"));
  const found = {
    room: drawn.room,
    at: drawn.frameAt(head),
    lanes: box.querySelectorAll(".lane-name").length,
    bars: box.querySelectorAll("[class^=type-]").length,
    broken: [...box.querySelectorAll("path, rect, line")].filter((one) => one.outerHTML.match(/NaN|undefined|Infinity/)).length,
  };
  box.remove();
  return found;
}
"""


@cache
def packets_of(frames: int) -> lanes.Series:
    """A series of many frames: a picture that stands alone every twelve."""
    generator = np.random.default_rng(frames)
    types = np.resize(np.frombuffer(b"IBPBPBPBPBPB", np.uint8), frames)
    sizes = generator.integers(400, 9000, frames)
    sound = (generator.integers(200, 900, frames),)
    numbers = np.arange(frames, dtype=np.int64)
    return lanes.Series(
        sizes=sizes.astype(np.int64),
        types=bytes(types),
        entries=np.flatnonzero(types == ord("I")),
        rates=generator.integers(1_000_000, 5_000_000, frames - 24) if frames > 25 else None,
        steps=np.full(frames, 40_000),
        sound=sound,
        packets=mock.Mock(spec=PacketSeries, pts=numbers),
    )


@cache
def scan_of(frames: int) -> ScanSeries:
    """A scan of as many frames, with marks of its own."""
    generator = np.random.default_rng(frames + 1)
    rows = np.zeros(frames, PICTURE_ROW)
    rows["marks"] = generator.choice([0, 0, 0, REPEAT, BLEND, CUT], frames)
    rows["moment"] = generator.integers(0, 3, frames)
    rows["low"], rows["high"] = 16, generator.integers(100, 236, frames)
    rows["change"], rows["blocks"] = generator.random(frames) * 8, 1 + generator.random(frames)
    sound = np.zeros(max(1, frames // 3), SOUND_ROW)
    sound["momentary"], sound["phase"] = -23, generator.random(len(sound))
    return ScanSeries(pictures=rows, sounds=(sound,), starts=(0.0,))


class LanesTest(BrowserTestCase):
    def window(self, check: Check, start: int, end: int, frames: int, width: int) -> dict[str, Any]:
        """What the server answers for a window of a file of many frames."""
        with (
            mock.patch("brisk_web.pages.lanes.series_of", return_value=packets_of(frames)),
            mock.patch("brisk_web.pages.scan_lanes.scan_of", return_value=scan_of(frames)),
        ):
            found = lanes.window(check, start, end, width)
        assert found is not None
        return found

    def test_each_length_in_each_room_whole_and_in_part(self) -> None:
        opened = open_check(self.media(frames=30), spec_version())
        self.work()
        check = Check.objects.get(pk=opened.pk)
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/checks/{opened.pk}/")
        self.page.locator(".lanes svg .head-line").wait_for(state="attached")
        for frames in _FRAMES:
            for width in _WIDTHS:
                for start, end in {(0, frames), (frames // 3, frames // 3 + max(1, frames // 5))}:
                    frame = start + (end - start) * 4 // 5
                    room = max(width, 300) - 92
                    data = self.window(check, start, end, frames, room)
                    found = self.page.evaluate(_DRAW, [json.dumps(data), width, frame])
                    with self.subTest(frames=frames, width=width, start=start, end=end):
                        self.assertEqual((found["room"], found["broken"]), (room, 0))
                        self.assertLessEqual(abs(found["at"] - frame), max(1, Fraction(end - start, room)))
                        self.assertGreaterEqual(found["lanes"], _LANES - (2 if frames < 30 else 0))
                        pictures = min(end - start, room)
                        self.assertEqual(found["bars"], pictures if end - start <= 800 else 1)
