"""Kill processes of a house under load, at seeded moments, and say whether anything was lost or done twice.

    PYTHONPATH=. .venv/bin/python scripts/accidents.py [KILLS] [--seed N] [--keep]

Starts an empty house in a folder of its own. Senders call it as other programs do: they add deliverables, send films
piece by piece, take them in and comment, each call with a key so that it may be sent again. Meanwhile KILLS (100)
processes die by SIGKILL: of the web, of the workers and the children that read for them, of the database and its
connections, and now and then the one that starts them all; or the clock is set back or forward by an hour. Once the
house is quiet, every film must be there once, read and judged as in a quiet house; every deliverable, attempt and
comment once; the trail whole; nothing under way. The exit status is 1 where that is not so.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from http import HTTPStatus
from pathlib import Path
from typing import Any

import psycopg
import requests
from free_port import free_port
from psycopg.sql import SQL, Identifier

from brisk_core.small_media import Small, make_small

REPO = Path(__file__).resolve().parent.parent
SENDERS, FILES = 4, 100  # files that each sender sends at most
PIECE = 9000  # bytes of a file that are sent at once, so that kills fall between pieces
CALM = (0.2, 4.0)  # seconds between two kills
PATIENCE_S = 600.0  # that one call goes on, a start takes, and the house needs to become quiet
ROLES = {
    "the web": "gunicorn",
    "headers": "work headers",
    "scans": "work scan",
    "the watch": "work watch",
    "hand-off": "work handoff",
    "the database": "postgres",
}
MANAGER, START, CLOCK = "what starts them", "the start itself", "the clock"
PROGRAMS = ("headers", "scan-0", "scan-1", "watch", "handoff")  # workers, by their names
SPEC = "upload-wide-1080"  # of the shelf of every house
ONCE = ("file.registered", "render.taken-in", "deliverable.added", "comment.made")  # that the trail may say
MAKE_TOKEN = """
from django.contrib.auth.models import User
from brisk_web.house.tokens import make_token
scopes = ["read", "take-in", "decide", "order"]
print("TOKEN", make_token(User.objects.get(username="lead"), "accidents", scopes, 2)[1])
"""


@dataclass
class Sent:
    """What one file became, as the house answered."""

    name: str
    frames: int
    deliverable: int = 0
    file: int = 0
    check: int = 0


@dataclass
class House:
    """A house of its own, that is started, struck and called."""

    folder: Path
    port: int
    token: str = ""
    starting: subprocess.Popen[bytes] | None = None

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"http://127.0.0.1:{self.port}"

    @property
    def pid(self) -> int:
        """Of the process that starts all others, 0 for none."""
        try:
            pid = int((self.folder / "supervisor.pid").read_text())
            return pid if b"supervisord" in Path(f"/proc/{pid}/cmdline").read_bytes() else 0
        except (OSError, ValueError):
            return 0

    def start(self) -> None:
        """Start it as people do, and wait until it answers."""
        surroundings = {name: value for name, value in os.environ.items() if name != "DATABASE_URL"}
        surroundings |= {"BRISK_DATA": str(self.folder), "BRISK_PORT": str(self.port)}
        with (self.folder / "start.log").open("ab") as log:
            self.starting = subprocess.Popen(
                [str(REPO / "start"), "--empty"], env=surroundings, stdout=log, stderr=log, start_new_session=True
            )
        end = time.monotonic() + PATIENCE_S
        while not self.answers():
            if time.monotonic() > end:
                raise SystemExit(f"the house did not start; see {self.folder / 'start.log'}")
            time.sleep(0.5)

    def answers(self) -> bool:
        """Does the web answer, with its database?"""
        try:
            return requests.get(f"{self.address}/readyz", timeout=5).ok
        except requests.RequestException:
            return False

    def stop(self) -> None:
        """Stop all of it."""
        if pid := self.pid:
            os.kill(pid, signal.SIGTERM)
        if self.starting:
            self.starting.wait(90)

    def manage(self, *words: str) -> str:
        """Run a command of the house and return what it prints."""
        web = next(pid for pid, line in below(self.pid) if "gunicorn" in line)
        surroundings = dict(one.split("=", 1) for one in surroundings_of(web).split("\0") if "=" in one)
        done = subprocess.run(
            [str(REPO / ".venv/bin/python"), "manage.py", *words],
            cwd=REPO, env=surroundings, capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise SystemExit(f"manage.py {words[0]}: {done.stderr.strip()}")
        return done.stdout

    def doubled(self) -> Iterator[str]:
        """Say what of it runs twice, or not at all."""
        lines = [line for pid, line in below(1) if f"BRISK_DATA={self.folder}\0" in surroundings_of(pid)]
        for name in PROGRAMS:
            if (count := sum(f"--name {name} " in line for line in lines)) != 1:
                yield f"{count} workers {name} run"
        if (count := sum("supervisord" in line for line in lines)) != 1:
            yield f"{count} processes start the others"
        if (self.folder / "address").read_text().strip() != f"{self.address}/":
            yield f"the house answers elsewhere: {(self.folder / 'address').read_text().strip()}"

    def ask(self, method: str, path: str, key: str = "", **more: Any) -> Any:
        """Call it until it answers; a call with a key is the same call however often it is sent."""
        headers = {"Authorization": f"Bearer {self.token}"} | ({"Idempotency-Key": key} if key else {})
        end = time.monotonic() + PATIENCE_S
        while time.monotonic() < end:
            try:
                url = path if path.startswith("http") else f"{self.address}/api/v1/{path}"
                answer = requests.request(method, url, headers=headers, timeout=(5, 60), **more)
            except requests.RequestException:
                time.sleep(0.5)
                continue
            if answer.ok:
                return answer.json()
            waits = answer.status_code == HTTPStatus.CONFLICT and "worked at" in answer.text
            if answer.status_code < HTTPStatus.INTERNAL_SERVER_ERROR and not waits:
                raise Refused(f"{method} {path}: {answer.status_code} {answer.text[:300]}")
            time.sleep(0.5)
        raise Refused(f"{method} {path}: no answer for {PATIENCE_S:.0f} s")

    def all_of(self, path: str) -> Iterator[dict[str, Any]]:
        """Yield the rows of a list, page after page."""
        page = self.ask("GET", path)
        while True:
            yield from page["rows"]
            if not page["next"]:
                return
            page = self.ask("GET", self.address + page["next"])


class Refused(Exception):
    """A call that the house refuses, which it should not."""


def surroundings_of(pid: int) -> str:
    """Return the environment of a process, each variable ended by a zero; empty for one that is gone."""
    try:
        return Path(f"/proc/{pid}/environ").read_bytes().decode(errors="replace")
    except OSError:
        return ""


def below(pid: int) -> list[tuple[int, str]]:
    """Return the processes that come from one, with their command lines."""
    parents: dict[int, list[int]] = {}
    for place in Path("/proc").glob("[0-9]*"):
        try:
            parent = int((place / "stat").read_text().rpartition(")")[2].split()[1])
        except OSError:
            continue
        parents.setdefault(parent, []).append(int(place.name))
    found, waiting = [], list(parents.get(pid, [])) if pid else []
    while waiting:
        one = waiting.pop()
        waiting += parents.get(one, [])
        try:
            found.append((one, Path(f"/proc/{one}/cmdline").read_bytes().replace(b"\0", b" ").decode()))
        except OSError:
            continue
    return found


def strike(house: House, rng: random.Random) -> str:
    """Kill something of the house; return what, or nothing where it was not there."""
    role = rng.choice([*ROLES, *ROLES, *ROLES, MANAGER, START, CLOCK])
    if role == CLOCK:
        return role if set_clock(house, rng.choice((-3600, 3600))) else ""
    if role in (MANAGER, START):
        victims = [house.pid if role == MANAGER or house.starting is None else house.starting.pid]
    else:
        tops = [pid for pid, line in below(house.pid) if ROLES[role] in line]
        family = {pid for top in tops for pid in [top, *(one for one, _ in below(top))]}
        victims = [rng.choice(sorted(family))] if family else [0]
    if not victims[0]:
        return ""
    try:
        os.kill(victims[0], signal.SIGKILL)
    except ProcessLookupError:
        return ""
    if role == START and house.starting:
        house.starting.wait()
    return role


_MOVE_WORK = SQL(
    "UPDATE {} SET beat_at = beat_at + %s, queued_at = queued_at + %s WHERE state IN ('queued', 'running')"
)


def set_clock(house: House, ahead_s: int) -> bool:
    """Let the house find its clock set back by so many seconds, or forward; return whether it does.

    The clock of the machine stays: what the house wrote of the work that is under way is moved the other way.
    """
    web = next((pid for pid, line in below(house.pid) if "gunicorn" in line), 0)
    address = re.search(r"(?:^|\0)DATABASE_URL=([^\0]+)", surroundings_of(web))
    if not address:
        return False
    later = timedelta(seconds=ahead_s)
    kinds = "SELECT table_name FROM information_schema.columns WHERE column_name = 'beat_at'"
    try:
        with psycopg.connect(address[1]) as database:
            for (table,) in database.execute(kinds).fetchall():
                database.execute(_MOVE_WORK.format(Identifier(table)), [later, later])
            database.execute("UPDATE procrastinate_workers SET last_heartbeat = last_heartbeat + %s", [later])
            database.execute("UPDATE procrastinate_jobs SET scheduled_at = scheduled_at + %s", [later])
            database.execute(
                "UPDATE procrastinate_periodic_defers SET defer_timestamp = defer_timestamp + %s", [ahead_s]
            )
    except psycopg.Error:
        return False  # the database has just been killed, or begins
    return True


def send(house: House, base: Mapping[int, bytes], name: str, rng: random.Random) -> Sent:
    """Add a deliverable, send a film of one of the lengths, take it in, comment on it."""
    frames = rng.choice(sorted(base))
    data = base[frames] + (len(name) + 8 + 16).to_bytes(4, "big") + b"free" + name.encode() + rng.randbytes(16)
    sent = Sent(name=name, frames=frames)
    owed = house.ask("POST", "jobs/1/deliverables", f"{name}-owed", json={"name": name, "spec": SPEC})
    sent.deliverable = owed["id"]
    told = house.ask("POST", "uploads", f"{name}-begun", json={"name": name, "size": len(data)})
    place = f"uploads/{told['id']}/bytes"
    while told["file"] is None:
        offset = told["offset"]
        try:
            told = house.ask("PUT", f"{place}?offset={offset}", data=data[offset : offset + PIECE])
        except Refused as error:
            if "409" not in str(error):
                raise
            told = house.ask("GET", place)
    sent.file = told["file"]["id"]
    taken = house.ask("POST", f"files/{sent.file}/attempts", f"{name}-taken", json={"deliverable": sent.deliverable})
    sent.check = taken["id"]
    house.ask("POST", f"checks/{sent.check}/comments", f"{name}-said", json={"words": f"Sent as {name}"})
    return sent


def judged(house: House, sent: Sent) -> tuple[Any, ...]:
    """Wait until a film is read and judged; return what was found of it, line by line."""
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        file = house.ask("GET", f"files/{sent.file}")
        if file["reading"] not in ("queued", "running"):
            check = house.ask("GET", f"checks/{sent.check}/document")
            lines = tuple((one["line"], one["outcome"], one["found"]) for one in check["findings"])
            return (file["reading"], file["error"], check["verdict"], lines)
        time.sleep(1)
    return ("not read", f"for {PATIENCE_S:.0f} s", "", ())


def senders(
    house: House, base: Mapping[int, bytes], seed: int, enough: threading.Event
) -> tuple[list[threading.Thread], list[Sent | Refused]]:
    """Start the senders; return them, and the list to which they add what they sent and what was refused."""
    done: list[Sent | Refused] = []

    def work(number: int) -> None:
        rng = random.Random(seed * 100 + number)
        for index in range(FILES):
            if enough.is_set():
                return
            try:
                done.append(send(house, base, f"film {number}-{index:02}.mp4", rng))
            except Refused as error:
                done.append(error)

    threads = [threading.Thread(target=work, args=(number,)) for number in range(SENDERS)]
    for thread in threads:
        thread.start()
    return threads, done


def wrong(house: House, done: Sequence[Sent | Refused], quiet: Mapping[int, tuple[Any, ...]]) -> Iterator[str]:
    """Say what was lost, done twice, or judged otherwise than in a quiet house."""
    sent = [one for one in done if isinstance(one, Sent)]
    yield from (str(one) for one in done if isinstance(one, Refused))
    for one in sent:
        if (came := judged(house, one)) != quiet[one.frames]:
            yield f"{one.name}: {came[:3]}, expected {quiet[one.frames][:3]}" + (
                "" if came[3] == quiet[one.frames][3] else ", and other lines"
            )
    lists = (("file", "files", "name"), ("deliverable", "deliverables", "name"), ("check", "checks", "file"))
    for what, path, key in lists:
        names = Counter(row[key] for row in house.all_of(path))
        expected = {getattr(one, key) for one in sent}
        yield from (f"{what} {name} is there {names[name]} times" for name in expected if names[name] != 1)
        yield from (f"{what} {name} was sent by nobody" for name in names if name not in expected)
    for one in sent:
        said = [row["words"] for row in house.ask("GET", f"checks/{one.check}/comments")["rows"]]
        if said != [f"Sent as {one.name}"]:
            yield f"{one.name} has the comments {said}"
    lines = house.manage("verify_trail", "--export").splitlines()
    trail = [json.loads(line) for line in lines if line.startswith("{")]
    counts = Counter((row["verb"], row["target"]) for row in trail if row["verb"] in ONCE)
    yield from (f"the trail has {key} {count} times" for key, count in counts.items() if count > 1)
    yield from house.doubled()
    ready = requests.get(f"{house.address}/readyz", timeout=30).json()
    yield from ready["troubles"]
    if ready["waiting"]:
        yield f"{ready['waiting']} readings wait"


def main() -> int:
    """Run the accidents; return the exit status."""
    parser = argparse.ArgumentParser(description="Kill processes of a house under load.")
    parser.add_argument("kills", nargs="?", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep", action="store_true", help="leave the folder of the house for looking into")
    options = parser.parse_args()
    rng = random.Random(options.seed)
    folder = Path(tempfile.mkdtemp(prefix="brisk-accidents-"))
    folder.chmod(0o755)
    base = films(folder)
    house = House(folder / "house", free_port(8700))
    house.folder.mkdir()
    house.start()
    try:
        house.token = re.search(r"TOKEN (\S+)", house.manage("shell", "-c", MAKE_TOKEN))[1]
        house.ask("POST", "jobs", "job", json={"title": "Accidents"})
        calm = [send(house, {frames: data}, f"calm {frames}.mp4", rng) for frames, data in base.items()]
        quiet = {one.frames: judged(house, one) for one in calm}
        enough = threading.Event()
        threads, done = senders(house, base, options.seed, enough)
        struck: Counter[str] = Counter()
        while struck.total() < options.kills:
            time.sleep(rng.uniform(*CALM))
            if role := strike(house, rng):
                struck[role] += 1
            if role == START:
                time.sleep(rng.uniform(*CALM))
                house.start()
        enough.set()
        for thread in threads:
            thread.join()
        print(
            f"{struck.total()} kills, seed {options.seed}:", ", ".join(f"{n} of {role}" for role, n in struck.items())
        )
        sent = [*calm, *done]
        faults = list(wrong(house, sent, quiet))
        print(f"{len(sent)} films sent, {len(faults)} things wrong")
        for fault in faults:
            print(f"  {fault}")
        return 1 if faults else 0
    finally:
        house.stop()
        if options.keep:
            print(f"kept: {folder}")
        else:
            shutil.rmtree(folder, ignore_errors=True)


def films(folder: Path) -> dict[int, bytes]:
    """Make a film of each length and return its bytes."""
    made = {}
    for frames in (30, 60, 120):
        path = make_small(folder / f"{frames}.mp4", Small(size=(320, 180), frames=frames, sound="aac"))
        made[frames] = path.read_bytes()
    return made


if __name__ == "__main__":
    sys.exit(main())
