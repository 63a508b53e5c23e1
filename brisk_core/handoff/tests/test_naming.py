from datetime import date
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import ValueRefused
from brisk_core.handoff import NameRule

VALUES = {
    "title": "The Lamplighters’ Canal", "deliverable": "Wide", "size": "1920x1080", "height": 1080, "rate": "25", "scan": "p",
    "language": "EN", "date": date(2026, 11, 28), "attempt": 3,
}  # fmt: skip
RULE = "{title}_{deliverable}_{size}_{rate}{scan}_{language}_{date:%Y%m%d}_V{attempt:2}"


class BuildTest(TestCase):
    def test_a_name_is_built_from_what_is_known(self) -> None:
        for rule, name in (
            (NameRule(text=RULE), "The_Lamplighters_Canal_Wide_1920x1080_25p_EN_20261128_V03.mp4"),
            (NameRule(text="{title}-{attempt}", case="upper", allowed="A-Za-z0-9’ -"), "THE LAMPLIGHTERS’ CANAL-3.MP4"),
            (NameRule(text="{height}{scan}{rate}_{date:%d-%m-%Y}"), "1080p25_28-11-2026.mp4"),
            (NameRule(text="FIXED", case="lower"), "fixed.mp4"),
        ):
            self.assertEqual(rule.build(VALUES, ".mp4").lower(), name.lower())
            self.assertEqual(rule.differences(rule.build(VALUES, ".mp4"), VALUES, ".mp4"), [])

    def test_what_cannot_be_built_is_said(self) -> None:
        for rule, says in (
            (NameRule(text="{codec}_{range}"), "not known: codec, range"),
            (NameRule(text=RULE, longest=40), "more than the 40 allowed"),
            (NameRule(text="{title}", allowed="0-9"), "nothing is left"),
            (NameRule(text="con", case="lower"), "keep for themselves"),
        ):
            with self.assertRaisesRegex(ValueRefused, says):
                rule.build(VALUES, ".mp4")

    def test_mistakes_of_a_rule_are_told_together(self) -> None:
        for text, more, says in (
            ("{titel}_{date:%Q}_{attempt:0}", {}, r"\{titel\}.*%Q.*met '0' as digits"),
            ("a/b", {}, "slashes"),
            ("{title", {}, "brace"),
            ("{}", {}, r"the field \{\}"),
            ("{size:4}", {}, "takes no form"),
            (" ", {}, "cannot be empty"),
            ("a", {"allowed": "[]"}, "allowed signs"),
            ("a", {"allowed": ""}, "allowed signs"),
            ("a", {"allowed": "a/b"}, "allowed signs"),
            ("a", {"case": "Title", "longest": 999, "allowed": "z-a"}, "as case.*as the longest.*allowed signs"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ValueRefused, says):
                NameRule(text=text, **more)  # type: ignore[arg-type]

    @given(st.text(max_size=60))
    def test_whatever_a_title_holds_no_name_leaves_its_folder(self, title: str) -> None:
        try:
            name = NameRule(text="{title}_V{attempt:2}").build(VALUES | {"title": title}, ".mp4")
        except ValueRefused:
            return
        self.assertRegex(name, r"\A[A-Za-z0-9._-]+_V03\.mp4\Z")


class DifferenceTest(TestCase):
    def test_the_fields_that_differ_are_named(self) -> None:
        rule = NameRule(text="CANAL_{size}_{rate}{scan}_V{attempt:2}")
        for name, said in (
            ("CANAL_1920x1080_25p_V03.mp4", []),
            ("CANAL_1280x720_25i_V03.mp4", ["size: met 1280x720, expected 1920x1080", "scan: met i, expected p"]),
            ("CANAL_1920x1080_25p_V3.mp4", ["attempt: met 3, expected 03"]),
            ("canal_1920x1080_25p_V03.mp4", ["met canal_1920x1080_25p_V03.mp4; expected CANAL_1920x1080_25p_V03.mp4"]),
            ("CANAL_1920x1080_25p_V03.mov", ["met CANAL_1920x1080_25p_V03.mov; expected CANAL_1920x1080_25p_V03.mp4"]),
            ("other", ["met other; expected CANAL_1920x1080_25p_V03.mp4"]),
        ):
            self.assertEqual(rule.differences(name, VALUES, ".mp4"), said)
