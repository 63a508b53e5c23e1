"""Signing in by the provider of a house: whoever it proves, and nobody whom it does not."""

from __future__ import annotations

import time
from typing import Any
from unittest import mock

from django.contrib.auth import SESSION_KEY, get_user_model
from django.test import SimpleTestCase, TestCase, override_settings
from joserfc.jwk import RSAKey

from brisk_web.accounts import second_step
from brisk_web.accounts.models import Preference, ProviderAccount
from brisk_web.accounts.second_step import Secret
from brisk_web.config.environment import ConfigurationRefused, Provider, _provider
from brisk_web.house.models import AuditEntry
from brisk_web.pages.tests.small_provider import CLIENT, FORGED, SECRET, SmallProvider, unsigned
from brisk_web.testing import HouseMixin


class ProviderTestCase(HouseMixin, TestCase):
    match = ""

    def setUp(self) -> None:
        super().setUp()
        self.provider = SmallProvider()
        self.addCleanup(self.provider.close)
        asked = Provider(
            issuer=self.provider.issuer, client=CLIENT, secret=SECRET, name="Harbour House", match=self.match
        )
        settings = override_settings(SIGN_IN_PROVIDER=asked)
        settings.enable()
        self.addCleanup(settings.disable)

    def go(self, to: str = "") -> Any:
        """Follow the way to the provider and back; return the answer to who comes back."""
        sent = self.client.get("/sign-in/provider", {"next": to} if to else {})
        self.assertTrue(sent["Location"].startswith(f"{self.provider.issuer}/authorize"), sent["Location"])
        return self.client.get(self.provider.let_in(sent["Location"]))

    def join(self, name: str = "operator", subject: str = "s-1") -> None:
        ProviderAccount.objects.create(user=self.people[name], issuer=self.provider.issuer, subject=subject)

    @property
    def signed_in(self) -> str | None:
        found = self.client.session.get(SESSION_KEY)
        return get_user_model().objects.get(pk=found).get_username() if found else None

    def says(self, answer: Any) -> str:
        return str(self.client.get(answer["Location"]).content.decode())


