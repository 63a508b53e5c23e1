from unittest import TestCase

from brisk_core.facts import Held, Sentence, keys
from brisk_core.spec.together import brought_together

CUTS, SHOTS, MAP = (key.id for key in (keys.EDIT_CUTS, keys.EDIT_SHOTS, keys.MASTER_MAP))


def sentence(says: str, *, fault: bool = True) -> Sentence:
    return Sentence(says=says, frame=5, fault=fault)


def rows(*states: str, name: str = "S") -> list[dict[str, object]]:
    return [
        {"number": at, "name": name and f"{name}{at}", "state": state, "file_start": at * 10, "outside": False}
        for at, state in enumerate(states, 1)
    ]


class TogetherTest(TestCase):
    """Cuts see two shots of other lengths where pictures see two that changed places."""

    def held(self, **of_map: object) -> dict[str, Held]:
        cuts = (sentence("Shot 2 is too short."), sentence("1 cut is not seen.", fault=False))
        told = {"right": False, "sentences": (sentence("Shots 2 and 4 changed places."),)} | of_map
        return {
            CUTS: Held(right=False, required="", found="9 of 9", sentences=cuts),
            SHOTS: Held(right=False, required="", found="1 trimmed", sentences=(sentence("1 shot trimmed."),)),
            MAP: Held(required="", found="", **told),  # type: ignore[arg-type]
        }

    def says(self, found: Held) -> list[str]:
        return [one.says for one in found.sentences]

    def test_faults_are_told_in_the_words_of_the_pictures(self) -> None:
        document = {"shots": rows("in place", "swapped", "late", "swapped", "sped")}
        found = brought_together(self.held(document=document))
        self.assertEqual(self.says(found[CUTS]), ["Shots 2 and 4 changed places."])
        self.assertEqual(self.says(found[SHOTS]), ["Shots 2 and 4 changed places."])
        self.assertEqual(found[SHOTS].found, "1 in place, 2 swapped, 1 shifted, 1 trimmed")
        self.assertEqual(found[SHOTS].document[1], {"event": "S2", "number": 2, "state": "swapped", "start": 20})
        self.assertFalse(found[CUTS].right or found[SHOTS].right)
        late = brought_together(self.held(document={"shots": rows("late", "late")}))
        self.assertEqual((late[SHOTS].found, late[CUTS].right), ("2 shifted", False))

    def test_a_master_of_another_edit_and_pictures_that_are_right_leave_the_cuts_their_word(self) -> None:
        for more in (
            {"document": {"shots": rows("in place", name="")}},
            {"document": {"shots": rows("in place")}, "right": True, "sentences": ()},
            {"document": {"shots": rows("in place", "in place")}},  # single frames are at fault
            {"document": None, "right": None, "sentences": ()},
        ):
            held = self.held(**more)
            self.assertEqual(brought_together(held), held)
        only = {key: one for key, one in self.held().items() if key != MAP}
        self.assertEqual(brought_together(only), only)
