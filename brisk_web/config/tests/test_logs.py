import io
import json
import logging
import re
from unittest import mock

from django.test import TestCase

from brisk_web.config import logs
from brisk_web.testing import HouseMixin


class LogsTest(HouseMixin, TestCase):
    """Logs as a program reads them."""

    def setUp(self) -> None:
        super().setUp()
        self.written = io.StringIO()
        handler = logging.StreamHandler(self.written)
        handler.setFormatter(logs.AsJson())
        handler.addFilter(logs.OfRequest())
        for name, level in (("brisk_web.requests", logging.INFO), ("django.request", logging.ERROR)):
            logger = logging.getLogger(name)
            logger.addHandler(handler)
            self.addCleanup(logger.removeHandler, handler)
            patch = mock.patch.multiple(logger, level=level, propagate=False)
            patch.start()
            logger._cache.clear()  # type: ignore[attr-defined]
            self.addCleanup(logger._cache.clear)  # type: ignore[attr-defined]
            self.addCleanup(patch.stop)

    def lines(self) -> list[dict[str, object]]:
        return [json.loads(line) for line in self.written.getvalue().splitlines()]

    def test_a_request_is_one_line_with_its_number_and_without_what_it_asked(self) -> None:
        self.sign_in("viewer")
        answer = self.client.get("/files/?q=the+secret+ending")
        line = self.lines()[-1]
        self.assertEqual(line["request"], answer["X-Request-ID"])
        self.assertEqual((line["method"], line["status"], line["level"], line["logger"]),
                         ("GET", 200, "INFO", "brisk_web.requests"))  # fmt: skip
        self.assertRegex(str(line["message"]), r"^GET /files/: 200 in \d+ ms$")
        self.assertIn("time", line)
        self.client.post("/sign-in", {"username": "otto", "password": "lamplight-canal"})
        for word in ("secret", "ending", "lamplight", "otto"):
            self.assertNotIn(word, self.written.getvalue())

    def test_a_mistake_of_ours_has_its_trace_and_the_number_that_was_answered(self) -> None:
        self.sign_in("viewer")
        self.client.raise_request_exception = False
        with mock.patch("brisk_web.pages.files.render", side_effect=RuntimeError("a\nlong\nstory")):
            answer = self.client.get("/files/")
        wrong = next(line for line in self.lines() if line["level"] == "ERROR")
        self.assertEqual((answer.status_code, wrong["request"]), (500, answer["X-Request-ID"]))
        self.assertIn("RuntimeError: a\nlong\nstory", str(wrong["trace"]))
        self.assertIn(answer["X-Request-ID"], answer.content.decode())

    def test_the_number_of_a_proxy_is_kept_and_what_is_none_is_not(self) -> None:
        for given, kept in (("req-2026.11_29-77", True), ("a" * 64, True), ("short", False), ("a" * 65, False),
                            ("<script>alert(1)</script>", False), ("two words here", False), ("", False)):  # fmt: skip
            number = self.client.get("/healthz", headers={"X-Request-ID": given})["X-Request-ID"]
            self.assertEqual(number == given, kept, given)
            self.assertRegex(number, r"^[A-Za-z0-9._-]{8,64}$")

    def test_two_requests_have_two_numbers_and_what_is_outside_has_none(self) -> None:
        numbers = {self.client.get("/healthz")["X-Request-ID"] for _ in range(2)}
        self.assertEqual(len(numbers), 2)
        self.assertTrue(all(re.fullmatch("[0-9a-f]{32}", number) for number in numbers))
        logging.getLogger("django.request").error("by itself")
        self.assertEqual(self.lines()[-1]["request"], "")
