"""A code beside the password: switched on with proof, asked at every sign-in, worth nothing twice, and a way back."""

from __future__ import annotations

import base64
import re
from io import StringIO
from typing import Any
from unittest import mock

from django.contrib.auth import SESSION_KEY
from django.core.management import CommandError, call_command
from django.test import Client, TestCase
from django_otp.oath import totp
from django_otp.plugins.otp_static.models import StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

from brisk_web.accounts import second_step
from brisk_web.accounts.second_step import CodeRefused, Secret
from brisk_web.config.environment import ConfigurationRefused, read_environment
from brisk_web.house.models import AuditEntry
from brisk_web.testing import HouseMixin

AT = 1_800_000_000  # a moment at which a code of half a minute begins


class SecondStepTestCase(HouseMixin, TestCase):
    seconds = 0

    def setUp(self) -> None:
        super().setUp()
        for module in ("django_otp.plugins.otp_totp.models.time", "brisk_web.accounts.signing_in.time"):
            clock = mock.patch(f"{module}.time", side_effect=lambda: AT + self.seconds)
            clock.start()
            self.addCleanup(clock.stop)

    def code(self, key: str, later: int = 0) -> str:
        with mock.patch("django_otp.oath.time", return_value=AT + self.seconds + later):
            return f"{totp(bytes.fromhex(key)):06}"

    def begun(self, name: str = "operator") -> tuple[str, list[str]]:
        """The key and the recovery codes of a person who is asked for codes from now on."""
        secret = Secret.new()
        codes = second_step.begin(self.people[name], secret, self.code(secret.key))
        self.seconds += 30
        return secret.key, codes

    def give_password(self, client: Client | None = None, to: str = "/jobs/") -> Any:
        sent = {"username": "operator", "password": "right-word", "next": to}
        return (client or self.client).post("/sign-in", sent)

    def give(self, code: str) -> Any:
        return self.client.post("/sign-in/code", {"code": code})

    @property
    def is_signed_in(self) -> bool:
        return SESSION_KEY in self.client.session


class SigningInTest(SecondStepTestCase):
    def test_the_password_alone_no_longer_signs_in(self) -> None:
        key, _ = self.begun()
        self.assertRedirects(self.give_password(), "/sign-in/code", fetch_redirect_response=False)
        self.assertFalse(self.is_signed_in)
        self.assertEqual(self.client.get("/jobs/").status_code, 302)
        self.assertContains(self.client.get("/sign-in/code"), "six digits")
        self.assertRedirects(self.give(self.code(key)), "/jobs/")
        self.assertTrue(self.is_signed_in)
        self.assertEqual(AuditEntry.objects.filter(verb="person.signed-in").count(), 1)

    def test_others_are_not_asked(self) -> None:
        self.begun("lead")
        self.assertRedirects(self.give_password(), "/jobs/")

    def test_a_code_counts_once_and_a_late_one_not_at_all(self) -> None:
        key, _ = self.begun()
        used = self.code(key)
        self.give_password()
        self.give(used)
        self.client.post("/sign-out")
        self.give_password()
        self.assertContains(self.give(used), "or was used before", status_code=422)
        old = self.code(key)
        self.seconds += 600 - 1
        self.give_password()
        self.assertEqual(self.give(old).status_code, 422)
        self.assertFalse(self.is_signed_in)

    def test_guessing_slows_down_and_is_told_in_the_trail(self) -> None:
        key, _ = self.begun()
        self.give_password()
        wrong = "000000" if self.code(key) != "000000" else "000001"
        self.assertEqual(self.give(wrong).status_code, 422)
        self.assertContains(self.give(self.code(key)), "try again in 1 second.", status_code=422)
        self.assertFalse(self.is_signed_in)
        self.assertIn("Refused to sign in 'operator'", AuditEntry.objects.filter(verb="person.refused")[0].says)
        for _ in range(6):
            self.give(wrong)
        self.assertEqual(self.give(wrong).status_code, 429)
        self.assertEqual(self.give_password().status_code, 429)

    def test_nobody_gets_to_the_code_without_the_password_or_long_after_it(self) -> None:
        key, _ = self.begun()
        self.assertRedirects(self.client.get("/sign-in/code"), "/sign-in")
        self.assertRedirects(self.give(self.code(key)), "/sign-in")
        self.give_password()
        self.seconds += 601
        self.assertRedirects(self.give(self.code(key)), "/sign-in")
        self.assertFalse(self.is_signed_in)

    def test_a_changed_password_and_a_switched_off_account_end_what_was_begun(self) -> None:
        key, _ = self.begun()
        person = self.people["operator"]
        for change in ("password", "is_active"):
            self.give_password()
            person.set_password("another-word") if change == "password" else setattr(person, "is_active", False)
            person.save()
            self.assertRedirects(self.give(self.code(key)), "/sign-in")
            self.assertFalse(self.is_signed_in)
            person.set_password("right-word")
            person.save()

    def test_a_recovery_code_signs_in_once_and_says_how_many_are_left(self) -> None:
        _, codes = self.begun()
        self.give_password()
        self.assertContains(self.client.post("/sign-in/code", {"code": codes[3].upper()}, follow=True), "9 are left")
        self.client.post("/sign-out")
        self.give_password()
        self.assertContains(self.give(codes[3]), "none of your recovery codes", status_code=422)
        self.assertFalse(self.is_signed_in)

    def test_nothing_that_is_kept_of_a_recovery_code_signs_in(self) -> None:
        _, codes = self.begun()
        kept = set(StaticToken.objects.values_list("token", flat=True))
        self.assertEqual(len(kept), 10)
        self.assertFalse(kept & {code.replace("-", "") for code in codes})
        self.give_password()
        self.assertEqual(self.give(kept.pop()).status_code, 422)

    def test_the_administration_has_no_way_in_of_its_own(self) -> None:
        self.begun()
        sent = {"username": "operator", "password": "right-word", "next": "/admin/"}
        answer = self.client.post("/admin/login/", sent)
        self.assertRedirects(answer, "/sign-in?next=/admin/", fetch_redirect_response=False)
        self.assertFalse(self.is_signed_in)
        self.sign_in("lead")  # who is not for the administration is not sent in circles
        self.assertEqual(self.client.get("/admin/", follow=True).status_code, 403)

    def test_codes_of_another_person_are_wrong(self) -> None:
        self.begun()
        theirs, codes = self.begun("lead")
        self.give_password()
        for code in (self.code(theirs), codes[0], "", "x" * 5000, "\x00", "１２３４５６"):
            self.assertEqual(self.give(code).status_code, 422, code[:20])
            TOTPDevice.objects.update(throttling_failure_count=0)


