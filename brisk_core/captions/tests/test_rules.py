from collections.abc import Mapping, Sequence
from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

import numpy as np

from brisk_core.captions import (
    Burned,
    Captioned,
    Evidence,
    Programme,
    evidence_of,
    hold_captions,
    place,
    read_captions,
)
from brisk_core.captions.document import CaptionDocument, Clock
from brisk_core.captions.placing import label_seconds, origin_of, programme_of, timing_of
from brisk_core.captions.rules import characters, list_captions, reading_speed
from brisk_core.captions.tests.test_readers import make_scc, make_stl
from brisk_core.exact import Timecode
from brisk_core.facts import Depth, FactsBuilder, Held, keys
from brisk_core.scan import ScanSeries
from brisk_core.scan.series import CUT, PICTURE_ROW, SOUND_ROW

PROGRAMME = Programme(rate=Fraction(25), frames=1500, start=Timecode.parse("10:00:00:00", Fraction(25)))


def stamp(seconds: float) -> str:
    thousandths = round(seconds * 1000)
    whole, rest = divmod(thousandths, 1000)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02},{rest:03}"


def subrip(rows: Sequence[tuple[float, float, str]], name: str = "film.srt") -> CaptionDocument:
    """Every caption takes four lines, so that the times of caption n stand on line 4 n - 2."""
    text = "".join(
        f"{number}\n{stamp(start)} --> {stamp(end)}\n{words}\n\n" for number, (start, end, words) in enumerate(rows, 1)
    )
    return read_captions(text.encode(), name)


def held(
    *documents: CaptionDocument,
    programme: Programme = PROGRAMME,
    evidence: Evidence | None = None,
    limits: Mapping[str, Fraction] | None = None,
) -> dict[str, Held]:
    return hold_captions(Captioned(documents=documents, evidence=evidence), programme, limits)


def faults(found: Mapping[str, Held]) -> set[str]:
    return {id_ for id_, one in found.items() if one.right is False}


GOOD = [(1.0, 3.0, "The lamps go out"), (4.0, 6.0, "one by one,"), (6.0, 8.0, "and nobody counts them.")]