class SigningInTest(ProviderTestCase):
    def test_who_has_joined_an_account_is_signed_in_by_it(self) -> None:
        self.join()
        self.assertContains(self.client.get("/sign-in"), "Sign in with Harbour House")
        self.assertRedirects(self.go("/jobs/"), "/jobs/")
        self.assertEqual(self.signed_in, "operator")
        self.assertEqual(AuditEntry.objects.filter(verb="person.signed-in").count(), 1)

    def test_addresses_outside_are_not_gone_to(self) -> None:
        self.join()
        self.assertRedirects(self.go("https://elsewhere.example/"), "/")

    def test_who_is_not_known_here_is_not_let_in_and_told_what_to_do(self) -> None:
        self.join(subject="s-2")
        self.provider.claims = {"preferred_username": "operator", "email": "operator", "email_verified": True}
        self.assertIn("join the two on your own page", self.says(self.go()))
        self.assertIsNone(self.signed_in)

    def test_who_is_switched_off_is_not_let_in(self) -> None:
        self.join()
        get_user_model().objects.filter(username="operator").update(is_active=False)
        self.go()
        self.assertIsNone(self.signed_in)

    def test_the_second_step_of_this_house_is_asked_here_too(self) -> None:
        self.join()
        secret = Secret.new()
        with mock.patch.object(second_step.TOTPDevice, "verify_token", lambda device, _: device.save() or True):
            codes = second_step.begin(self.people["operator"], secret, "123456")
        self.assertRedirects(self.go("/jobs/"), "/sign-in/code")
        self.assertIsNone(self.signed_in)
        self.assertRedirects(self.client.post("/sign-in/code", {"code": codes[0]}), "/jobs/")

    def test_a_password_that_was_given_is_not_owed_by_who_did_not_use_it(self) -> None:
        self.join()
        Preference.objects.create(user=self.people["operator"], password_given=True)
        self.go()
        self.assertEqual(self.client.get("/jobs/").status_code, 200)

    def test_a_second_step_that_the_house_wants_is_the_provider_s_own_here(self) -> None:
        self.join()
        with self.settings(SECOND_STEP_OF="everybody"):
            self.go()
            self.assertEqual(self.client.get("/jobs/").status_code, 200)

    def test_what_is_not_proven_lets_nobody_in(self) -> None:
        self.join()
        now = int(time.time())
        stranger = RSAKey.generate_key(2048, {"kid": "one"})
        for name, wrong in {
            "signed by somebody else": {"signs_with": stranger},
            "signed by what everybody knows": {"signs_with": FORGED, "algorithm": "HS256"},
            "of another issuer": {"instead": {"iss": "https://elsewhere.example"}},
            "for another application": {"instead": {"aud": "another"}},
            "of another sign-in": {"instead": {"nonce": "another"}},
            "long over": {"instead": {"exp": now - 3600, "iat": now - 7200}},
            "of nobody": {"subject": None},
            "of a number": {"instead": {"sub": 7}},
        }.items():
            right = {what: getattr(self.provider, what) for what in wrong}
            for what, value in wrong.items():
                setattr(self.provider, what, value)
            with self.subTest(name):
                self.assertRegex(self.says(self.go()), "does not fit what was asked|does not say who you are")
                self.assertIsNone(self.signed_in)
            for what, value in right.items():
                setattr(self.provider, what, value)
        self.assertRedirects(self.go(), "/")
        self.assertEqual(self.signed_in, "operator")

    def test_a_token_that_nobody_signed_lets_nobody_in(self) -> None:
        self.join()

        def token(sent: dict[str, str]) -> dict[str, Any]:
            asked = self.provider._asked.pop(sent["code"])
            claims = {"iss": self.provider.issuer, "aud": CLIENT, "sub": "s-1", "nonce": asked["nonce"]}
            now = int(time.time())
            text = unsigned(claims | {"iat": now, "exp": now + 60})
            return {"access_token": "at", "token_type": "Bearer", "id_token": text}

        with mock.patch.object(self.provider, "token", token):
            self.assertIn("does not fit what was asked", self.says(self.go()))
        self.assertIsNone(self.signed_in)

    def test_coming_back_without_having_gone_or_twice_or_from_another_browser(self) -> None:
        self.join()
        self.assertIn("Nobody went to sign in", self.says(self.client.get("/sign-in/provider/back?code=a&state=b")))
        sent = self.client.get("/sign-in/provider")
        address = self.provider.let_in(sent["Location"])
        other = self.client_class()
        self.assertEqual(other.get(address)["Location"], "/sign-in")
        self.assertNotIn(SESSION_KEY, other.session)
        self.client.get("/sign-in/provider")
        self.assertIn("does not fit", self.says(self.client.get(address.replace("state=", "state=x"))))
        self.assertEqual(self.go().status_code, 302)
        self.client.post("/sign-out")
        self.assertEqual(self.client.get(address)["Location"], "/sign-in")
        self.assertIsNone(self.signed_in)

    def test_what_the_provider_refuses_is_told_without_its_words(self) -> None:
        self.client.get("/sign-in/provider")
        back = "/sign-in/provider/back?error=access_denied&error_description=<b>call+0800</b>&state=x"
        told = self.says(self.client.get(back))
        self.assertIn("Harbour House did not let you in", told)
        self.assertNotIn("0800", told)
        for hostile in ("error=%00", "code=%00&state=%00", "code=" + "9" * 5000, "state[]=1", ""):
            self.client.get("/sign-in/provider")
            self.assertEqual(self.client.get(f"/sign-in/provider/back?{hostile}").status_code, 302, hostile[:20])

    def test_a_provider_that_is_away_or_calls_itself_otherwise(self) -> None:
        self.provider.calls_itself = "https://elsewhere.example"
        self.assertIn("does not answer; sign in with your password", self.says(self.client.get("/sign-in/provider")))
        self.provider.calls_itself = None
        self.assertEqual(self.client.get("/sign-in/provider")["Location"].split("?")[0][-10:], "/authorize")
        self.provider.close()
        with override_settings(SIGN_IN_PROVIDER=Provider(
            issuer="http://127.0.0.1:9", client=CLIENT, secret=SECRET, name="Harbour House", match=""
        )):  # fmt: skip
            self.assertIn("does not answer", self.says(self.client.get("/sign-in/provider")))


