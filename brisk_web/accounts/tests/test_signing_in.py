"""Who guesses is slowed, whoever is known is not shut out, nobody stays signed in for ever, and the trail tells."""

from __future__ import annotations

from typing import Any
from unittest import mock

from axes.models import AccessAttempt
from django.contrib.auth import get_user_model
from django.test import Client, TestCase, override_settings
from django.utils import timezone

from brisk_web.accounts import signing_in
from brisk_web.house.models import AuditEntry
from brisk_web.testing import HouseMixin


class SignInTest(HouseMixin, TestCase):
    def sign(self, name: str, password: str = "wrong", address: str = "10.1.1.1") -> Any:  # noqa: S107
        return self.client.post("/sign-in", {"username": name, "password": password}, REMOTE_ADDR=address)

    def guess_at_many_names(self, address: str = "10.1.1.1", most: int = signing_in.MOST_FROM_AN_ADDRESS) -> None:
        for number in range(most):
            self.assertEqual(self.sign(f"name{number}", address=address).status_code, 200)

    def test_many_names_with_one_password_are_stopped_by_their_address(self) -> None:
        self.guess_at_many_names()
        answer = self.sign("one-more")
        self.assertContains(answer, "Too many sign-ins have failed from this address", status_code=429)
        self.assertEqual(self.sign("lead", "right-word").status_code, 429)
        self.assertEqual(self.sign("lead", "right-word", address="10.1.1.2").status_code, 302)

    def test_wherever_one_wanted_to_go_no_word_is_taken_for_a_page(self) -> None:
        for to in ("0", "x", "desk.", "²"):
            answer = self.client.post("/sign-in", {"username": "lead", "password": "right-word", "next": to})
            self.assertEqual(answer.status_code, 302, to)
            self.client.post("/sign-out")

    def test_who_has_signed_in_on_this_device_is_not_shut_out_by_others(self) -> None:
        self.assertEqual(self.sign("lead", "right-word").status_code, 302)
        self.client.post("/sign-out")
        self.guess_at_many_names()
        self.assertEqual(self.sign("operator", "right-word").status_code, 429)
        self.assertEqual(self.sign("lead", "right-word").status_code, 302)
        self.client.post("/sign-out")
        self.client.cookies["brisk-device"] = "forged"
        self.assertEqual(self.sign("lead", "right-word").status_code, 429)

    def test_an_hour_later_the_address_is_open_again(self) -> None:
        self.guess_at_many_names()
        AccessAttempt.objects.update(attempt_time=timezone.now() - signing_in._WITHIN)
        self.assertEqual(self.sign("lead", "right-word").status_code, 302)

    def test_one_changes_one_s_own_password_and_other_sessions_end(self) -> None:
        other = Client()
        other.force_login(self.people["operator"])
        self.sign_in("operator")
        fresh = {"old_password": "right-word", "new_password1": "lamp-lock-barge", "new_password2": "lamp-lock-barge"}
        for wrong, says in (
            ({"old_password": "wrong-word"}, "entered incorrectly"),
            ({"new_password2": "another"}, "match"),
            ({"new_password1": "password", "new_password2": "password"}, "too common"),
        ):
            answer = self.client.post("/you/password", fresh | wrong)
            self.assertContains(answer, says, status_code=422)
        self.assertEqual(self.client.post("/you/password", fresh)["Location"], "/you/")
        self.assertContains(self.client.get("/you/"), "Your password is changed")
        self.assertEqual(other.get("/you/").status_code, 302)
        self.assertTrue(get_user_model().objects.get(username="operator").check_password("lamp-lock-barge"))
        self.assertEqual(AuditEntry.objects.filter(verb="person.password").count(), 1)

    def test_a_screen_that_was_left_open_lets_nobody_guess(self) -> None:
        self.sign_in("operator")
        wrong = {"old_password": "guess", "new_password1": "lamp-lock-barge", "new_password2": "lamp-lock-barge"}
        for _ in range(8):
            self.assertEqual(self.client.post("/you/password", wrong).status_code, 422)
        answer = self.client.post("/you/password", wrong | {"old_password": "right-word"})
        self.assertContains(answer, "Too many wrong passwords", status_code=429)
        self.assertTrue(get_user_model().objects.get(username="operator").check_password("right-word"))

    def test_hostile_names_are_names(self) -> None:
        for name in ("", "\x00", "x" * 5000, "\u202e", "<script>"):
            self.assertEqual(self.sign(name).status_code, 200, name)


class IdleTest(HouseMixin, TestCase):
    def at(self, seconds: float) -> Any:
        return mock.patch("brisk_web.accounts.signing_in.time.time", return_value=1_000_000 + seconds)

    @override_settings(IDLE_S=600)
    def test_a_session_ends_when_nobody_acts_and_not_while_somebody_does(self) -> None:
        self.sign_in()
        for seconds in (0, 500, 1000, 1500):
            with self.at(seconds):
                self.assertEqual(self.client.get("/jobs/").status_code, 200)
        with self.at(2050):  # a page that looks by itself is no act
            self.assertTrue(self.client.get("/session").json()["signedIn"])
            self.client.get("/", headers={"X-Part": "yes"})
        with self.at(2101):
            self.assertFalse(self.client.get("/session").json()["signedIn"])
            self.assertRedirects(self.client.get("/jobs/"), "/sign-in?next=/jobs/")

    @override_settings(IDLE_S=600)
    def test_what_is_sent_is_an_act_wherever_it_goes(self) -> None:
        self.sign_in()
        with self.at(0):
            self.client.get("/")
        with self.at(590):
            self.client.post("/sign-in", headers={"X-Part": "yes"})
        with self.at(1100):
            self.assertEqual(self.client.get("/jobs/").status_code, 200)


class TrailTest(HouseMixin, TestCase):
    def said(self) -> list[tuple[str, str]]:
        return list(AuditEntry.objects.order_by("pk").values_list("verb", "says"))

    def test_coming_going_and_being_refused(self) -> None:
        self.client.post("/sign-in", {"username": "lead", "password": "wrong"})
        self.client.post("/sign-in", {"username": "nobody\n", "password": "wrong"})
        self.client.post("/sign-in", {"username": "operator", "password": "right-word"})
        self.client.post("/files/roots/new", {"name": "More", "url": "/tmp"})
        self.client.post("/sign-out")
        self.assertEqual(
            self.said(),
            [
                ("person.refused", "Refused to sign in 'lead' from 127.0.0.1"),
                ("person.refused", "Refused to sign in 'nobody' from 127.0.0.1"),
                ("person.signed-in", "Signed in from 127.0.0.1"),
                ("person.refused", "Was refused POST '/files/roots/new', which is not for this role"),
                ("person.signed-out", "Signed out from 127.0.0.1"),
            ],
        )
        lead = self.people["lead"]
        self.assertEqual(AuditEntry.objects.order_by("pk")[0].target, f"user:{lead.pk}")
        self.assertEqual(AuditEntry.objects.order_by("pk")[1].target, "user:unknown")

    def test_acts_in_the_administration(self) -> None:
        ruler = get_user_model().objects.create_superuser("ruler", password="right-word")
        self.client.force_login(ruler)
        AuditEntry.objects.all()
        group = {"name": "guests", "permissions": []}
        self.assertEqual(self.client.post("/admin/auth/group/add/", group).status_code, 302)
        entry = AuditEntry.objects.get(verb="admin.acted")
        self.assertEqual((entry.says, entry.actor), ("Added group guests in the administration", ruler))
