from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

import numpy as np

from brisk_core.edit import Event, FrameRange, Lane, Source, Timeline
from brisk_core.edit.conform import Conform, conform
from brisk_core.edit.cut_train import Observed
from brisk_core.exact import Timecode

RATE = Fraction(25)
LENGTHS = [int(one) for one in np.random.default_rng(7).integers(18, 120, 24)]


def timeline(lengths: list[int] = LENGTHS, *, start: str = "10:00:00:00", rate: Fraction = RATE) -> Timeline:
    events, at = [], 0
    for number, length in enumerate(lengths, 1):
        events.append(Event(kind="clip", name=f"S{number}", start=at, end=at + length, source=number))
        at += length
    lane = Lane(kind="picture", name="V1", events=tuple(events))
    sources = tuple(Source(name=f"S{number}.mov") for number in range(len(lengths) + 1))
    first = Timecode.parse(start, rate)
    return Timeline(name="edit", rate=rate, start=first, length=at, lanes=(lane,), sources=sources)


def cuts_of(lengths: list[int]) -> tuple[int, ...]:
    return tuple(int(one) for one in np.cumsum(lengths)[:-1])


class ConformTest(TestCase):
    edit = timeline()
    whole = FrameRange.whole(edit)

    def laid(
        self, cuts: tuple[int, ...], frames: int, *, covered: FrameRange | None = None, rate: Fraction = RATE
    ) -> Conform:
        return conform(self.edit, covered or self.whole, Observed(cuts=cuts, frames=frames, rate=rate))

    def of(self, lengths: list[int]) -> Conform:
        return self.laid(cuts_of(lengths), sum(lengths))

    def states(self, found: Conform) -> dict[str, list[int]]:
        kinds: dict[str, list[int]] = {}
        for row in found.shots:
            kinds.setdefault(row.state, []).append(row.shot.number)
        return kinds

    def only(self, found: Conform) -> str:
        self.assertEqual(len(found.sentences), 1, [one.says for one in found.sentences])
        self.assertFalse(found.right)
        return found.sentences[0].says

    def test_the_right_edit_is_silent(self) -> None:
        found = self.of(LENGTHS)
        self.assertTrue(found.right)
        self.assertEqual((found.sentences, found.offset, found.matched, found.expected), ((), 0, 23, 23))
        self.assertEqual(self.states(found), {"in place": list(range(1, 25))})
        self.assertIn("master would tell", found.unknown[0])

    def test_a_part_of_the_timeline_is_silent(self) -> None:
        covered = FrameRange(start=200, end=900)
        cuts = tuple(cut - 200 for cut in cuts_of(LENGTHS) if 200 < cut < 900)
        found = self.laid(cuts, 700, covered=covered)
        self.assertEqual(found.sentences, ())
        self.assertTrue(found.right)

    def test_one_frame_late(self) -> None:
        cuts = tuple(cut + 1 for cut in cuts_of(LENGTHS))
        says = self.only(self.laid(cuts, sum(LENGTHS)))
        self.assertIn("Everything is 1 frame late", says)
        self.assertIn("begins at 09:59:59:24", says)
        longer = self.only(self.laid(cuts, sum(LENGTHS) + 1))
        self.assertIn("begins 1 frame too early", longer)

    def test_a_missing_shot(self) -> None:
        for gone in (3, 9, 22):
            with self.subTest(gone=gone):
                found = self.of([one for number, one in enumerate(LENGTHS, 1) if number != gone])
                says = self.only(found)
                self.assertIn(f"Shot {gone} “S{gone}” is missing", says)
                self.assertEqual(self.states(found)["missing"], [gone])
                self.assertEqual(self.states(found)["in place"], list(range(1, gone)))
                self.assertEqual(self.states(found)["shifted"], list(range(gone + 1, 25)))

    def test_two_missing_shots_at_two_places(self) -> None:
        found = self.of([one for number, one in enumerate(LENGTHS, 1) if number not in (6, 15)])
        self.assertEqual(self.states(found)["missing"], [6, 15])
        self.assertEqual(len(found.sentences), 2)

    def test_the_first_and_the_last_shot_missing_is_told_as_the_range(self) -> None:
        head = self.only(self.of(LENGTHS[1:]))
        self.assertIn("begins", head)
        self.assertIn("too late", head)
        tail = self.only(self.of(LENGTHS[:-1]))
        self.assertIn("ends", tail)
        self.assertIn("too early", tail)

    def test_two_shots_that_changed_places(self) -> None:
        lengths = list(LENGTHS)
        lengths[3], lengths[4] = lengths[4], lengths[3]
        self.assertNotEqual(lengths[3], lengths[4])
        found = self.of(lengths)
        self.assertIn("Shots 4 “S4” and 5 “S5” changed places", self.only(found))
        self.assertEqual(self.states(found)["swapped"], [4, 5])

    def test_a_trimmed_shot_and_a_longer_one(self) -> None:
        shorter = list(LENGTHS)
        shorter[9] -= 5
        self.assertIn("Shot 10 “S10” is 5 frames too short", self.only(self.of(shorter)))
        longer = list(LENGTHS)
        longer[9] += 5
        self.assertIn("5 frames more than the timeline has", self.only(self.of(longer)))

    def test_another_range(self) -> None:
        covered = FrameRange(start=0, end=500)
        cuts = tuple(cut - 600 for cut in cuts_of(LENGTHS) if 600 < cut < 1100)
        says = self.only(self.laid(cuts, 500, covered=covered))
        self.assertIn("another range: 10:00:24:00 to 10:00:44:00", says)

    def test_another_edit(self) -> None:
        other = [int(one) for one in np.random.default_rng(99).integers(18, 120, 24)]
        found = self.of(other)
        self.assertIn("another edit", self.only(found))
        self.assertIsNone(found.offset)
        self.assertIn("another edit", self.only(self.laid((), sum(LENGTHS))))

    def test_another_rate_that_keeps_time_is_silent(self) -> None:
        rate = Fraction(30)
        cuts = tuple(round(cut * rate / RATE) for cut in cuts_of(LENGTHS))
        self.assertEqual(self.laid(cuts, round(sum(LENGTHS) * rate / RATE), rate=rate).sentences, ())

    def test_the_speed_of_25_for_24_and_of_1_001(self) -> None:
        edit = timeline(rate=Fraction(24))
        for rate, much in ((Fraction(25), "4.2 % faster"), (Fraction(24000, 1001), "0.1 % slower")):
            long = LENGTHS * (1 if rate == 25 else 6)
            edit = timeline(long, rate=Fraction(24))
            found = conform(edit, FrameRange.whole(edit), Observed(cuts=cuts_of(long), frames=sum(long), rate=rate))
            self.assertIn(much, found.sentences[0].says)

    def test_frames_lost_here_and_there_are_no_other_speed(self) -> None:
        for lengths, lost in (
            ([30] * 12, {2: 1, 5: 2, 8: 1}),
            ([24, 31, 28, 40, 22, 35, 27, 30, 26, 33], {3: 1, 4: 2, 7: 2, 9: 1}),
            ([25, 24, 26, 25, 27, 24, 25, 26, 24, 25, 26, 25], {2: 2, 3: 1, 6: 2, 10: 3}),
        ):
            with self.subTest(lost=lost):
                edit = timeline(lengths)
                left = [one - lost.get(number, 0) for number, one in enumerate(lengths, 1)]
                found = conform(edit, FrameRange.whole(edit), Observed(cuts=cuts_of(left), frames=sum(left), rate=RATE))
                self.assertEqual(found.speed, 1)
                self.assertFalse(found.right)
                for number, many in lost.items():
                    words = f"Shot {number} “S{number}” is {many} frame{'s' if many > 1 else ''} too short"
                    self.assertEqual(sum(words in one.says for one in found.sentences), 1, words)
                self.assertEqual(self.states(found)["trimmed"], list(lost))

    def test_a_true_other_speed_is_still_one_with_a_cut_that_was_not_seen(self) -> None:
        edit = timeline(rate=Fraction(24))
        cuts = list(cuts_of(LENGTHS))
        del cuts[7]
        found = conform(edit, FrameRange.whole(edit), Observed(cuts=tuple(cuts), frames=sum(LENGTHS), rate=RATE))
        self.assertIn("4.2 % faster", found.sentences[0].says)

    def test_the_whole_edit_in_place_of_a_part_with_one_cut(self) -> None:
        cut = cuts_of(LENGTHS)[4]
        covered = FrameRange(start=cut - 12, end=cut + 10)
        found = self.laid(cuts_of(LENGTHS), sum(LENGTHS), covered=covered)
        self.assertIn("The file holds", self.only(found))
        other = tuple(int(one) for one in np.cumsum(np.random.default_rng(5).integers(18, 120, 12)))
        self.assertIn("another edit", self.only(self.laid(other, 900, covered=covered)))
        self.assertFalse(self.laid((12,), 22, covered=covered).measured)

    def test_a_transition_is_a_zone_and_a_join_of_one_source_is_no_cut(self) -> None:
        lane = self.edit.lanes[0]
        events = list(lane.events)
        at = events[5].start
        mixed = [*events[:5], Event(kind="transition", name="", start=at - 10, end=at + 10), *events[5:]]
        edit = Timeline(
            name="edit", rate=RATE, start=None, length=self.edit.length,
            lanes=(Lane(kind="picture", name="V1", events=tuple(mixed)),),
        )  # fmt: skip
        for moved in (-6, 0, 6):
            cuts = tuple(cut + moved if cut == at else cut for cut in cuts_of(LENGTHS))
            found = conform(edit, self.whole, Observed(cuts=cuts, frames=edit.length, rate=RATE))
            self.assertEqual([one.says for one in found.sentences if one.fault], [])
        split = [
            Event(kind="clip", name="a", start=0, end=40, source=0, source_start=Fraction(0)),
            Event(kind="clip", name="a", start=40, end=90, source=0, source_start=Fraction(40, 25)),
            Event(kind="clip", name="b", start=90, end=120, source=1, source_start=Fraction(0)),
        ]
        joined = Timeline(
            name="e", rate=RATE, start=None, length=120, lanes=(Lane(kind="picture", name="V1", events=tuple(split)),)
        )
        self.assertEqual(joined.cuts, (90,))

    def test_a_transition_shows_no_cut_and_a_cut_in_it_is_worth_a_look(self) -> None:
        lengths, mixed = [30, 45, 50, 40, 60, 35], {75: 14, 165: 20}  # by the frame at which they begin
        plain = timeline(lengths)
        for before in (0, 7):  # an edit list begins a shot with its transition, other edits in the middle of it
            mixes = [
                Event(kind="transition", name="mix", start=start - before, end=start - before + length)
                for start, length in mixed.items()
            ]
            events = tuple(sorted([*plain.lanes[0].events, *mixes], key=lambda one: one.start))
            edit = replace(plain, lanes=(replace(plain.lanes[0], events=events),))
            seen = tuple(cut for cut in cuts_of(lengths) if cut not in mixed)
            found = conform(edit, FrameRange.whole(edit), Observed(cuts=seen, frames=260, rate=RATE))
            self.assertEqual((found.sentences, found.missing, found.matched, found.expected), ((), (), 3, 3))
            self.assertEqual(self.states(found), {"in place": [1, 2, 3, 4, 5, 6]})
            middle = 165 - before + 10
            hard = Observed(cuts=tuple(sorted([*seen, middle])), frames=260, rate=RATE)
            held = (found := conform(edit, FrameRange.whole(edit), hard)).held()["edit.cuts"]
            self.assertEqual((found.hard, found.extra, held.right, held.look), ((middle,), (), True, True))
            self.assertIn("where the timeline has a transition", found.sentences[0].says)

    def test_a_shot_that_comes_up_out_of_the_black_of_a_gap_shows_no_cut(self) -> None:
        plain = timeline([40, 60, 50, 45])
        lane = plain.lanes[0]
        gap = replace(plain, lanes=(replace(lane, events=lane.events[1:]),))
        observed = Observed(cuts=(100, 150), frames=195, rate=RATE, black=((0, 43),))
        found = conform(gap, FrameRange.whole(gap), observed)
        self.assertEqual((found.sentences, found.matched, found.expected), ((), 2, 2))
        # Where the black ends with the gap and nothing is seen, one shot may stand in place of two.
        found = conform(gap, FrameRange.whole(gap), replace(observed, black=()))
        self.assertEqual(found.missing, (40,))

    def test_frames_lost_in_shots_whose_lengths_are_alike_are_told_there(self) -> None:
        lengths = [15, 60, 50, 60, 45, 50, 40, 45, 50, 50, 45, 50, 55, 40, 40, 45, 40, 45, 45, 45, 40, 50, 50, 40, 50]
        lengths += [45, 35, 40, 90, 50]
        edit, unseen = timeline(lengths), {15, 280, 955, 1145}  # shots that are faded or mixed in
        cuts = [16, 1356, 1404, *(cut for cut in cuts_of(lengths) if cut not in unseen)]
        for lost in ((700,), (980, 1207), (330, 700, 1207)):
            places = sorted(cut - sum(one < cut for one in lost) for cut in cuts)
            seen = Observed(cuts=tuple(places), frames=sum(lengths) - len(lost), rate=RATE)
            found = conform(edit, FrameRange.whole(edit), seen)
            says = [one.says for one in found.sentences if "too short" in one.says or "missing" in one.says]
            self.assertEqual(len(says), len(lost), says)
            self.assertTrue(all("1 frame too short" in one for one in says), says)

    def test_a_loss_around_a_cut_that_is_not_seen_lies_in_one_of_both_shots(self) -> None:
        cuts = [cut - (cut > sum(LENGTHS[:9])) for cut in cuts_of(LENGTHS)]
        del cuts[9]
        found = self.laid(tuple(cuts), sum(LENGTHS) - 1)
        self.assertIn("Shots 10 “S10” to 11 “S11” are together 1 frame too short", found.sentences[0].says)

    def test_of_two_shots_of_one_length_either_may_be_missing(self) -> None:
        lengths = [40, 55, 62, 62, 71, 48]
        edit = timeline(lengths)
        cuts = cuts_of([40, 55, 62, 71, 48])
        found = conform(edit, FrameRange.whole(edit), Observed(cuts=cuts, frames=276, rate=RATE))
        self.assertIn("Shot 3 “S3” or 4 “S4” is missing", found.sentences[0].says)

    def test_too_few_cuts_are_not_measured(self) -> None:
        edit = timeline([100, 120])
        found = conform(edit, FrameRange.whole(edit), Observed(cuts=(100,), frames=220, rate=RATE))
        self.assertFalse(found.measured)
        self.assertFalse(found.right)
        self.assertIn("too few cuts", found.unknown[0])

    def test_a_cut_that_is_not_seen_and_one_inside_the_source(self) -> None:
        cuts = list(cuts_of(LENGTHS))
        lost = cuts.pop(11)
        found = self.laid(tuple(cuts), sum(LENGTHS))
        self.assertEqual((found.missing, found.right), ((lost,), True))
        self.assertIn("1 cut of the timeline is not seen", found.sentences[0].says)
        held = found.held()["edit.cuts"]
        self.assertEqual((held.right, held.look), (True, True))
        self.assertFalse(self.of(LENGTHS).held()["edit.cuts"].look)
        more = tuple(sorted([*cuts_of(LENGTHS), 333]))
        found = self.laid(more, sum(LENGTHS))
        self.assertEqual((found.extra, found.right), ((333,), True))

    def test_thousands_of_cuts(self) -> None:
        lengths = [int(one) for one in np.random.default_rng(3).integers(10, 200, 3000)]
        edit = timeline(lengths)
        kept = [one for number, one in enumerate(lengths, 1) if number not in (500, 2000)]
        found = conform(edit, FrameRange.whole(edit), Observed(cuts=cuts_of(kept), frames=sum(kept), rate=RATE))
        self.assertEqual(self.states(found)["missing"], [500, 2000])