class MatchTest(ProviderTestCase):
    match = "preferred_username"

    def test_a_claim_that_the_house_named_finds_the_account_of_that_name_once(self) -> None:
        self.provider.claims = {"preferred_username": "operator"}
        self.go()
        self.assertEqual(self.signed_in, "operator")
        self.client.post("/sign-out")
        self.provider.subject = "s-2"  # somebody who has taken that name at the provider since
        self.go()
        self.assertIsNone(self.signed_in)
        self.provider.subject, self.provider.claims = "s-1", {"preferred_username": "lead"}
        self.go()
        self.assertEqual(self.signed_in, "operator")

    def test_administrators_are_never_found_by_a_name(self) -> None:
        get_user_model().objects.create_superuser("ruler", password="right-word")
        for name in ("ruler", "nobody", "", "\x00", ["operator"], None):
            self.provider.claims = {"preferred_username": name}
            self.go()
            self.assertIsNone(self.signed_in, name)


class AddressTest(ProviderTestCase):
    match = "email"

    def test_an_address_counts_only_where_the_provider_has_made_sure_of_it(self) -> None:
        get_user_model().objects.filter(username="operator").update(username="otto@harbour.example")
        for verified in (None, False, "true"):
            self.provider.claims = {"email": "otto@harbour.example", "email_verified": verified}
            self.go()
            self.assertIsNone(self.signed_in)
        self.provider.claims["email_verified"] = True
        self.go()
        self.assertEqual(self.signed_in, "otto@harbour.example")


class JoiningTest(ProviderTestCase):
    def test_one_joins_an_account_with_the_password_and_parts_from_it(self) -> None:
        self.sign_in("operator")
        self.assertRedirects(self.client.get("/sign-in/provider"), "/you/provider")  # nobody is lured into it
        self.assertContains(
            self.client.post("/you/provider", {"password": "guess"}), "not your password", status_code=422
        )
        self.assertContains(self.client.post("/you/provider", {"password": "right-word"}), "Go on to Harbour House")
        self.assertIn("you can sign in with Harbour House", self.says(self.go()))
        self.assertEqual(ProviderAccount.objects.get().user, self.people["operator"])
        self.assertRedirects(self.client.get("/sign-in/provider"), "/you/provider")  # the password counted once
        self.assertContains(self.client.get("/you/provider"), "No longer sign in with it")
        self.client.post("/you/provider/part")
        self.assertFalse(ProviderAccount.objects.exists())
        verbs = [entry.verb for entry in AuditEntry.objects.order_by("pk")]
        self.assertEqual(verbs[-2:], ["person.joined-provider", "person.parted-provider"])

    def test_an_account_is_one_person_s(self) -> None:
        self.join("lead")
        self.sign_in("operator")
        self.client.post("/you/provider", {"password": "right-word"})
        self.assertIn("Somebody else of this house", self.says(self.go()))
        self.assertEqual(ProviderAccount.objects.get().user, self.people["lead"])

    def test_nobody_joins_by_coming_back_who_was_not_asked_for_the_password(self) -> None:
        sent = self.client.get("/sign-in/provider")
        address = self.provider.let_in(sent["Location"])
        self.client.post("/sign-in", {"username": "operator", "password": "right-word"})
        self.client.get(address)
        self.assertFalse(ProviderAccount.objects.exists())


class WithoutProviderTest(HouseMixin, TestCase):
    def test_a_house_without_one_shows_none_of_it(self) -> None:
        self.assertNotContains(self.client.get("/sign-in"), "Sign in with ")
        for address in ("/sign-in/provider", "/sign-in/provider/back"):
            self.assertEqual(self.client.get(address).status_code, 404)
        self.sign_in("operator")
        self.assertEqual(self.client.get("/you/provider").status_code, 404)


class ConfigurationTest(SimpleTestCase):
    def test_what_is_named_outside(self) -> None:
        for said, expected in (
            ({}, None),
            ({"BRISK_OIDC": "https://id.example/", "BRISK_OIDC_CLIENT": "a"}, ("https://id.example", "id.example")),
            ({"BRISK_OIDC": "http://127.0.0.1:9", "BRISK_OIDC_CLIENT": "a", "BRISK_OIDC_NAME": "X"},
             ("http://127.0.0.1:9", "X")),
        ):  # fmt: skip
            with mock.patch.dict("os.environ", said):
                found = _provider()
            self.assertEqual((found.issuer, found.name) if found else None, expected)
        for said, says in (
            ({"BRISK_OIDC": "http://id.example", "BRISK_OIDC_CLIENT": "a"}, "expected the https:// address"),
            ({"BRISK_OIDC": "https://id.example"}, "BRISK_OIDC_CLIENT is not"),
            ({"BRISK_OIDC": "harbour"}, "expected the https:// address"),
        ):
            with mock.patch.dict("os.environ", said), self.assertRaisesRegex(ConfigurationRefused, says):
                _provider()
