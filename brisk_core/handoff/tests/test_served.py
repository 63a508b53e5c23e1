"""What a site says is read with care, and copies are judged by it and by what was signed."""

from __future__ import annotations

from fractions import Fraction
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import ValueRefused
from brisk_core.facts import Held, keys
from brisk_core.handoff import Told, judge_copy, read_item, says_of, usual_wait
from brisk_core.plan.settings import planned_inspection

ITEM: dict[str, Any] = {
    "state": "making copies", "reasons": [], "sha256": "ab", "lines": [{"kbps": 800, "copy": "360p"}, {"kbps": 100, "copy": None}],
    "copies": [
        {"label": "360p", "state": "ready", "width": 640, "height": 360, "rate": "25", "codec": "h264", "bit_rate": 700_000,
         "bytes": 1000, "ready_at": 1_790_000_000.5, "address": "/copies/a/360p.mp4"},
        {"label": "1080p", "state": "waits"},
    ],
}  # fmt: skip
_ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from([*ITEM, *ITEM["copies"][0], "kbps", "copy"]), inner, max_size=6),
    max_leaves=20,
)  # fmt: skip


class ItemTest(TestCase):
    def test_what_a_site_says(self) -> None:
        item = read_item(ITEM)
        first, last = item.copies
        self.assertEqual(
            (first.size, first.rate, first.codec, first.is_ready), ((640, 360), Fraction(25), "h264", True)
        )
        self.assertEqual((last.size, last.is_ready, item.largest), (None, False, last))
        self.assertEqual(item.lines, ((800, "360p"), (100, None)))
        done = read_item(ITEM | {"copies": ITEM["copies"][:1]})
        self.assertEqual(done.largest, done.copies[0])

    def test_what_cannot_be_understood_is_refused(self) -> None:
        twice = [{"label": "a"}, {"label": "a"}]
        for wrong in (
            None, [], {}, ITEM | {"state": "sleeping"}, ITEM | {"copies": None}, ITEM | {"copies": [{}] * 41},
            ITEM | {"copies": [{"label": "../../etc"}]}, ITEM | {"copies": ["360p"]}, ITEM | {"copies": twice},
        ):  # fmt: skip
            with self.assertRaises(ValueRefused):
                read_item(wrong)

    def test_fields_that_are_nonsense_are_not_known(self) -> None:
        told = {
            "label": "a",
            "width": -1,
            "height": True,
            "rate": "fast",
            "bit_rate": 1 << 60,
            "bytes": "many",
            "ready_at": float("nan"),
        }
        copy = read_item(ITEM | {"copies": [told], "lines": "none", "reasons": ["a\x1b[31m" * 100]}).copies[0]
        self.assertEqual((copy.size, copy.rate, copy.bit_rate, copy.weight, copy.ready_at), (None,) * 5)

    @given(_ANYTHING)
    def test_nothing_breaks_it(self, document: Any) -> None:
        for wrong in (document, ITEM | {"copies": document}, ITEM | {"lines": document, "reasons": document}):
            try:
                read_item(wrong)
            except ValueRefused:
                continue

    def test_the_usual_wait_is_the_middle_of_the_last_three(self) -> None:
        self.assertEqual([usual_wait(one) for one in ([], [5.0], [9.0, 1.0, 4.0, 100.0])], [None, 5.0, 4.0])


class JudgingTest(TestCase):
    def held(self, **others: Held) -> dict[str, Held]:
        right = Held(right=True, required="as the master", found="as the master")
        names = (
            keys.MASTER_MAP,
            keys.MASTER_GEOMETRY,
            keys.MASTER_LEVEL_CURVE,
            keys.MASTER_SIMILARITY,
            keys.MASTER_SOUND,
        )
        return {key.id: others.get(key.id.partition(".")[2], right) for key in names}

    def outcomes(
        self, told: Told, held: dict[str, Held], *, rate: Fraction = Fraction(25), signed: Fraction = Fraction(25)
    ) -> dict[str, str]:
        """The outcome of each line, by its label."""
        own = planned_inspection(picture_size=(640, 360), picture_frame_rate=rate, picture_codec="avc")
        check = judge_copy(told, own, held, planned_inspection(picture_frame_rate=signed))
        self.assertIn(": ", says_of(check))  # nobody has read this copy, so it does not pass
        return {finding.line.label: finding.outcome.value for finding in check.findings}

    def curve(self, gain: float, offset: float, *, clipped: bool = False) -> Held:
        document = {"gain": gain, "offset": offset, "clipped_low": clipped, "clipped_high": False}
        return Held(right=False, required="gain 1, offset 0", found="other", document=document)

    def test_as_told_and_as_signed(self) -> None:
        told = Told(label="360p", is_ready=True, size=(640, 360), rate=Fraction(25), codec="H.264")
        found = self.outcomes(told, self.held())
        asked = (
            "Size as told",
            "Frame rate as told",
            "Codec as told",
            "Every picture",
            "Frame for frame",
            "Same sound",
        )
        self.assertEqual([found[label] for label in asked], ["pass"] * len(asked))
        self.assertNotIn("Codec as told", self.outcomes(Told(label="x", is_ready=True, codec="no such"), self.held()))
        found = self.outcomes(Told(label="x", is_ready=True, size=(1280, 720)), self.held(), signed=Fraction(50))
        self.assertEqual((found["Size as told"], found["Every picture"]), ("caution", "caution"))

    def test_small_steps_of_the_levels_are_the_coding_and_others_are_not(self) -> None:
        told = Told(label="x", is_ready=True)
        for curve, outcome in (
            (self.curve(0.984, 1.9), "caution"),
            (self.curve(0.984, 1.9, clipped=True), "fail"),
            (self.curve(219 / 255, 16), "fail"),
            (self.curve(1.0, 5.0), "fail"),
        ):
            self.assertEqual(self.outcomes(told, self.held(level_curve=curve))["Same levels"], outcome)

    def test_what_was_not_compared_is_never_right(self) -> None:
        told = Told(label="x", is_ready=True, size=(640, 360))
        self.assertEqual(self.outcomes(told, {})["Frame for frame"], "not measured")
        unheard = Held(right=None, required="as the master", found="it has no sound")
        self.assertEqual(self.outcomes(told, self.held(sound=unheard))["Same sound"], "not measured")
