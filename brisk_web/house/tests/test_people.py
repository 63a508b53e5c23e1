"""Accounts: who makes them, what can be done to them, and what a password that somebody else gave opens."""

from __future__ import annotations

import re
from typing import Any

from django.contrib.auth.models import User
from django.test import Client, TestCase

from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.house.models import AuditEntry
from brisk_web.house.people import role_of
from brisk_web.house.tokens import make_token, token_of
from brisk_web.testing import HouseMixin, person

NEW = {"username": "mara", "first_name": "Mara", "last_name": "Quill", "role": OPERATOR}


class PeopleTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)
        self.operator = self.people[OPERATOR]

    def post(self, what: str, who: User | None = None, **asked: str) -> Any:
        return self.client.post(f"/house/people/{(who or self.operator).pk}/{what}", asked, follow=True)

    def given(self, page: Any) -> str:
        found = re.search(r"data-password>([^<]+)<", page.content.decode())
        assert found
        return found[1]

    def signed_in(self, name: str, password: str) -> Client:
        client = Client()
        answer = client.post("/sign-in", {"username": name, "password": password})
        self.assertEqual(answer.status_code, 302, "the password is theirs")
        return client

    def test_an_account_is_made_and_opens_nothing_before_its_owner_chose_a_password(self) -> None:
        page = self.client.post("/house/people/", NEW)
        password = self.given(page)
        self.assertEqual(page["Cache-Control"], "no-store")
        self.assertNotIn(password, self.client.get("/house/people/").content.decode())
        mara = User.objects.get(username="mara")
        self.assertEqual((role_of(mara), mara.get_full_name()), (OPERATOR, "Mara Quill"))
        self.assertEqual(AuditEntry.objects.get(verb="person.invited").says, "Made an account for Mara Quill, operator")
        client = self.signed_in("mara", password)
        for address in ("/", "/jobs/", "/you/", "/house/"):
            self.assertRedirects(client.get(address), "/you/password", fetch_redirect_response=False)
        self.assertRedirects(client.post("/jobs/new", {"title": "X"}), "/you/password", fetch_redirect_response=False)
        self.assertContains(client.get("/you/password"), "Choose one of your own")
        own = {"old_password": password, "new_password1": "harbour-lantern", "new_password2": "harbour-lantern"}
        client.post("/you/password", own)
        self.assertEqual(client.get("/jobs/").status_code, 200)
        self.assertEqual(self.signed_in("mara", "harbour-lantern").get("/").status_code, 200)

    def test_mistakes_make_no_account(self) -> None:
        for name, value in (("username", ""), ("username", "a b"), ("username", "lead"), ("role", "king")):
            answer = self.client.post("/house/people/", NEW | {name: value})
            self.assertEqual((answer.status_code, list(answer.context["form"].errors)), (422, [name]), value)
        self.assertFalse(User.objects.filter(username="mara").exists())

    def test_another_role_is_another_right(self) -> None:
        self.assertTrue(User.objects.get(pk=self.operator.pk).has_perm("jobs.add_job"))
        self.assertContains(self.post("role", role=VIEWER), "operator is viewer now.")
        self.assertFalse(User.objects.get(pk=self.operator.pk).has_perm("jobs.add_job"))
        self.assertIn("was operator", AuditEntry.objects.get(verb="person.role").says)
        self.assertContains(self.post("role", role="king"), "expected one of viewer, operator, lead")

    def test_who_is_switched_off_is_out_at_once_with_all_tokens(self) -> None:
        client = self.signed_in("operator", "right-word")
        _, text = make_token(self.operator, "Queue", ["read"], 30)
        self.assertContains(self.post("switch"), "can no longer sign in")
        self.assertEqual(client.get("/jobs/").status_code, 302)
        self.assertIsNone(token_of(text))
        self.assertEqual(Client().post("/sign-in", {"username": "operator", "password": "right-word"}).status_code, 200)
        self.assertContains(self.post("switch", again="1"), "can sign in again")
        self.signed_in("operator", "right-word")

    def test_a_new_password_ends_the_old_one_and_every_session(self) -> None:
        client = self.signed_in("operator", "right-word")
        password = self.given(self.post("password"))
        self.assertEqual(client.get("/jobs/").status_code, 302)
        self.assertEqual(Client().post("/sign-in", {"username": "operator", "password": "right-word"}).status_code, 200)
        self.assertRedirects(
            self.signed_in("operator", password).get("/"), "/you/password", fetch_redirect_response=False
        )

    def test_sessions_are_ended_and_those_of_others_stay(self) -> None:
        one, two = (self.signed_in("operator", "right-word") for _ in range(2))
        other = self.signed_in("viewer", "right-word")
        self.assertContains(self.post("sessions"), "was signed in 2 times")
        self.assertEqual([client.get("/jobs/").status_code for client in (one, two, other)], [302, 302, 200])
        self.signed_in("operator", "right-word")

    def test_nobody_shuts_the_house_or_themselves_out(self) -> None:
        me = self.people[LEAD]
        for what in ("role", "switch", "password"):
            self.assertContains(self.post(what, me, role=VIEWER), "This is your own account")
        second = person(LEAD, "second")
        self.assertContains(self.post("role", second, role=VIEWER), "second is viewer now")
        User.objects.filter(pk=me.pk).update(is_superuser=True)
        self.post("role", second, role=LEAD)
        other = Client()
        other.force_login(second)
        for what in ("role", "switch", "password", "sessions"):
            answer = other.post(f"/house/people/{me.pk}/{what}", {"role": VIEWER}, follow=True)
            self.assertContains(answer, "only an administrator can do this")
        self.assertEqual(role_of(User.objects.get(pk=me.pk)), LEAD)

    def test_the_only_lead_stays_one(self) -> None:
        User.objects.filter(pk=self.people[LEAD].pk).update(is_superuser=True)
        admin = User.objects.get(pk=self.people[LEAD].pk)
        admin.groups.clear()
        second = person(LEAD, "second")
        self.assertContains(self.post("role", second, role=VIEWER), "second is the only lead; make another one first.")
        self.assertContains(self.post("switch", second), "is the only lead")
        self.assertTrue(User.objects.get(pk=second.pk).is_active)

    def test_an_operator_sees_no_accounts(self) -> None:
        self.sign_in(OPERATOR)
        self.assertEqual(self.client.get("/house/people/").status_code, 403)
        self.assertEqual(self.post("switch", self.people[VIEWER]).status_code, 403)
