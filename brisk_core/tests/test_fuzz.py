"""Damaged files of every wrapper and codec that can be made here: facts or a sentence, never a crash, never a hang.

The suite reads a few; ``python -m brisk_core.tests.test_fuzz 2000`` reads more and prints what happened.
"""

import json
import random
import signal
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import TestCase

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Inspection, inspection_from_json, inspection_to_json
from brisk_core.inspect import inspect
from brisk_core.reading import Source
from brisk_core.reading.wrappers.tests.test_riff import chunk, lists, wave_format
from brisk_core.small_media import Small, make_small
from brisk_core.spec import judge, shelf_specs

LONGEST_S = 20
KINDS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("a.mp4", {"sound": "aac"}),
    ("b.mov", {"codec": "prores_ks", "pixels": "yuv422p10le"}),
    ("c.mkv", {"sound": "aac"}),
    ("d.ts", {"sound": "aac"}),
    ("e.mpg", {"codec": "mpeg2video"}),
    ("f.mxf", {"codec": "mpeg2video", "timecode": "10:00:00:00", "sound": "pcm_s24le"}),
    ("g.avi", {}),
    ("h.webm", {"codec": "libvpx-vp9"}),
    ("i.mp4", {"codec": "libx265", "options": {"x265-params": "log-level=none"}}),
    ("j.mp4", {"container_options": {"movflags": "frag_keyframe+empty_moov"}}),
    ("k.mkv", {"codec": "ffv1", "sound": "flac"}),
    ("l.webm", {"codec": "libsvtav1", "options": {"preset": "12"}, "sound": "libopus"}),
    ("m.mov", {"codec": "dnxhd", "pixels": "yuv422p", "options": {"profile": "dnxhr_lb"}, "size": (256, 128)}),
    ("n.avi", {"codec": "mjpeg", "pixels": "yuvj420p", "sound": "pcm_s16le"}),
    ("o.ts", {"codec": "libx265", "options": {"x265-params": "log-level=none"}, "sound": "ac3"}),
    ("p.mpg", {"codec": "mpeg2video", "format": "vob", "sound": "mp2"}),
    ("q.mov", {"codec": "jpeg2000"}),
    ("s.m2v", {"codec": "mpeg2video", "format": "mpeg2video"}),
    ("t.flv", {"sound": "aac", "sample_rate": 44100}),
    ("u.dv", {"codec": "dvvideo", "size": (720, 576), "frames": 4}),
    ("v.wmv", {"codec": "wmv2", "format": "asf"}),
    ("x.ivf", {"codec": "libvpx-vp9"}),
)
#: Wrappers that say how long they are, so that a file cut short can always be told.
_KNOW_THEIR_LENGTH = ("mp4", "mov", "mkv", "webm", "mxf", "avi", "wav")
_LENGTHS = (b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\0\0\0\1")


def damage(whole: bytes, chance: random.Random) -> bytes:
    """Flip, cut, insert, overwrite lengths or blank a file; mostly in its first 4 kB, where headers are."""
    data = bytearray(whole)
    reach = len(data) if chance.random() < 0.4 else min(len(data), 4096)
    how = chance.choice(("flip", "cut", "insert", "length", "blank"))
    for _ in range(chance.choice((1, 3, 10))):
        at = chance.randrange(reach)
        if how == "flip":
            data[at] ^= 1 << chance.randrange(8)
        elif how == "cut":
            return bytes(data[: chance.randrange(1, len(data))])
        elif how == "insert":
            data[at:at] = chance.randbytes(chance.randrange(1, 64))
        elif how == "length":
            data[at : at + 4] = chance.choice(_LENGTHS)
        else:
            data[at : at + 16] = bytes(16)
    return bytes(data)


def _too_long(*_: object) -> None:
    raise TimeoutError(f"reading took longer than {LONGEST_S} s")


def _is_cut(name: str, path: Path, whole: bytes) -> bool:
    """Is the file a beginning of the whole one, in a wrapper that can tell?"""
    shorter = path.stat().st_size < len(whole)
    return shorter and name.rpartition(".")[2] in _KNOW_THEIR_LENGTH and whole.startswith(path.read_bytes())


def _says_whole(found: Inspection) -> bool:
    return bool(found.best("wrapper.complete")) and found.facts["wrapper.format"].observed != "other"


def read_damaged(folder: Path, count: int, seed: int) -> Iterator[tuple[str, float]]:
    """Read ``count`` damaged files; yield "read" or "refused" and how long it took. Anything else is raised."""
    chance = random.Random(seed)
    spec = shelf_specs()["upload-wide-1080"]
    wholes = []
    for name, recipe in KINDS:
        path = make_small(folder / name, Small(**({"options": {}, "frames": 12} | recipe)))
        wholes.append((name, path.read_bytes()))
    wholes.append(("r.wav", lists(b"RIFF", b"WAVE", wave_format(), chunk(b"data", bytes(range(240)) * 300))))
    signal.signal(signal.SIGALRM, _too_long)
    for number in range(count):
        name, whole = chance.choice(wholes)
        path = folder / f"damaged-{name}"
        path.write_bytes(damage(whole, chance))
        began = time.monotonic()
        signal.alarm(LONGEST_S)
        try:
            found = inspect(Source.at(str(path))).inspection
            kept = inspection_from_json(json.loads(json.dumps(inspection_to_json(found))))
            if kept.facts != found.facts or judge(spec, kept).counts != judge(spec, found).counts:
                raise ValueError("the facts do not come back from JSON as they were")
            outcome = "read"
            if _is_cut(name, path, whole) and _says_whole(found):
                raise ValueError(f"cut to {path.stat().st_size} of {len(whole)} bytes, and said to be whole")
        except UnreadableFile as error:
            outcome = "refused" if str(error) else "refused without a word"
        except Exception as error:
            raise AssertionError(f"file {number} of seed {seed}, {name}: {type(error).__name__}: {error}") from error
        finally:
            signal.alarm(0)
        yield outcome, time.monotonic() - began


class DamagedFileTest(TestCase):
    def test_damaged_files_give_facts_or_a_sentence(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            outcomes = {outcome for outcome, _ in read_damaged(Path(folder), 250, seed=1)}
        self.assertEqual(outcomes, {"read", "refused"})


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as place:
        rows = list(read_damaged(Path(place), int(sys.argv[1]), seed=int((sys.argv[2:] or ["7"])[0])))
    counted = {outcome: sum(one == outcome for one, _ in rows) for outcome in sorted({one for one, _ in rows})}
    print(len(rows), "damaged files:", counted, f"longest {max(spent for _, spent in rows):.2f} s")
