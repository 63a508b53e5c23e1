from unittest import TestCase

from brisk_core.facts import keys
from brisk_core.reading.streams.messages import Messages
from brisk_core.reading.tests.test_headers import MediaTest


def unit(kind: int, payload: bytes) -> bytes:
    """A unit of one message (H.264, 7.3.2.3.1)."""
    return bytes([0x06, kind, len(payload)]) + payload + b"\x80"


def packing(arrangement: int, first: int = 1, *, cancel: bool = False) -> bytes:
    """frame_packing_arrangement of id 0 (D.1.26), as far as it is read."""
    bits = "1" + f"{cancel:b}" + f"{arrangement:07b}" + "0" + f"{first:06b}"
    bits = bits.ljust(-(-len(bits) // 8) * 8, "0")
    return bytes(int(bits[at : at + 8], 2) for at in range(0, len(bits), 8))


class MessagesTest(TestCase):
    def met(self, *units: bytes) -> Messages:
        found = Messages()
        for one in units:
            found.take(one, 1)
        return found

    def test_the_first_note_that_is_text_counts(self) -> None:
        identifier = bytes(range(16))
        binary = unit(5, identifier + b"\x01\x02\x03" * 9)
        note = unit(5, identifier + b"House coder 3.1\n two passes\0")
        self.assertEqual(
            self.met(binary, note, unit(5, identifier + b"another note")).note, "House coder 3.1 two passes"
        )
        self.assertIsNone(self.met(binary, unit(5, identifier + b"abc"), unit(4, identifier + b"no note here")).note)
        self.assertIsNone(self.met(unit(5, identifier + b"escape \x1b[31m codes")).note)

    def test_arrangements_of_two_views(self) -> None:
        self.assertEqual(self.met(unit(45, packing(3))).packing, "side by side, left first")
        self.assertEqual(self.met(unit(45, packing(4, 2))).packing, "top and bottom, right first")
        self.assertEqual(self.met(unit(45, packing(5, 0))).packing, "frame by frame")
        self.assertIsNone(self.met(unit(45, packing(3, cancel=True))).packing)
        self.assertIsNone(self.met(unit(45, b""), unit(45, packing(99))).packing)


class WrittenTest(MediaTest):
    def test_what_encoders_write_about_themselves_is_read_in_every_wrapper(self) -> None:
        for name, codec, options in (
            ("a.mp4", "libx264", {"preset": "ultrafast", "x264-params": "frame-packing=3"}),
            ("a.ts", "libx264", {"preset": "ultrafast", "x264-params": "frame-packing=3"}),
            ("b.mkv", "libx265", {"preset": "ultrafast", "x265-params": "log-level=none"}),
        ):
            path = self.made(name, codec=codec, options=options, frames=12)
            self.assertIn("options: ", self.said(path, keys.PICTURE_ENCODER_NOTE)[1], name)
            packed = "side by side, left first" if codec == "libx264" else None
            self.assertEqual(self.said(path, keys.PICTURE_STEREO_PACKING)[1], packed, name)
        self.assertIsNone(
            self.said(self.made("c.mov", codec="mpeg4", options={}, frames=3), keys.PICTURE_ENCODER_NOTE)[1]
        )
