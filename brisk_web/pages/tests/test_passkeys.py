"""Passkeys: made with the password, for the name that is open; each sign-in proves who holds the device, once."""

from __future__ import annotations

import html
import json
import re
from typing import Any
from unittest import mock

from axes.models import AccessAttempt
from cryptography.hazmat.primitives.asymmetric import ec
from django.contrib.auth import SESSION_KEY
from django.test import Client, TestCase, override_settings
from django_otp.plugins.otp_totp.models import TOTPDevice
from fido2.cose import UnsupportedKey

from brisk_web.accounts import passkeys
from brisk_web.accounts.models import Passkey
from brisk_web.house.models import AuditEntry
from brisk_web.pages.tests.soft_device import UP, UV, SoftDevice
from brisk_web.testing import HouseMixin

NOT_RIGHT = "is not right for this house"
UNKNOWN = "does not know that passkey"


def options_of(answer: Any) -> Any:
    """What a page asks a device, of its form."""
    found = re.search(r'data-options="([^"]*)"', answer.content.decode())
    return json.loads(html.unescape(found[1])) if found else None


class SecureClient(Client):
    """A browser that opens the house over TLS."""

    def generic(self, *args: Any, **more: Any) -> Any:
        return super().generic(*args, **more | {"secure": True})


class PasskeyTestCase(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.client = SecureClient()
        self.client.force_login(self.people["operator"])

    def begin(self, name: str = "My phone", password: str = "right-word") -> Any:  # noqa: S107
        return self.client.post("/you/passkeys", {"name": name, "password": password})

    def added(self, name: str = "My phone") -> SoftDevice:
        """A device of which the operator has added the passkey."""
        device = SoftDevice()
        answer = self.client.post("/you/passkeys/add", {"answer": device.made(options_of(self.begin(name)))})
        self.assertRedirects(answer, "/you/passkeys")
        return device

    def sign(self, device: SoftDevice, browser: Client | None = None, to: str = "/jobs/", **wrong: Any) -> Any:
        browser = browser or SecureClient()
        AccessAttempt.objects.all().delete()  # or the throttle answers after some
        options = options_of(browser.get("/sign-in/passkey", {"next": to}))
        answer = browser.post("/sign-in/passkey", {"answer": device.signed(options, **wrong)}, follow=True)
        answer.is_in = SESSION_KEY in browser.session
        return answer


class SigningInTest(PasskeyTestCase):
    def test_one_signs_in_without_name_password_or_code(self) -> None:
        device = self.added()
        TOTPDevice.objects.create(user=self.people["operator"], confirmed=True)
        for _ in range(2):
            answer = self.sign(device)
            self.assertTrue(answer.is_in)
            self.assertEqual(answer.redirect_chain, [("/jobs/", 302)])
        self.assertIsNotNone(Passkey.objects.get().used_at)
        entry = AuditEntry.objects.filter(verb="person.signed-in").latest("pk")
        self.assertEqual(entry.actor, self.people["operator"])

    def test_wherever_one_wanted_to_go(self) -> None:
        device = self.added()
        for to, gone in (
            ("0", "0"),
            ("//evil.example/", "/"),
            ("https://evil.example/", "/"),
            ("/files/?q=%00", "/files/?q=%00"),
        ):
            self.assertEqual(self.sign(device, to=to).redirect_chain[0], (gone, 302))

    def test_it_is_step_enough_for_a_house_that_wants_two(self) -> None:
        device, browser = self.added(), SecureClient()
        with override_settings(SECOND_STEP_OF="everybody"):
            self.assertEqual(self.sign(device, browser).redirect_chain, [("/jobs/", 302)])
            browser.post("/sign-out")
            browser.post("/sign-in", {"username": "operator", "password": "right-word"})
            self.assertRedirects(browser.get("/jobs/"), "/you/second-step")

    def test_it_is_offered_where_the_house_knows_any(self) -> None:
        self.assertNotContains(SecureClient().get("/sign-in"), "Sign in with a passkey")
        self.added()
        self.assertContains(SecureClient().get("/sign-in"), "Sign in with a passkey")
        Passkey.objects.update(house="other.example")
        self.assertNotContains(SecureClient().get("/sign-in"), "Sign in with a passkey")

    def test_what_is_wrong_lets_nobody_in(self) -> None:
        device = self.added()
        for wrong in (
            {"origin": "https://testserver.evil.example"},
            {"origin": "http://testserver"},
            {"origin": "https://testserver:8443"},
            {"house": "evil.example"},
            {"challenge": "AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"},
            {"type": "webauthn.create"},
            {"flags": UP},
            {"flags": UV},
            {"key": ec.generate_private_key(ec.SECP256R1())},
        ):
            with self.subTest(wrong):
                answer = self.sign(device, **wrong)
                self.assertContains(answer, NOT_RIGHT)
                self.assertFalse(answer.is_in)
        self.assertTrue(self.sign(device).is_in)
        for wrong, says in (
            ({"cross_origin": True}, "inside another page"),
            ({"handle": b"another"}, "made for somebody else"),
            ({"counts": -2}, "counted backwards"),
            ({"counts": -1}, "counted backwards"),
        ):
            self.assertContains(self.sign(device, **wrong), says)
        device.count = 100
        self.assertTrue(self.sign(device).is_in)

    def test_a_device_that_does_not_count_is_taken(self) -> None:
        device = self.added()
        for _ in range(2):
            self.assertTrue(self.sign(device, counts=0).is_in)

    def test_an_answer_counts_once_and_a_late_one_not_at_all(self) -> None:
        device, browser = self.added(), SecureClient()
        late, first = device.signed(options_of(browser.get("/sign-in/passkey"))), device.count
        with mock.patch("brisk_web.pages.passkeys.time.time", return_value=4e9):
            self.assertContains(browser.post("/sign-in/passkey", {"answer": late}, follow=True), "too long ago")
        self.assertContains(browser.post("/sign-in/passkey", {"answer": late}, follow=True), "too long ago")
        options = options_of(browser.get("/sign-in/passkey"))
        self.assertContains(browser.post("/sign-in/passkey", {"answer": late}, follow=True), NOT_RIGHT)
        stolen = SecureClient()  # another browser was asked something else
        stolen.get("/sign-in/passkey")
        right = device.signed(options)
        self.assertContains(stolen.post("/sign-in/passkey", {"answer": right}, follow=True), NOT_RIGHT)
        self.assertGreater(device.count, first)

    def test_strangers_and_those_who_are_switched_off_stay_out(self) -> None:
        device, stranger = self.added(), SoftDevice()
        self.assertContains(self.sign(stranger), UNKNOWN)
        self.people["operator"].is_active = False
        self.people["operator"].save()
        self.assertContains(self.sign(device), UNKNOWN)

    def test_tries_with_somebody_s_passkey_are_on_the_trail(self) -> None:
        self.sign(self.added(), key=ec.generate_private_key(ec.SECP256R1()))
        self.assertIn("Refused to sign in 'operator'", AuditEntry.objects.filter(verb="person.refused")[0].says)

    def test_whatever_is_sent_ends_in_a_sentence(self) -> None:
        device = self.added()
        right = json.loads(device.signed({"challenge": "AAAA"}))
        hostile: list[Any] = ["", "x", "[]", "null", "1", "{}", "[" * 20_000, "é" * 30_000, '{"id":1}']
        for name in right["response"]:
            hostile += [
                json.dumps(right | {"response": right["response"] | {name: text}}) for text in ("", "AA", "é", [])
            ]
        for text in hostile:
            browser = SecureClient()
            browser.get("/sign-in/passkey")
            answer = browser.post("/sign-in/passkey", {"answer": text}, follow=True)
            self.assertRegex(answer.content.decode(), f"{NOT_RIGHT}|{UNKNOWN}")
            self.begin("another")
            self.assertContains(self.client.post("/you/passkeys/add", {"answer": text}), NOT_RIGHT, status_code=422)


class KeepingTest(PasskeyTestCase):
    def test_adding_one_takes_the_password_and_a_name(self) -> None:
        self.assertContains(self.begin(password="wrong"), "This is not your password", status_code=422)
        self.assertContains(self.begin(name="  "), "Give it a name", status_code=422)
        answer = self.client.post(
            "/you/passkeys/add", {"answer": SoftDevice().made({"user": {"id": ""}, "challenge": ""})}
        )
        self.assertContains(answer, "too long ago", status_code=422)
        self.added("My  phone")
        self.assertContains(self.client.get("/you/passkeys"), "My phone")
        self.assertEqual(AuditEntry.objects.filter(verb="person.passkey-added").count(), 1)

    def test_what_is_wrong_is_not_added(self) -> None:
        for wrong in (
            {"origin": "https://evil.example"},
            {"house": "evil.example"},
            {"flags": UP},
            {"challenge": "AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"},
            {"type": "webauthn.get"},
        ):
            made = SoftDevice().made(options_of(self.begin()), **wrong)
            self.assertContains(self.client.post("/you/passkeys/add", {"answer": made}), NOT_RIGHT, status_code=422)
        odd = SoftDevice().made(options_of(self.begin()), key=UnsupportedKey({1: 2, 3: -9999}))
        self.assertContains(self.client.post("/you/passkeys/add", {"answer": odd}), "of a kind", status_code=422)
        self.assertFalse(Passkey.objects.exists())

    def test_a_passkey_is_one_person_s_and_ten_are_the_most(self) -> None:
        device = self.added()
        self.client.force_login(self.people["lead"])
        again = device.made(options_of(self.begin()))
        self.assertContains(self.client.post("/you/passkeys/add", {"answer": again}), "already", status_code=422)
        self.client.force_login(self.people["operator"])
        first = options_of(self.begin("key"))
        self.assertEqual(len(first["excludeCredentials"]), 1)
        for number in range(passkeys.MOST - 1):
            self.added(f"key {number}")
        self.assertContains(self.begin("key 1"), "You have one called", status_code=422)
        self.assertEqual(options_of(self.begin("another")), None)
        self.assertContains(self.begin("another"), "as many as one may have", status_code=422)
        self.assertEqual(len({bytes(one.handle) for one in Passkey.objects.all()}), 1)

    def test_removing_one_takes_the_password_and_ends_what_it_began(self) -> None:
        device, elsewhere = self.added(), SecureClient()
        self.sign(device, elsewhere)
        address = f"/you/passkeys/{Passkey.objects.get().pk}/remove"
        self.assertContains(self.client.post(address, {"password": "wrong"}), "not your password", status_code=422)
        lead = SecureClient()
        lead.force_login(self.people["lead"])
        self.assertEqual(lead.post(address, {"password": "right-word"}).status_code, 404)
        self.assertRedirects(self.client.post(address, {"password": "right-word"}), "/you/passkeys")
        self.assertEqual(elsewhere.get("/jobs/").status_code, 302)
        self.assertEqual(self.client.get("/jobs/").status_code, 200)
        self.assertContains(self.sign(device), UNKNOWN)

    def test_a_lead_removes_those_of_a_lost_device_and_a_new_password_ends_them(self) -> None:
        lead = SecureClient()
        lead.force_login(self.people["lead"])
        address = f"/house/people/{self.people['operator'].pk}"
        for verb, says in (("passkeys", "No passkey signs"), ("password", "with this password")):
            device = self.added()
            self.assertContains(lead.post(f"{address}/{verb}", follow=True), says)
            self.assertContains(self.sign(device), UNKNOWN)
            self.client.force_login(self.people["operator"])
        self.assertContains(lead.post(f"{address}/passkeys", follow=True), "has no passkey")
        own = lead.post(f"/house/people/{self.people['lead'].pk}/passkeys", follow=True)
        self.assertContains(own, "This is your own account")

    @override_settings(ALLOWED_HOSTS=["*"])
    def test_why_none_can_be_made_at_an_address(self) -> None:
        for host, scheme, says in (
            ("127.0.0.1:8000", "http", "open at 127.0.0.1, and passkeys are made for a name"),
            ("[::1]:8000", "https", "passkeys are made for a name"),
            ("house.example:8000", "http", "over https only"),
            ("localhost:8000", "http", "Add a passkey for localhost"),
            ("house.example", "https", "Add a passkey for house.example"),
        ):
            page = self.client.get("/you/passkeys", headers={"Host": host}, **{"wsgi.url_scheme": scheme})  # type: ignore[arg-type]
            self.assertContains(page, says)