class SwitchingOnTest(SecondStepTestCase):
    def shown_key(self) -> str:
        shown = self.client.get("/you/second-step")
        self.assertEqual(shown["Cache-Control"], "no-store")
        self.assertContains(shown, "data:image/svg+xml")
        return str(self.client.session["second-step-secret"])

    def switch_on(self, key: str, **instead: str) -> Any:
        return self.client.post("/you/second-step", {"code": self.code(key), "password": "right-word"} | instead)

    def test_it_is_on_once_a_code_proves_it_and_other_sessions_end(self) -> None:
        other = Client()
        other.force_login(self.people["operator"])
        self.sign_in("operator")
        key = self.shown_key()
        self.assertEqual(self.shown_key(), key)  # a page that is loaded again shows what was photographed
        for wrong, says in (({"password": "guess"}, "not your password"), ({"code": "12"}, "Is its clock right")):
            self.assertContains(self.switch_on(key, **wrong), says, status_code=422)
            self.assertFalse(second_step.has_second_step(self.people["operator"]))
        answer = self.switch_on(key)
        self.assertEqual(len(re.findall(r"<li>\w{5}-\w{5}</li>", answer.content.decode())), 10)
        self.assertTrue(second_step.has_second_step(self.people["operator"]))
        self.assertEqual(other.get("/you/").status_code, 302)
        self.assertEqual(self.client.get("/you/").status_code, 200)
        self.assertNotIn("second-step-secret", self.client.session)
        self.assertNotContains(self.client.get("/you/second-step"), "data-secret")
        self.assertEqual(AuditEntry.objects.filter(verb="person.second-step").count(), 1)

    def test_it_cannot_be_switched_on_over_one_that_is_on(self) -> None:
        self.sign_in("operator")
        key = self.shown_key()
        kept, _ = self.begun()
        self.assertContains(self.switch_on(key), "with a code already", status_code=422)
        self.assertEqual(TOTPDevice.objects.get(user=self.people["operator"]).key, kept)

    def test_new_codes_and_switching_off_want_the_password(self) -> None:
        _, codes = self.begun()
        self.sign_in("operator")
        for address in ("/you/second-step/codes", "/you/second-step/remove"):
            self.assertContains(self.client.post(address, {"password": "guess"}), "not your password", status_code=422)
        self.assertTrue(second_step.has_second_step(self.people["operator"]))
        self.assertContains(self.client.post("/you/second-step/codes", {"password": "right-word"}), "no longer count")
        with self.assertRaises(CodeRefused):
            second_step.check_code(self.people["operator"], codes[0])
        self.client.post("/you/second-step/remove", {"password": "right-word"})
        self.assertFalse(second_step.has_second_step(self.people["operator"]))
        self.assertEqual(second_step.codes_left(self.people["operator"]), 0)

    def test_a_lead_lets_in_whose_phone_is_gone_and_not_themselves(self) -> None:
        self.begun()
        self.begun("lead")
        self.sign_in("lead")
        operator, lead = self.people["operator"], self.people["lead"]
        self.assertContains(
            self.client.post(f"/house/people/{lead.pk}/second-step", follow=True), "This is your own account"
        )
        self.assertContains(
            self.client.post(f"/house/people/{operator.pk}/second-step", follow=True), "with the password alone until"
        )
        self.assertFalse(second_step.has_second_step(operator))
        self.assertTrue(second_step.has_second_step(lead))
        self.assertEqual(AuditEntry.objects.get(verb="person.second-step-removed").actor, lead)

    def test_whoever_runs_the_machine_can_as_well(self) -> None:
        self.begun("lead")
        told = StringIO()
        call_command("remove_second_step", "lead", stdout=told)
        self.assertIn("with the password alone now", told.getvalue())
        self.assertFalse(second_step.has_second_step(self.people["lead"]))
        with self.assertRaisesRegex(CommandError, "expected the name"):
            call_command("remove_second_step", "nobody")


