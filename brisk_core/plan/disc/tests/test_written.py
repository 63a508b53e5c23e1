import unittest

from brisk_core.errors import PlanRefused, SpecRefused
from brisk_core.plan.disc import editing
from brisk_core.plan.disc.written import rewrite
from brisk_core.spec.document import read_document

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