class RulesTest(TestCase):
    def told(self, id_: str, rows: Sequence[tuple[float, float, str]], limit: int | None = None) -> list[str]:
        found = held(subrip(rows), limits={id_: Fraction(limit)} if limit else None)
        self.assertEqual(faults(found), {id_})
        return [one.says for one in found[id_].sentences]

    def test_good_captions_are_silent(self) -> None:
        self.assertEqual(faults(held(subrip(GOOD))), set())

    def test_overlap_names_both_lines(self) -> None:
        told = self.told("text.overlap", [*GOOD, (7.52, 9.0, "Who is there?")])
        self.assertEqual(told, ["Line 14: stands over that of line 10 for 0.48 s."])

    def test_captions_at_two_places_may_stand_together(self) -> None:
        rows = [*GOOD, (7.0, 9.0, "{\\an8}Who is there?")]
        self.assertEqual(faults(held(subrip(rows))), set())

    def test_a_long_caption_under_two_short_ones_overlaps_both(self) -> None:
        told = self.told("text.overlap", [(1, 9, "A long one"), (2, 3, "short"), (5, 6, "short")])
        self.assertEqual([one[:7] for one in told], ["Line 6:", "Line 10"])

    def test_short_gaps_are_told_and_touching_captions_are_not(self) -> None:
        told = self.told("text.gap", [*GOOD, (8.04, 9.5, "Who is there?")])
        self.assertEqual(told, ["Line 14: comes 1 frame after the one before it: it flickers."])

    def test_a_gap_of_exactly_the_limit_is_right_and_one_frame_less_is_not(self) -> None:
        for limit in (2, 3, 5):
            limits = {"text.gap": Fraction(limit)}
            right = [*GOOD, (8 + limit / 25, 9.5, "Who is there?")]
            self.assertEqual(faults(held(subrip(right), limits=limits)), set(), limit)
            told = self.told("text.gap", [*GOOD, (8 + (limit - 1) / 25, 9.5, "Who is there?")], limit)
            self.assertIn(f"comes {limit - 1} frame", told[0])

    def test_lines_of_exactly_the_limit_are_right(self) -> None:
        for id_, text, limit in (("text.line_count", "one\ntwo\nthree", 3), ("text.line_length", "x" * 30, 30)):
            rows = [(1.0, 9.0, text)]
            self.assertEqual(faults(held(subrip(rows), limits={id_: Fraction(limit)})) & {id_}, set())
            self.assertEqual(faults(held(subrip(rows), limits={id_: Fraction(limit - 1)})) & {id_}, {id_})

    def test_a_programme_lasts_as_long_as_its_frames(self) -> None:
        self.assertEqual(PROGRAMME.duration, 60)

    def test_times_between_frames_go_to_the_nearest(self) -> None:
        rows = [(1.03, 2.01, "late"), (3.01, 4.03, "early")]  # frames 25.75 to 50.25, 75.25 to 100.75
        self.assertEqual([(one.start, one.end) for one in place(subrip(rows), PROGRAMME)], [(26, 50), (75, 101)])

    def test_reading_speed_by_the_limit_asked(self) -> None:
        rows = [*GOOD, (9.0, 10.0, "Twenty-one characters")]
        self.assertEqual(self.told("text.reading_speed", rows), ["Line 14: 21 characters in 1.00 s, 21.0 a second."])
        found = held(subrip(rows), limits={"text.reading_speed": Fraction(25)})
        self.assertEqual(faults(found), set())
        self.assertEqual(found["text.reading_speed"].required, "at most 25 characters a second")

    def test_marks_on_letters_do_not_count_and_wide_signs_count_twice(self) -> None:
        self.assertEqual(faults(held(subrip([(1, 2, "e\u0301" * 20)]))), set())
        told = self.told("text.line_length", [(1, 4, "運" * 22)])
        self.assertIn("a line of 44 characters", told[0])

    def test_line_length_and_count(self) -> None:
        told = self.told("text.line_length", [(1, 6, "a line " * 7)])
        self.assertIn("a line of 48 characters", told[0])
        told = self.told("text.line_count", [(1, 6, "one\ntwo\nthree")])
        self.assertEqual(told, ["Line 2: 3 lines at once."])

    def test_out_of_range_on_both_sides(self) -> None:
        told = self.told("text.out_of_range", [*GOOD, (59.0, 61.6, "Still here"), (70, 72, "Too late")])
        self.assertEqual(
            told,
            [
                "Line 14: stands until 1.60 s after the programme's end.",
                "Line 18: begins 10.00 s after the programme's end.",
            ],
        )
        stl = read_captions(
            make_stl(((9, 59, 58, 0), (9, 59, 59, 0), b"Early"), ((10, 0, 1, 0), (10, 0, 2, 0), b"Right")), "f.stl"
        )
        found = held(stl)
        self.assertEqual(
            found["text.out_of_range"].sentences[0].says, "Block 1: begins 2.00 s before the programme does."
        )

    def test_a_caption_may_stand_for_one_frame_after_the_end(self) -> None:
        self.assertEqual(faults(held(subrip([*GOOD, (59.0, 60.04, "To the last")]))), set())
        self.assertEqual(len(self.told("text.out_of_range", [*GOOD, (59.0, 60.08, "Beyond it")])), 1)

    def test_rows_stand_in_the_order_of_time_with_what_is_wrong_of_each(self) -> None:
        one, other = subrip([(20, 22, "Third"), (1, 2, "First")]), subrip([(4, 61.6, "Second")], "other.srt")
        rows = list_captions(Captioned(documents=(one, other)), PROGRAMME)
        self.assertEqual([row.placed.caption.lines[0] for row in rows], ["First", "Second", "Third"])
        self.assertEqual([len(row.faults) for row in rows], [1, 1, 0], "the first stands below the third in its file")

    def test_where_the_clock_of_a_document_begins(self) -> None:
        """Media time begins at nought; labels begin where the programme does, or where the document says."""
        document = read_captions(make_stl(((10, 0, 1, 0), (10, 0, 2, 0), b"Right")), "f.stl")
        self.assertEqual(origin_of(document, PROGRAMME), 36_000)
        without = Programme(rate=Fraction(25), frames=1500, start=None)
        self.assertEqual(origin_of(replace(document, origin=None), without), 0)
        self.assertEqual(origin_of(replace(document, origin=Fraction(7)), without), 7)
        self.assertEqual(origin_of(replace(document, rate=None), PROGRAMME), 0)
        self.assertEqual(origin_of(replace(document, clock=Clock.MEDIA), PROGRAMME), 0)

    def test_places_are_frames_of_the_programme(self) -> None:
        found = held(subrip([*GOOD, (9.0, 10.0, "Twenty-one characters")]))["text.reading_speed"]
        self.assertEqual([(span.start, span.end) for span in found.spans()], [(225, 250)])
        self.assertEqual(found.document[0]["start"], 225)

    def test_labels_of_another_rate_and_of_drop_frame(self) -> None:
        label = Timecode.parse("10:01:00:12", Fraction(25))
        self.assertEqual(label_seconds(label, Fraction(50), drop=False), Fraction((10 * 3600 + 60) * 50 + 24, 50))
        ntsc = Fraction(30000, 1001)
        left_out = Timecode.parse("00:01:00:00", Fraction(30))  # a label that drop-frame counting leaves out
        self.assertEqual(label_seconds(left_out, ntsc, drop=True), 1800 / ntsc)
        self.assertEqual(label_seconds(left_out, ntsc, drop=False), 1800 / ntsc)
        self.assertEqual(label_seconds(Timecode.parse("00:10:00:00", Fraction(30)), ntsc, drop=True), 17982 / ntsc)

    def test_a_programme_is_known_by_its_rate_and_its_length(self) -> None:
        def known(**facts: object) -> Programme | None:
            builder = FactsBuilder()
            for name, value in facts.items():
                builder.observed(keys.BY_ID[f"picture.{name}"], value)
            return programme_of(builder.finish(file_name="a.mp4", file_size=1, depth=Depth.PACKETS))

        self.assertEqual(
            known(frame_rate=Fraction(25), frame_count=50), Programme(rate=Fraction(25), frames=50, start=None)
        )
        for lacking in (
            {"frame_rate": Fraction(25)},
            {"frame_count": 50},
            {"frame_rate": Fraction(25), "frame_count": 0},
        ):
            self.assertIsNone(known(**lacking))

    def test_frames_as_seconds_and_what_has_no_length(self) -> None:
        placed = place(subrip([(1, 2, "one"), (3, 3, "nothing"), (2, 5, "two")]), PROGRAMME)
        self.assertEqual([(one.start, one.end) for one in placed], [(25, 50), (50, 125)])
        self.assertEqual(timing_of(placed, PROGRAMME.rate), [(1.0, 2.0), (2.0, 5.0)])

    def test_captions_in_the_picture(self) -> None:
        document = subrip([(1, 2, "one")])

        def burned(known: dict[str, Burned] | None) -> Held:
            return hold_captions(Captioned(documents=(document,), burned=known), PROGRAMME)["text.burned_in"]

        found = burned({document.name: Burned(looked=12, seen=11, frames=(30,))})
        self.assertEqual((found.right, found.found), (False, "burned in, 11 of 12 looked at"))
        self.assertEqual(found.document, {"burned_in": True, "seen": 11, "looked": 12})
        self.assertEqual([(one.frame, one.fault) for one in found.sentences], [(30, True)])
        clean = burned({document.name: Burned(looked=12, seen=0, frames=())})
        self.assertEqual((clean.right, clean.found, clean.sentences), (True, "apart, 12 looked at", ()))
        for known in (None, {}, {"other.srt": Burned(looked=12, seen=12, frames=(1,))}):
            self.assertIsNone(burned(known).right)

    def test_signs_that_count(self) -> None:
        whole = subrip([(0, 1, "x" * 60)])
        self.assertEqual(reading_speed(whole.captions[0]), 60)
        self.assertEqual(characters(subrip([(0, 1, "ab\ncd\nef")]).captions[0]), 8)

    def test_what_cannot_be_read_and_empty_files_are_faults(self) -> None:
        found = held(
            read_captions(b"1\n00:00:01,000 -> 00:00:02,000\nLost\n\n2\n00:00:03,000 --> 00:00:04,000\nok\n", "a.srt")
        )
        self.assertEqual(faults(found), {"text.document"})
        empty = held(read_captions(b"WEBVTT\n\n", "a.vtt"))
        self.assertEqual(empty["text.document"].sentences[0].says, "a.vtt holds no caption that can be shown.")

    def test_several_documents_are_named(self) -> None:
        found = held(subrip(GOOD), subrip([(1, 1.5, "Twenty-one characters")], "film.cy.srt"))
        self.assertEqual(found["text.reading_speed"].sentences[0].says[:19], "film.cy.srt, line 2")

    def test_thirty_thousand_captions_take_a_moment(self) -> None:
        programme = Programme(rate=Fraction(25), frames=25 * 90_000, start=None)
        rows = [(at * 3.0, at * 3.0 + 2, "Every three seconds") for at in range(30_000)]
        self.assertEqual(faults(held(subrip(rows), programme=programme)), set())


