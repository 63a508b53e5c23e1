"""The chain over the audit trail: it holds while nothing is touched, and says where something was."""

from __future__ import annotations

import hashlib
import io
import json
from collections.abc import Iterator
from contextlib import contextmanager
from unittest import mock

from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import ProgrammingError, connection, transaction
from django.test import TestCase

from brisk_web.house import chain
from brisk_web.house.models import AuditEntry, AuditSeal
from brisk_web.house.services import record
from brisk_web.testing import HouseMixin


@contextmanager
def as_an_intruder() -> Iterator[None]:
    """Let somebody who rules the database change what is append only."""
    with connection.cursor() as cursor:
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        for table in ("house_auditentry", "house_auditseal"):
            cursor.execute(f"ALTER TABLE {table} DISABLE TRIGGER USER")
        yield
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        for table in ("house_auditentry", "house_auditseal"):
            cursor.execute(f"ALTER TABLE {table} ENABLE TRIGGER USER")


class ChainTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        for number in range(5):
            record("test.done", self.people["lead"], f"Did thing {number} — été", by=self.people["lead"])
        self.assertEqual(chain.seal(), 5)

    def test_a_seal_can_be_worked_out_by_anybody(self) -> None:
        entry = AuditEntry.objects.first()
        assert entry
        text = (
            f'[{entry.pk}, "{entry.at.isoformat()}", {entry.actor_id}, "test.done", "{entry.target}", '
            f'"{entry.says}", "{"0" * 64}"]'
        )
        self.assertIn("é", text)
        self.assertEqual(chain.digest_of(entry, "0" * 64), hashlib.sha256(text.encode()).hexdigest())

    def test_it_holds_grows_and_is_sealed_once(self) -> None:
        self.assertEqual(chain.seal(), 0)
        self.assertIsNone(chain.verify())
        before = chain.head()
        record("test.done", self.people["lead"], "Did another")
        self.assertIsNone(chain.verify(kept=before))  # what is not sealed yet breaks nothing
        self.assertEqual(chain.seal(), 1)
        self.assertIsNone(chain.verify(kept=before))
        self.assertEqual(chain.head()[0], 6)

    def test_a_trail_that_is_longer_than_a_step_is_sealed_whole(self) -> None:
        for more in (3, 6, 7):  # less than two steps, two of them, and one more
            for number in range(more):
                record("test.done", self.people["lead"], f"Thing {number}", by=self.people["lead"])
            with mock.patch("brisk_web.house.chain._BATCH", 3):
                self.assertEqual((chain.seal(), chain.seal()), (more, 0))
        self.assertIsNone(chain.verify())

    def test_entries_that_became_visible_late_are_sealed_after_those_that_were_sealed(self) -> None:
        late = AuditEntry.objects.create(pk=-1, verb="late", target="x:1", says="Was written by a slow transaction")
        chain.seal()
        self.assertEqual(AuditSeal.objects.get(entry=late).number, 6)
        self.assertIsNone(chain.verify())

    def test_whatever_an_intruder_changes_is_found_at_its_place(self) -> None:
        third = AuditSeal.objects.get(number=3)
        for says, change in (
            ("not as it was sealed", "UPDATE house_auditentry SET says = 'Did nothing' WHERE id = %(entry)s"),
            ("not as it was sealed", "UPDATE house_auditentry SET actor_id = NULL WHERE id = %(entry)s"),
            ("not as it was sealed", "UPDATE house_auditentry SET at = at + interval '1 s' WHERE id = %(entry)s"),
            (
                "is missing",
                "DELETE FROM house_auditseal WHERE number = 3; DELETE FROM house_auditentry WHERE id = %(entry)s",
            ),
            ("not as it was sealed", "UPDATE house_auditseal SET digest = repeat('a', 64) WHERE number = 3"),
        ):
            with self.subTest(change), transaction.atomic():
                with as_an_intruder(), connection.cursor() as cursor:
                    cursor.execute(change, {"entry": third.entry_id})
                wrong = chain.verify()
                assert wrong
                self.assertEqual(wrong.number, 3)
                self.assertIn(says, wrong.says)
                transaction.set_rollback(True)
        self.assertIsNone(chain.verify())

    def test_a_chain_that_was_cut_short_or_made_anew_does_not_contain_a_head_that_was_kept(self) -> None:
        kept = chain.head()
        with as_an_intruder(), connection.cursor() as cursor:
            cursor.execute("DELETE FROM house_auditseal WHERE number = 5")
        self.assertIsNone(chain.verify())
        wrong = chain.verify(kept=kept)
        assert wrong
        self.assertIn("kept elsewhere", wrong.says)

    def test_the_database_lets_nobody_change_a_seal(self) -> None:
        for change in ("UPDATE house_auditseal SET digest = ''", "DELETE FROM house_auditseal"):
            with (
                self.assertRaisesRegex(ProgrammingError, "append only"),
                transaction.atomic(),
                connection.cursor() as cursor,
            ):
                cursor.execute(change)

    def test_the_command_says_the_head_exports_and_fails_on_a_break(self) -> None:
        out = io.StringIO()
        call_command("verify_trail", stdout=out)
        number, digest = chain.head()
        self.assertIn(f"{number}:{digest}", out.getvalue())
        call_command("verify_trail", kept=f"{number}:{digest}", stdout=out)
        for kept in ("5", "x:y", f"5:{'0' * 63}"):
            with self.assertRaisesRegex(CommandError, "expected a number"):
                call_command("verify_trail", kept=kept, stdout=out)
        lines = io.StringIO()
        call_command("verify_trail", export=True, stdout=lines)
        rows = [json.loads(line) for line in lines.getvalue().splitlines()]
        self.assertEqual([row["number"] for row in rows], [1, 2, 3, 4, 5])
        self.assertEqual(rows[-1]["seal"], digest)
        with self.assertRaisesRegex(CommandError, "kept elsewhere"):
            call_command("verify_trail", kept=f"4:{digest}", stdout=out)

    def test_the_page_tells_verifies_and_exports(self) -> None:
        self.sign_in("lead")
        self.assertContains(self.client.get("/house/"), "5 entries are sealed")
        self.assertContains(self.client.post("/house/trail/verify", follow=True), "The audit trail holds")
        answer = b"".join(self.client.get("/house/trail.jsonl").streaming_content)  # type: ignore[attr-defined]
        self.assertEqual(len(answer.splitlines()), chain.head()[0])
        self.sign_in("operator")
        self.assertEqual(self.client.get("/house/trail.jsonl").status_code, 403)
