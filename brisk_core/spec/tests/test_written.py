import json
import unittest
from pathlib import Path
from typing import Any

import brisk_core.spec
from brisk_core.errors import PlanRefused, SpecRefused
from brisk_core.plan.disc import editing
from brisk_core.spec.document import read_document
from brisk_core.spec.written import rewrite, rewritten

_TEXT = """# The visitor disc
name: Disc   # shown nowhere
kind: sd-single
family: 25
starts_with: menu
items:
  # the first screen
  - {id: menu, kind: screen, name: Menu, buttons: [{id: play, label: Play, to: film}, {id: locks, label: Locks, to: film chapter 2}, {id: thanks, label: Thanks, to: thanks}]}

  # the film, as it was cut in March
  - id: film
    kind: clip   # planned
    name: "Film: the canal"
    length: "10:00"
    shape: 16:9
    sounds: [ac3 448 kb/s 6 channels]   # loud
    then: menu
  # the end
  - id: thanks
    kind: screen
    name: 'Thanks'
    buttons: []
"""


def notes(text: str) -> list[str]:
    return [row.strip() for row in text.splitlines() if row.lstrip().startswith("#")]


class RewriteTest(unittest.TestCase):
    def test_a_step_changes_its_own_line_and_no_other(self) -> None:
        made = rewrite(_TEXT, lambda disc: editing.set_way(disc, "film", "thanks"))
        self.assertEqual(made, _TEXT.replace("then: menu", "then: thanks"))
        made = rewrite(_TEXT, lambda disc: editing.start_with(disc, "film"))
        self.assertEqual(made, _TEXT.replace("starts_with: menu", "starts_with: film"))

    def test_a_note_in_front_of_what_follows_something_removed_stays_there(self) -> None:
        made = rewrite(_TEXT, lambda disc: editing.set_way(disc, "film", ""))
        self.assertEqual(made, _TEXT.replace("    then: menu\n", ""))
        made = rewrite(_TEXT, lambda disc: editing.remove(disc, "film"))
        rows = made.splitlines()
        self.assertEqual(rows[rows.index("  # the end") + 1], "  - id: thanks")
        self.assertEqual(sorted(notes(made)), sorted(notes(_TEXT)))

    def test_no_step_loses_a_note(self) -> None:
        for step in (
            lambda disc: editing.draw_way(disc, "menu", "menu"),
            lambda disc: editing.rename(disc, "film", "Canal"),
            lambda disc: editing.rename(disc, "menu", "Begin", "play"),
            lambda disc: editing.add_button(disc, "thanks", "Home", "menu"),
            lambda disc: editing.remove_button(disc, "menu", "locks"),
            lambda disc: editing.remove(disc, "thanks"),
            lambda disc: editing.go_home_to(disc, "menu"),
            lambda disc: editing.add_screen(disc, "More")[0],
            lambda disc: editing.add_clip(disc, "Short")[0],
        ):
            made = rewrite(_TEXT, step)
            self.assertEqual(sorted(notes(made)), sorted(notes(_TEXT)))
            self.assertEqual(read_document(made), step(read_document(_TEXT)))

    def test_quotes_stay_and_lines_are_not_folded(self) -> None:
        text = '{"name": "Disc", "items": [{"id": "menu", "kind": "screen", "name": "M", "buttons": []}]}\n'
        self.assertEqual(
            rewrite(text, lambda disc: editing.rename(disc, "menu", "Menu")), text.replace('"M"', '"Menu"')
        )

    def test_what_yaml_reads_otherwise_is_written_anew(self) -> None:
        text = "# a note\nname: 0o17\nitems:\n- {id: menu, kind: screen, name: M}\n"
        made = rewrite(text, lambda disc: editing.rename(disc, "menu", "Menu"))
        self.assertEqual(
            read_document(made), {"name": "0o17", "items": [{"id": "menu", "kind": "screen", "name": "Menu"}]}
        )

    def test_what_cannot_be_read_is_refused(self) -> None:
        for text in ("a: [", "a: &x 1\nb: *x\n", "a: 1\na: 2\n", "- 1\n", "!!python/object:os.system {}\n"):
            with self.subTest(text), self.assertRaises(SpecRefused):
                rewrite(text, lambda disc: disc)
        with self.assertRaises(PlanRefused):
            rewrite(_TEXT, lambda disc: editing.remove(disc, "nobody"))


_SPEC = """# What the canal channel takes, asked on the phone
brisk_spec: 1
id: canal
name: "Canal channel"   # as it signs
family: broadcast
source: a call, 3 March
issued: 2026-03-03
lines:
  # they insist
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }

  # Jonas: also 1440 wide until summer
  - id: size
    characteristic: picture.size
    condition:
      one_of: ["1920x1080", "1440x1080"]   # anamorphic
    why: Their mixer.
  # told twice
  - id: tracks
    characteristic: sound.tracks
    condition: {at_least: 4}
"""


class RewrittenTest(unittest.TestCase):
    def document(self, text: str = _SPEC) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(json.dumps(read_document(text), default=str))
        return found

    def test_nothing_changed_is_the_same_text(self) -> None:
        self.assertEqual(rewritten(_SPEC, self.document()), _SPEC)

    def test_shipped_specs_keep_their_notes(self) -> None:
        for path in sorted(Path(brisk_core.spec.__file__).parent.glob("shelf/*.yaml"))[::6]:
            text = path.read_text()
            document = self.document(text) | {"source": "another: edition"}
            made = rewritten(text, document)
            self.assertEqual((self.document(made), sorted(notes(made))), (document, sorted(notes(text))), path.name)

    def test_a_value_changes_in_its_place(self) -> None:
        document = self.document()
        document["lines"][0]["condition"]["equals"] = 50
        document["issued"] = "2026-04-01"
        made = rewritten(_SPEC, document)
        rows, before = made.splitlines(), _SPEC.splitlines()
        changed = [row for row, was in zip(rows, before, strict=True) if row != was]
        self.assertEqual(
            changed, ["issued: 2026-04-01", before[9].replace("{ ", "{").replace(" }", "}").replace("25", "50")]
        )
        self.assertEqual(self.document(made), document)

    def test_no_change_loses_a_note_and_each_says_what_it_should(self) -> None:
        first, second, third = self.document()["lines"]
        named = {"id": "size", "label": "Size of the picture", **second}
        other = {"id": "codec", "characteristic": "picture.codec", "condition": {"equals": "mpeg2"}}
        for lines in (
            [third, first, second], [second, third], [first, third], [first, second], [],
            [first, other, second, third], [other, first, second, third, other | {"id": "codec-too"}],
            [first, named, third], [first, second, {**third, "weight": "should"}],
            [first, {**second, "condition": {"equals": "1920x1080"}}, third],
            [first, {key: value for key, value in second.items() if key != "why"}, third],
            [{**first, "id": "rate-of-frames"}, second, third],
        ):  # fmt: skip
            document = {**self.document(), "lines": lines}
            made = rewritten(_SPEC, document)
            self.assertEqual(self.document(made), document)
            self.assertEqual(sorted(notes(made)), sorted(notes(_SPEC)))
        made = rewritten(_SPEC, {**self.document(), "lines": [first, named, {**third, "weight": "should"}]})
        rows = [row.strip() for row in made.splitlines()]
        self.assertEqual(rows[rows.index("# told twice") + 1], "- id: tracks")
        self.assertIn("weight: should", rows[rows.index("# told twice") :])

    def test_what_cannot_be_read_is_refused(self) -> None:
        with self.assertRaises(SpecRefused):
            rewritten("lines: [", self.document())