def programme_with_speech(seed: int, length: float = 1800.0) -> tuple[list[float], Evidence]:
    """Return when speech begins, and what is seen of it: onsets, some missed, many others; and cuts, some of them at speech."""
    chance = np.random.default_rng(seed)
    starts = np.cumsum(chance.uniform(2.5, 9.0, 2000))
    starts = starts[starts < length - 10]
    heard = starts[chance.random(len(starts)) < 0.7] + chance.normal(0, 0.05, 1)
    noise = chance.uniform(0, length, len(starts))
    cuts = np.sort(np.concatenate([starts[chance.random(len(starts)) < 0.25], chance.uniform(0, length, 300)]))
    return starts.tolist(), Evidence(onsets=np.sort(np.concatenate([heard, noise])), cuts=cuts, duration=length)


class TimingTest(TestCase):
    programme = Programme(rate=Fraction(25), frames=1800 * 25, start=None)

    def says(self, rows: Sequence[float], evidence: Evidence | None, scale: float = 1, late: float = 0) -> Held:
        captions = [(at * scale + late, at * scale + late + 1.9, "Some words") for at in rows]
        kept = [one for one in captions if one[0] >= 0]
        return held(subrip(kept), programme=self.programme, evidence=evidence)["text.rate_mismatch"]

    def test_right_captions_are_in_place_and_wrong_ones_named(self) -> None:
        right = 0
        for seed in range(6):
            starts, evidence = programme_with_speech(seed)
            for scale, late, words in (
                (1, 0, ""),
                (1, 0.2, ""),
                (1, 2.0, r"about (1\.9|2\.[01]) s away: all of them are that much late"),
                (1, -7.4, r"about 7\.[345] s away: all of them are that much early"),
                (25 / 24, 0, "from 24 to 25 pictures a second"),
                (25 / 23.976, 0, "from 23.976 to 25 pictures a second"),
            ):
                with self.subTest(seed=seed, scale=scale, late=late):
                    found = self.says(starts, evidence, scale, late)
                    self.assertEqual(found.right, not words, found.found)
                    self.assertRegex(" ".join(one.says for one in found.sentences), words or "^$")
                    right += 1
        self.assertEqual(right, 36)

    def test_onsets_and_cuts_of_a_scan(self) -> None:
        chance = np.random.default_rng(4)
        starts = np.cumsum(chance.uniform(3.0, 6.0, 80))
        length = float(starts[-1]) + 5
        sound = np.zeros(int(length * 10), SOUND_ROW)
        sound["level"] = -55 + chance.normal(0, 1, len(sound))
        sound["level"][:20] = -np.inf
        for start in starts:
            first = int(np.ceil((start - 0.5) * 10))
            sound["level"][first : first + 15] = -25 + chance.normal(0, 2, len(sound[first : first + 15]))
        pictures = np.zeros(int(length * 50), PICTURE_ROW)
        pictures["marks"][(starts[::4] * 50).round().astype(int)] |= CUT
        scan = ScanSeries(pictures=pictures, sounds=(sound,), starts=(0.5,))
        evidence = evidence_of(scan, Fraction(50))
        near = [np.abs(evidence.onsets - start).min() for start in starts]
        self.assertLess(max(near), 0.11)
        self.assertLess(len(evidence.onsets), 90)
        self.assertEqual(len(evidence.cuts), 20)
        programme = Programme(rate=Fraction(50), frames=len(pictures), start=None)
        for late, right in ((0.0, True), (3.0, False)):
            document = subrip([(start + late, start + late + 1.4, "Some words") for start in starts.tolist()])
            found = held(document, programme=programme, evidence=evidence)["text.rate_mismatch"]
            self.assertEqual(found.right, right, found)

    def test_captions_of_another_programme_and_music_say_nothing(self) -> None:
        for seed in range(6):
            _, evidence = programme_with_speech(seed)
            others, _ = programme_with_speech(seed + 100)
            self.assertIsNone(self.says(others, evidence).right, seed)
            bare = Evidence(onsets=np.zeros(0), cuts=np.zeros(0), duration=1800.0)
            found = self.says(others, bare)
            self.assertEqual((found.right, found.asked), (None, False))
        self.assertIsNone(self.says([1, 5, 9], programme_with_speech(1)[1]).right)

    def test_times_that_count_another_rate(self) -> None:
        stl = make_stl(((10, 0, 1, 0), (10, 0, 2, 0), b"Text")).replace(b"STL25.01", b"STL24.01")
        for document, says in (
            (read_captions(stl, "f.stl"), "Its times count 24 pictures a second, the programme runs at 25."),
            (read_captions(make_scc(), "f.scc"), "Its times count 29.97 pictures a second, the programme runs at 25."),
        ):
            self.assertEqual(held(document)["text.rate_mismatch"].sentences[0].says, says)
        film = Programme(rate=Fraction(24000, 1001), frames=1500, start=None)
        self.assertIsNone(held(read_captions(make_scc(), "f.scc"), programme=film)["text.rate_mismatch"].right)

    def test_times_that_count_from_elsewhere(self) -> None:
        late = [(start + 36000, end + 36000, words) for start, end, words in GOOD]
        self.assertIn(
            "count from the programme's timecode 10:00:00:00",
            held(subrip(late))["text.rate_mismatch"].sentences[0].says,
        )
        hour = [(start + 3600, end + 3600, words) for start, end, words in GOOD]
        self.assertIn("after 1 h", held(subrip(hour))["text.rate_mismatch"].sentences[0].says)
        stl = read_captions(make_stl(((0, 0, 1, 0), (0, 0, 2, 0), b"Text")), "f.stl")
        self.assertIn("count from zero", held(stl)["text.rate_mismatch"].sentences[0].says)

    def test_times_that_lie_on_pictures_of_another_rate(self) -> None:
        rows = [(round((at * 97 + 7) / 24, 3), round((at * 97 + 60) / 24, 3), "Some words") for at in range(14)]
        self.assertIn("pictures of 24 a second", held(subrip(rows))["text.rate_mismatch"].sentences[0].says)
        own = [(round((at * 97 + 7) / 25, 3), round((at * 97 + 60) / 25, 3), "Some words") for at in range(14)]
        self.assertIsNone(held(subrip(own))["text.rate_mismatch"].right)
