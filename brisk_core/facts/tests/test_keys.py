import ast
from fractions import Fraction
from pathlib import Path
from typing import Any, get_args, get_type_hints
from unittest import TestCase

from brisk_core.exact import Timecode
from brisk_core.facts import REGISTRY, Depth, FactsBuilder, Kind, Witness, keys
from brisk_core.facts.kinds import CaptionTrack, Chapter, Span, TimeSpan, Track

_HINTS: dict[str, Any] = {
    name: hint for name, hint in get_type_hints(keys).items() if isinstance(getattr(keys, name, None), keys.Key)
}
_ROOT = Path(__file__).parents[3]
#: Where a characteristic is said by its id: where it is registered, in specs, and in changes of old databases.
_BY_ID = ("brisk_core/facts/registry/", "brisk_core/facts/keys.py", "/migrations/", "/tests/", "/browser_tests/")
_TYPES: dict[Kind, Any] = {
    Kind.TEXT: str, Kind.CHOICE: str, Kind.FLAG: bool, Kind.COUNT: int, Kind.NUMBER: float, Kind.BYTES: int,
    Kind.BIT_RATE: int, Kind.RATE: Fraction, Kind.RATIO: Fraction, Kind.SECONDS: Fraction, Kind.SIZE: tuple[int, int],
    Kind.AREA: tuple[int, int, int, int], Kind.TIMECODE: Timecode, Kind.TEXTS: tuple[str, ...],
    Kind.TRACKS: tuple[Track, ...], Kind.CAPTIONS: tuple[CaptionTrack, ...], Kind.CHAPTERS: tuple[Chapter, ...],
    Kind.SPANS: tuple[Span, ...], Kind.TIMES: tuple[TimeSpan, ...],
}  # fmt: skip


class KeysTest(TestCase):
    def test_code_says_a_characteristic_by_its_key(self) -> None:
        files = [file for package in ("brisk_core", "brisk_web") for file in (_ROOT / package).rglob("*.py")]
        self.assertGreater(len(files), 300)
        met = [
            f"{file.relative_to(_ROOT)}:{node.lineno} {node.value}"
            for file in files
            if not any(place in str(file) for place in _BY_ID)
            for node in ast.walk(ast.parse(file.read_text()))
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value in REGISTRY
        ]
        self.assertEqual(met, [], "say keys.NAME, or keys.NAME.id where text is wanted")

    def test_every_characteristic_has_one_key_of_its_name(self) -> None:
        named = {name: getattr(keys, name).id for name in _HINTS}
        self.assertEqual(sorted(named.values()), sorted(REGISTRY))
        for name, id_ in named.items():
            self.assertEqual(name, id_.upper().replace(".", "_"))

    def test_every_key_has_the_type_of_its_kind(self) -> None:
        for name, hint in _HINTS.items():
            characteristic = REGISTRY[getattr(keys, name).id]
            if characteristic.kind is Kind.OBJECT:
                continue
            (said,) = get_args(hint)
            wanted = _TYPES[characteristic.kind]
            if characteristic.kind is Kind.CHOICE and said is not str:
                self.assertEqual(tuple(said), characteristic.choices, name)  # a closed set that has its own type
                continue
            if characteristic.per_track:
                several = characteristic.kind in (Kind.SPANS, Kind.TIMES)
                wanted = tuple[wanted, ...] if several else tuple[wanted | None, ...]
            self.assertEqual(said, wanted, name)

    def test_a_key_gives_what_the_strongest_witness_says(self) -> None:
        builder = FactsBuilder()
        builder.say(Witness.DECLARED, keys.PICTURE_FRAME_RATE, Fraction(24))
        builder.say(Witness.OBSERVED, keys.PICTURE_FRAME_RATE, Fraction(25))
        found = builder.finish(file_name="a.mp4", file_size=1, depth=Depth.PACKETS)
        self.assertEqual(found[keys.PICTURE_FRAME_RATE], Fraction(25))
        self.assertEqual(found.witnessed(keys.PICTURE_FRAME_RATE).declared, Fraction(24))
        self.assertIsNone(found[keys.PICTURE_SIZE])
