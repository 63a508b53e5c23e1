"""Captions beside a file held against those inside it."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

from brisk_core.captions.document import Caption, CaptionDocument
from brisk_core.captions.placing import Programme
from brisk_core.captions.rules import hold_captions
from brisk_core.captions.ruling import Captioned
from brisk_core.facts import Held, keys

PROGRAMME = Programme(rate=Fraction(25), frames=2500, start=None)
TEXTS = (
    "The lock opens at dawn.",
    "Who keeps the lamps?\nNobody, since autumn.",
    "Über die Brücke!",
    "♪ (bells) ♪",
    "Twelve lamps, and no keeper.",
    "Then we walk.",
)
Said = tuple[float, float, str]
FILE: list[Said] = [(2.0 + 4 * at, 5.0 + 4 * at, text) for at, text in enumerate(TEXTS)]


def document(said: list[Said], name: str = "canal.srt", *, embedded: bool = False) -> CaptionDocument:
    captions = tuple(
        Caption(
            start=Fraction(start).limit_denominator(1000),
            end=Fraction(end).limit_denominator(1000),
            lines=tuple(text.split("\n")),
            place=number + 1,
        )
        for number, (start, end, text) in enumerate(said)
    )
    return CaptionDocument(name=name, format="SRT", captions=captions, embedded=embedded)


def held(*documents: CaptionDocument) -> Held:
    return hold_captions(Captioned(documents=documents), PROGRAMME)[keys.TEXT_AGREEMENT.id]


class AgreementTest(TestCase):
    def against(self, inside: list[Said]) -> list[str]:
        return [one.says for one in held(document(FILE), document(inside, "CC1", embedded=True)).sentences]

    def test_the_same_in_capitals_without_accents_and_a_little_late_agrees(self) -> None:
        plain = [text.upper().replace("Ü", "U").replace("♪", "#") for text in TEXTS]
        for late in (-0.4, 0.0, 0.12, 0.4):
            inside = [(start + late, end + late, text) for (start, end, _), text in zip(FILE, plain, strict=True)]
            self.assertEqual(self.against(inside), [], late)

    def test_other_pieces_of_the_same_text_agree(self) -> None:
        halves = [*FILE[:1], (6.0, 7.5, "Who keeps the lamps?"), (7.5, 9.0, "Nobody, since autumn."), *FILE[2:]]
        self.assertEqual(self.against(halves), [])
        joined = [*FILE[:4], (18.0, 25.0, "Twelve lamps, and no keeper. Then we walk.")]
        self.assertEqual(self.against(joined), [])

    def test_missing_added_and_changed_words_are_named_by_both(self) -> None:
        self.assertEqual(
            self.against([*FILE[:2], *FILE[3:]]), ["canal.srt, line 3: is missing in CC1: “Über die Brücke!”"]
        )
        added = [*FILE[:3], (13.0, 13.8, "Hush."), *FILE[3:]]
        self.assertEqual(self.against(added), ["CC1, line 4: is not in canal.srt: “Hush.”"])
        changed = [*FILE[:4], (18.0, 21.0, "Ten lamps, and no keeper."), FILE[5]]
        self.assertEqual(
            self.against(changed),
            ["canal.srt, line 5: “Twelve lamps, and no keeper.” is “Ten lamps, and no keeper.” in CC1."],
        )

    def test_all_late_is_one_sentence_and_one_late_is_another(self) -> None:
        late = [(start + 1.2, end + 1.2, text) for start, end, text in FILE]
        self.assertEqual(self.against(late), ["All captions of CC1 come 1.20 s later than in canal.srt."])
        one = [*FILE[:2], (9.2, 12.0, TEXTS[2]), *FILE[3:]]
        self.assertEqual(self.against(one), ["canal.srt, line 3: comes 0.80 s earlier in CC1."])

    def test_a_missing_caption_beside_a_shift_of_all_is_told_apart(self) -> None:
        late = [(start - 2, end - 2, text) for start, end, text in FILE if text != TEXTS[4]]
        self.assertEqual(
            self.against(late),
            [
                "All captions of CC1 come 2.00 s earlier than in canal.srt.",
                "canal.srt, line 5: is missing in CC1: “Twelve lamps, and no keeper.”",
            ],
        )

    def test_the_track_of_the_same_text_is_taken_and_another_language_is_not_judged(self) -> None:
        french = [(start, end, f"Les mots français numéro {at}") for at, (start, end, _) in enumerate(FILE)]
        other = document(french, "CC3", embedded=True)
        found = held(document(FILE), other)
        self.assertEqual((found.right, found.asked), (None, False))
        found = held(document(FILE), other, document(FILE, "CC1", embedded=True))
        self.assertTrue(found.right)

    def test_one_kind_alone_and_pictures_say_nothing(self) -> None:
        pictured = replace(document(FILE, "track 3", embedded=True), pictured=True)
        for documents in ((document(FILE),), (document(FILE, embedded=True),), (document(FILE), pictured)):
            found = held(*documents)
            self.assertEqual((found.right, found.asked), (None, False))

    def test_another_text_in_the_same_language_is_not_judged(self) -> None:
        words = ("the", "lamp", "and", "is", "not", "a", "to", "of", "lock", "we", "it", "in")
        texts = [
            [" ".join(words[(at * 5 + turn * step) % 12] for turn in range(6)) for at in range(40)] for step in (1, 7)
        ]
        one, other = ([(2.0 * at, 2.0 * at + 1, text) for at, text in enumerate(each)] for each in texts)
        self.assertIsNone(held(document(one), document(other, "CC1", embedded=True)).right)
        self.assertTrue(held(document(one), document(one, "CC1", embedded=True)).right)

    def test_texts_that_come_over_and_over_are_held_in_bounds(self) -> None:
        many = [(2.0 * at, 2.0 * at + 1, "La la la.") for at in range(3000)]
        self.assertTrue(held(document(many), document(many, "CC1", embedded=True)).right)
        other = [*many[:2000], (4000.0, 4001.0, "No."), *many[2001:]]
        (told,) = held(document(many), document(other, "CC1", embedded=True)).sentences
        self.assertIn("“La la la.” is “No.”", told.says)
