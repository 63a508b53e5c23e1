"""Signing in with more than a password: a code after it, or by the provider of the house."""

from __future__ import annotations

from django.test import override_settings
from django_otp.oath import totp
from playwright.sync_api import expect

from brisk_web.accounts.models import ProviderAccount
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.config.environment import Provider
from brisk_web.pages.tests.small_provider import CLIENT, SECRET, SmallProvider


class SigningInTest(BrowserTestCase):
    def give_password(self) -> None:
        self.page.get_by_label("Username").fill("operator")
        self.page.get_by_label("Password").fill("right-word")
        self.page.get_by_role("button", name="Sign in").click()

    def test_a_second_step_from_switching_it_on_to_a_recovery_code(self) -> None:
        self.enter()
        self.page.goto(f"{self.live_server_url}/you/")
        self.page.get_by_role("link", name="Second step").click()
        self.assertGreater(self.page.get_by_alt_text("QR code").evaluate("one => one.naturalWidth"), 100)
        self.assertEqual(self.broken_rules(), [])
        key = self.client.session["second-step-secret"]
        self.page.get_by_label("Code from the app").fill(f"{totp(bytes.fromhex(key)):06}")
        self.page.get_by_label("Your password").fill("right-word")
        self.page.get_by_role("button", name="Switch it on").click()
        expect(self.page.get_by_text("From now on you are asked for a code")).to_be_visible()
        self.assertEqual(self.broken_rules(), [])
        code = self.page.locator("[data-recovery-codes] li").first.inner_text()
        self.page.get_by_role("button", name="Sign out").click()

        self.give_password()
        expect(self.page.get_by_label("Code")).to_be_focused()
        self.assertEqual(self.broken_rules(), [])
        self.page.keyboard.type("not-a-code")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("alert")).to_contain_text("none of your recovery codes")
        self.complaints = [one for one in self.complaints if "422" not in one]  # the refusal itself
        self.page.wait_for_timeout(1100)  # a wrong code costs a second
        self.page.get_by_label("Code").fill(code)
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_text("9 are left")).to_be_visible()

    def test_by_the_provider_of_the_house(self) -> None:
        provider = SmallProvider()
        self.addCleanup(provider.close)
        ProviderAccount.objects.create(user=self.people["operator"], issuer=provider.issuer, subject="s-1")
        house = Provider(issuer=provider.issuer, client=CLIENT, secret=SECRET, name="Harbour House", match="")
        with override_settings(SIGN_IN_PROVIDER=house):
            self.page.goto(f"{self.live_server_url}/jobs/")
            self.assertEqual(self.broken_rules(), [])
            self.page.get_by_role("link", name="Sign in with Harbour House").click()
            self.page.get_by_role("heading", name="Jobs").wait_for()

    def test_a_passkey_from_adding_it_to_signing_in(self) -> None:
        device = self.page.context.new_cdp_session(self.page)
        device.send("WebAuthn.enable")
        kind = {"protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True}
        id_ = device.send("WebAuthn.addVirtualAuthenticator", {"options": kind | {"isUserVerified": True}})
        self.enter()
        self.page.goto(f"{self.live_server_url}/you/")
        self.page.get_by_role("link", name="Passkeys").click()
        self.assertEqual(self.broken_rules(), [])
        self.page.get_by_label("Name of the passkey").fill("My laptop")
        self.page.get_by_label("Your password").fill("right-word")
        self.page.get_by_role("button", name="Add it").click()
        expect(self.page.get_by_text("“My laptop” signs you in from now on")).to_be_visible()
        self.assertEqual(self.broken_rules(), [])
        self.page.get_by_role("button", name="Sign out").click()
        self.page.get_by_label("Username").wait_for()

        self.page.goto(f"{self.live_server_url}/jobs/")
        held = {"authenticatorId": id_["authenticatorId"], "isUserVerified": False}
        device.send("WebAuthn.setUserVerified", held)
        self.page.get_by_role("link", name="Sign in with a passkey").click()
        expect(self.page.get_by_role("status")).to_contain_text("Nothing was confirmed")
        self.assertEqual(self.broken_rules(), [])
        device.send("WebAuthn.setUserVerified", held | {"isUserVerified": True})
        self.page.get_by_role("button", name="Ask my device again").click()
        self.page.get_by_role("heading", name="Jobs").wait_for()
