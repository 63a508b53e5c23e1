"""Going anywhere by name."""

from __future__ import annotations

from django.test import TestCase

from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.pages.tests.furnished import furnish
from brisk_web.testing import HouseMixin


class FindTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.values = furnish(self, first="OLP_CANAL_V01.mp4").values
        self.sign_in(OPERATOR)

    def found(self, asked: str) -> list[tuple[str, str]]:
        places = self.client.get("/find", {"q": asked}).json()["places"]
        return [(place["kind"], place["name"]) for place in places]

    def test_every_kind_is_found_by_any_of_its_words(self) -> None:
        self.assertIn(("job", "Canal"), self.found("can"))
        self.assertIn(("deliverable", "Wide"), self.found("canal wide"))
        self.assertIn(("file", "OLP_CANAL_V01.mp4"), self.found("canal v01"))
        self.assertIn(("spec", "Small spec"), self.found("small"))
        self.assertIn(("page", "House"), self.found("queue"))
        self.assertTrue(any(kind == "timeline" for kind, _ in self.found("a.edl")))
        self.assertEqual(self.found("canal nowhere"), [])

    def test_where_places_lead(self) -> None:
        for asked, kind in (("canal", "job"), ("wide", "deliverable"), ("v01", "file"), ("small", "spec")):
            places = self.client.get("/find", {"q": asked}).json()["places"]
            (address,) = {place["address"] for place in places if place["kind"] == kind}
            self.assertEqual(self.client.get(address).status_code, 200, address)

    def test_actions_are_those_that_one_may_do(self) -> None:
        for role, actions in (
            (VIEWER, []),
            (OPERATOR, ["Open a job"]),
            (LEAD, ["Open a job", "Watch a folder", "Add a destination", "The house's words", "Write a spec"]),
        ):
            self.sign_in(role)
            self.assertEqual([name for kind, name in self.found("") if kind == "action"], actions)

    def test_what_begins_with_the_words_comes_first(self) -> None:
        self.media("A small canal.mp4", frames=4)
        self.assertEqual(self.found("canal")[0], ("job", "Canal"))

    def test_a_closed_job_is_found_and_said_to_be_closed(self) -> None:
        self.client.post(f"/jobs/{self.values['job_id']}/close")
        places = self.client.get("/find", {"q": "canal"}).json()["places"]
        self.assertEqual([place["more"] for place in places if place["kind"] == "job"], ["closed"])
        self.assertFalse([place for place in places if place["kind"] == "deliverable"])