class WantedTest(SecondStepTestCase):
    """A house that wants a code of leads, or of everybody."""

    def reached(self, *, by: str, of: str, path: str = "/jobs/") -> str:
        """Where a person ends who asks for a page."""
        with self.settings(SECOND_STEP_OF=of):
            self.client.force_login(self.people[by])
            answer = self.client.get(path)
        return str(answer["Location"]) if answer.status_code == 302 else path

    def test_nothing_else_opens_before_it_is_on(self) -> None:
        for by, of, shut in (
            ("lead", "leads", True),
            ("operator", "leads", False),
            ("operator", "everybody", True),
            ("viewer", "everybody", True),
            ("lead", "", False),
        ):
            for path in ("/jobs/", "/", "/files/", "/admin/", "/you/tokens"):
                if (by, path) != ("viewer", "/admin/"):
                    told = self.reached(by=by, of=of, path=path)
                    self.assertEqual(told == "/you/second-step", shut, (by, of, path, told))
        with self.settings(SECOND_STEP_OF="everybody"):
            self.assertEqual(self.client.get("/you/second-step").status_code, 200)
            self.assertEqual(self.client.get("/session").status_code, 200)
            self.assertEqual(self.client.post("/jobs/", {"title": "Locks"})["Location"], "/you/second-step")

    def test_switched_on_it_opens_and_stays_on(self) -> None:
        with self.settings(SECOND_STEP_OF="everybody"):
            self.give_password()
            page = self.client.get("/you/second-step").content.decode()
            self.assertIn("This house wants a code of you beside your password", page)
            self.assertNotIn("Cancel", page)
            shown = re.search(r"data-secret>([A-Z2-7 ]+)<", page)
            assert shown
            key = base64.b32decode(shown.group(1).replace(" ", "")).hex()
            sent = {"code": self.code(key), "password": "right-word"}
            self.assertContains(self.client.post("/you/second-step", sent), "data-recovery-codes")
            self.assertEqual(self.client.get("/jobs/").status_code, 200)
            kept = self.client.post("/you/second-step/remove", {"password": "right-word"})
            self.assertContains(kept, "This house wants a code of you; it stays on.", status_code=409)
            self.assertTrue(second_step.has_second_step(self.people["operator"]))
        self.client.post("/you/second-step/remove", {"password": "right-word"})
        self.assertFalse(second_step.has_second_step(self.people["operator"]))

    def test_whose_phone_is_gone_sets_it_up_anew_at_the_next_signing_in(self) -> None:
        self.begun()
        second_step.remove(self.people["operator"])
        with self.settings(SECOND_STEP_OF="everybody"):
            self.give_password()
            self.assertEqual(self.client.get("/jobs/")["Location"], "/you/second-step")

    def test_a_word_that_is_none_is_refused_at_the_start(self) -> None:
        all_of_them = mock.patch.dict("os.environ", {"BRISK_SECOND_STEP": "all"})
        with all_of_them, self.assertRaises(ConfigurationRefused) as refused:
            read_environment()
        self.assertIn("expected leads, everybody, or nothing", str(refused.exception))
