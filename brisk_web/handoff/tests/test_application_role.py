"""The role of web and workers in the database: their work goes on, and nothing else is to be had by it."""

from __future__ import annotations

from typing import Any

import psycopg
from django.conf import settings
from django.db import connection
from django.db.backends.signals import connection_created
from psycopg import errors

from brisk_web.handoff.tests.test_handoff import HandOffCase
from brisk_web.house import chain
from brisk_web.house.models import AuditEntry
from brisk_web.house.services import record
from brisk_web.work.models import Work

_BECOME = "SET SESSION AUTHORIZATION brisk_app"


def _become(*, connection: Any, **_: Any) -> None:
    connection.connection.execute(_BECOME)


class ApplicationRoleTest(HandOffCase):
    def setUp(self) -> None:
        super().setUp()
        record("job.opened", self.root, "x")
        with connection.cursor() as cursor:
            cursor.execute((settings.BASE_DIR / "scripts" / "application_role.sql").read_text())
        connection.close()

    def test_a_render_goes_its_whole_way_as_the_plain_role(self) -> None:
        """Every connection of this process is one of the role until the test ends."""
        connection_created.connect(_become)
        try:
            with connection.cursor() as cursor:
                cursor.execute("SELECT current_user")
                self.assertEqual(cursor.fetchone(), ("brisk_app",))
            self.sign_in("lead")
            for address in ("/", "/jobs/", "/files/", "/specs/", "/house/", "/house/people/", "/hand-off/"):
                self.assertEqual(self.client.get(address).status_code, 200, address)
            row = self.sent(self.hand_over())
            self.assertEqual((row.state, row.error), (Work.State.DONE, ""))
            second = self.attempt("CANAL_V02.mp4", frames=30)
            self.assertEqual(second.verdict, "fail")
            self.client.post("/house/people/", {"username": "mara", "role": "viewer"})
            self.client.post("/specs/new", {"document": _SPEC, "publish": ""})
            self.assertEqual(self.client.get("/specs/plain/").status_code, 200)
            before = AuditEntry.objects.count()
            self.assertEqual((chain.seal() > 0, chain.verify()), (True, None))
            self.assertEqual(AuditEntry.objects.count(), before)
        finally:
            connection_created.disconnect(_become)
            connection.close()

    def test_nothing_is_to_be_had_but_the_work(self) -> None:
        asked = (
            "UPDATE house_auditentry SET says = 'y'",
            "DELETE FROM house_auditentry",
            "DELETE FROM house_auditseal",
            "TRUNCATE house_auditentry CASCADE",
            "TRUNCATE jobs_job CASCADE",
            "ALTER TABLE house_auditentry DISABLE TRIGGER ALL",
            "ALTER TABLE shelf_specversion DISABLE TRIGGER ALL",
            "DROP TABLE house_auditseal",
            "SET session_replication_role = replica",
            "CREATE TABLE public.mine (a int)",
            "CREATE FUNCTION public.mine() RETURNS int LANGUAGE sql AS 'SELECT 1'",
            "DELETE FROM django_migrations",
            "COPY (SELECT 1) TO PROGRAM 'true'",
            "COPY jobs_job FROM '/etc/passwd'",
            "SELECT pg_read_file('/etc/passwd')",
            "SELECT rolpassword FROM pg_authid",
            "CREATE ROLE mine",
            "ALTER ROLE brisk_app SUPERUSER",
            "CREATE EXTENSION file_fdw",
        )
        with connection.cursor() as cursor:
            parameters = connection.get_connection_params()
            cursor.execute(
                "SELECT rolsuper, rolcreatedb, rolcreaterole, rolreplication, rolbypassrls FROM pg_roles WHERE rolname = 'brisk_app'"
            )
            self.assertEqual(cursor.fetchone(), (False,) * 5)
        wanted = {
            name: parameters[name] for name in ("dbname", "user", "password", "host", "port") if name in parameters
        }
        with psycopg.connect(**wanted, autocommit=True) as own:
            own.execute(_BECOME)
            self.assertGreater(own.execute("SELECT count(*) FROM house_auditentry").fetchone()[0], 0)  # type: ignore[index]
            for statement in asked:
                with self.assertRaises(errors.InsufficientPrivilege, msg=statement):
                    own.execute(statement)


_SPEC = """
brisk_spec: 1
id: plain
name: Plain
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }
"""
