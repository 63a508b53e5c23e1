from dataclasses import replace

from django.test import SimpleTestCase

from brisk_core.facts import Held
from brisk_web.pages.against import outcome_of


class OutcomeTest(SimpleTestCase):
    def test_what_a_person_should_look_at_is_no_pass(self) -> None:
        held = Held(right=True, required="the sound of the master", found="in step")
        self.assertEqual(outcome_of(held), "pass")
        self.assertEqual(outcome_of(replace(held, look=True)), "caution")
        self.assertEqual(outcome_of(replace(held, right=False, look=True)), "fail")
        self.assertEqual(outcome_of(replace(held, right=None)), "not measured")
