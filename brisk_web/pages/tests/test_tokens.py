"""The page of one's own tokens."""

from __future__ import annotations

import re
from datetime import timedelta
from typing import Any
from unittest import mock

from django.test import Client, TestCase
from django.utils import timezone

from brisk_web.accounts.roles import OPERATOR, VIEWER
from brisk_web.house.models import AuditEntry, Token
from brisk_web.house.tokens import make_token, token_of
from brisk_web.testing import HouseMixin

ENTRIES = {"name": "Render queue", "scopes": ["read", "take-in"], "days": "30"}


class TokensTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(OPERATOR)

    def make(self, **instead: Any) -> Any:
        return self.client.post("/you/tokens", ENTRIES | instead)

    def test_its_text_is_shown_once_and_kept_nowhere(self) -> None:
        page = self.make()
        text = re.search(r"data-token>([^<]+)<", page.content.decode())
        assert text
        self.assertEqual(page["Cache-Control"], "no-store")
        self.assertNotIn(text[1], self.client.get("/you/tokens").content.decode())
        token = Token.objects.get()
        self.assertEqual((token.owner, token.scopes), (self.people[OPERATOR], ["read", "take-in"]))
        self.assertNotIn(text[1], repr(Token.objects.values().get()))
        self.assertFalse(AuditEntry.objects.filter(says__contains=text[1]).exists())
        self.assertIn("for read, take-in, 30 days", AuditEntry.objects.get(verb="token.made").says)
        self.assertEqual(token_of(text[1]), token)
        days = (token.expires_at - timezone.now()) / timedelta(days=1)
        self.assertAlmostEqual(days, 30, delta=0.01)

    def test_what_is_no_token_is_said_at_its_field(self) -> None:
        for name, value in (("name", ""), ("scopes", []), ("scopes", ["everything"]), ("days", "0"), ("days", "367")):
            answer = self.make(**{name: value})
            self.assertEqual((answer.status_code, list(answer.context["form"].errors)), (422, [name]))
        with mock.patch("brisk_web.pages.tokens._MOST_TOKENS", 0):
            self.assertContains(self.make(), "end one of them first", status_code=422)
        self.assertFalse(Token.objects.exists())

    def test_it_is_ended_by_its_owner_alone_and_never_comes_back(self) -> None:
        token, text = make_token(self.people[OPERATOR], "Render queue", ["read"], 30)
        other = Client()
        other.force_login(self.people[VIEWER])
        self.assertEqual(other.post(f"/you/tokens/{token.pk}/retire").status_code, 404)
        self.assertNotContains(other.get("/you/tokens"), "Render queue")
        self.assertEqual(token_of(text), token)
        self.assertContains(self.client.post(f"/you/tokens/{token.pk}/retire", follow=True), "counts no longer")
        self.assertIsNone(token_of(text))
        self.assertEqual(self.client.post(f"/you/tokens/{token.pk}/retire", {"again": "1"}).status_code, 404)

    def test_when_it_was_used_is_noted_now_and_then(self) -> None:
        token, text = make_token(self.people[OPERATOR], "Render queue", ["read"], 30)
        self.assertContains(self.client.get("/you/tokens"), "never")
        token_of(text)
        token.refresh_from_db()
        first = token.used_at
        self.assertIsNotNone(first)
        token_of(text)
        token.refresh_from_db()
        self.assertEqual(token.used_at, first)
        Token.objects.update(expires_at=timezone.now())
        self.assertContains(self.client.get("/you/tokens"), "it is over")
