"""What calls take and give."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from ninja import Field, Schema
from pydantic import ConfigDict


class Asked(Schema):
    """What a call takes; names that nobody reads are refused."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)


class NewJob(Asked):
    """A job to open."""

    title: str = Field(min_length=1, max_length=200)
    kind_of_work: str = ""


class NewFile(Asked):
    """A file of a storage root to register."""

    root: str = Field(description="name of a storage root")
    path: str = Field(min_length=1, description="below the root")


class TakeIn(Asked):
    """What a file is taken in for."""

    deliverable: int


class NewCheck(Asked):
    """A file to judge by a spec alone."""

    file: int
    spec: str = Field(description="id of a spec; its newest version judges")


class AskedPoint(Asked):
    """One thing to change in the next attempt."""

    label: str = Field(min_length=1, max_length=200)
    found: str = ""
    change: str = ""
    line: str = Field("", max_length=64, description="line of the check that it is about")


class NewRequest(Asked):
    """Another render to ask for; without points those that the check proposes."""

    words: str = ""
    points: list[AskedPoint] | None = Field(None, max_length=200)


class NewWaiver(Asked):
    """A fault to accept."""

    line: str
    reason: str
    until: date | None = None
    whole_deliverable: bool = False


class NewWatching(Asked):
    """Frames that a person watched, the first after the last of them not."""

    start: int
    end: int
    says: str = ""
    line: str = Field("", max_length=64)


class NewSignature(Asked):
    """A signature; the password of the token's owner is asked for as on the page."""

    password: str
    words: str = ""


class TakenBack(Asked):
    """A decision to take back."""

    why: str


class NewHandOff(Asked):
    """Where the newest render goes."""

    destination: str = Field(description="name of a destination")


class JobTold(Schema):
    """A job."""

    id: int
    title: str
    kind_of_work: str
    closed: bool


class FileTold(Schema):
    """A file that the house knows."""

    id: int
    name: str
    root: str
    path: str
    size: int = Field(description="bytes")
    reading: str = Field(description="queued, running, done, failed, cancelled; empty for none")
    error: str


class CheckTold(Schema):
    """Where a check stands; ``document`` is the whole of it."""

    id: int
    file: int
    attempt: int | None
    deliverable: int | None
    spec: str
    version: int
    verdict: str = Field(description="pass or fail; empty until the file is known")
    counts: dict[str, int]
    judged_at: datetime | None
    document: str = Field(description="address of the check as brisk-sentry/check/1")


class DeliverableTold(Schema):
    """What a job owes, and where it stands."""

    id: int
    job: int
    name: str
    spec: str
    version: int
    due_at: datetime | None
    state: str
    says: str
    since: datetime | None
    check: int | None = Field(description="of its newest attempt")


class DecisionTold(Schema):
    """A decision that was made."""

    kind: str
    id: int
    by: str
    at: datetime


class HandOffTold(Schema):
    """A render on its way to a destination."""

    id: int
    name: str
    destination: str
    state: str
    says: str
    answer: str
    answer_says: str


class Page(Schema):
    """Some of many rows, the newest first; ``next`` is the address of those that follow."""

    rows: list[Any]
    next: str | None
