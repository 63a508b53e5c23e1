from django.test import Client, TestCase

from brisk_web.house.models import AuditEntry
from brisk_web.house.sessions import device_in_words, name_of_session, sessions_of
from brisk_web.testing import HouseMixin

FIREFOX = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0"
CHROME = "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Safari/537.36"


class SessionsTest(HouseMixin, TestCase):
    """A person sees where they are signed in, and ends what they do not know."""

    def enter(self, name: str, agent: str = FIREFOX, address: str = "192.0.2.7") -> Client:
        client = Client(headers={"User-Agent": agent}, REMOTE_ADDR=address)
        answer = client.post("/sign-in", {"username": name, "password": "right-word"})
        self.assertEqual(answer.status_code, 302)
        client.get("/")
        return client

    def key(self, client: Client) -> str:
        return str(client.session.session_key)

    def test_each_device_with_its_address_and_the_one_that_asks_first(self) -> None:
        desk, other = self.enter("operator"), self.enter("operator", CHROME, "192.0.2.9")
        self.enter("lead")
        page = desk.get("/you/sessions").content.decode()
        self.assertLess(page.index("Firefox on Linux"), page.index("Chrome on Windows"))
        self.assertIn("192.0.2.9", page)
        self.assertEqual(page.count("this one"), 1)
        self.assertEqual(page.count('name="which"'), 2)  # of the other one, and of all others
        for client in (desk, other):
            self.assertNotIn(self.key(client), page)

    def test_one_is_ended_and_the_others_go_on(self) -> None:
        desk, other, third = (self.enter("operator") for _ in range(3))
        desk.post("/you/sessions", {"which": name_of_session(self.key(other))})
        self.assertEqual([client.get("/jobs/").status_code for client in (desk, other, third)], [200, 302, 200])
        self.assertTrue(AuditEntry.objects.filter(verb="person.session-ended").exists())
        page = desk.post("/you/sessions", {"which": name_of_session("gone")}, follow=True).content.decode()
        self.assertIn("That session is over already.", page)

    def test_all_others_are_ended_at_once(self) -> None:
        desk, *others = (self.enter("operator") for _ in range(3))
        page = desk.post("/you/sessions", {"which": "others"}, follow=True).content.decode()
        self.assertIn("Ended 2 sessions; this one goes on.", page)
        self.assertEqual([client.get("/jobs/").status_code for client in (desk, *others)], [200, 302, 302])
        self.assertNotIn("End all others", page)

    def test_nobody_ends_a_session_of_somebody_else(self) -> None:
        mine, theirs = self.enter("operator"), self.enter("lead")
        for which in (name_of_session(self.key(theirs)), self.key(theirs), "", "²"):
            mine.post("/you/sessions", {"which": which})
        mine.post("/you/sessions", {"which": "others"})
        self.assertEqual(theirs.get("/jobs/").status_code, 200)

    def test_one_that_was_begun_otherwise_is_told_as_not_known(self) -> None:
        self.sign_in("viewer")
        told = sessions_of(self.people["viewer"], self.client.session.session_key)
        self.assertEqual([(one.device, one.address, one.since, one.is_this) for one in told], [("", "", None, True)])
        self.assertIn("not known", self.client.get("/you/sessions").content.decode())

    def test_devices_in_words(self) -> None:
        for agent, words in (
            (FIREFOX, "Firefox on Linux"),
            (CHROME, "Chrome on Windows"),
            (
                "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit Version/18.0 Safari/604.1",
                "Safari on iPhone",
            ),
            (
                "Mozilla/5.0 (Linux; Android 15) AppleWebKit Chrome/140.0 Mobile Safari/537.36",
                "Chrome on Android",
            ),
            ("curl/8.5 <script>", "curl/8.5 script"),
            ("", ""),
        ):
            self.assertEqual(device_in_words(agent), words)
