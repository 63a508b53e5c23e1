"""What calls take and give."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any
from uuid import UUID

from ninja import Field, Schema
from pydantic import AwareDatetime, ConfigDict

_MOST_OF_AN_EDIT = 30_000_000  # signs, below what one call may hold
_MOST, _LARGEST = (1 << 31) - 1, (1 << 63) - 1  # that the database can number


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


class NewUpload(Asked):
    """A file that is sent in pieces."""

    name: str = Field(min_length=1, max_length=255)
    size: int = Field(ge=1, description="bytes of the whole file")


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


class NewDeliverable(Asked):
    """A deliverable that a job owes from now on; what is left out begins with what the house has by default."""

    name: str = Field(min_length=1, max_length=200)
    spec: str = Field(max_length=100, description="id of a spec; its newest version unless ``version`` says another")
    version: int | None = Field(None, ge=1, le=_MOST)
    timeline: int | None = Field(None, ge=1, le=_LARGEST, description="id of a timeline of the job")
    range: str = Field("", max_length=60, description="IN-OUT in timecodes or frames of the timeline; OUT is after it")
    naming_rule: str | None = Field(None, max_length=255)
    due_at: AwareDatetime | None = None
    looked_after_by: str = Field("", max_length=150, description="name that a person signs in with")
    rendered_by: str | None = Field(None, max_length=200)
    rendered_by_email: str | None = Field(None, max_length=254)
    language: str | None = Field(None, max_length=20)
    two_sign: bool | None = None


class NewSpec(Asked):
    """A spec as people write it (YAML), to publish as the next version of its id."""

    text: str = Field(min_length=1, max_length=1_000_000)
    after: int | None = Field(None, ge=0, le=_MOST, description="number of the version that it was made from")


class NewComment(Asked):
    """Something to say of a check, of a line or a frame of it; ``@name`` tells a person."""

    words: str = Field(min_length=1)
    line: str = Field("", max_length=100)
    frame: int | None = Field(None, ge=0, le=_MOST)


class NewPairing(Asked):
    """A caption file that belongs to a file."""

    captions: int = Field(ge=1, le=_LARGEST, description="id of the registered caption file")


class NewPlan(Asked):
    """A plan to work out; nothing is kept."""

    kind: str = Field(description="bits, sizes, rates, order, plays, target, deck or disc")
    asked: dict[str, Any] = Field(description="as ``brisk-sentry plan`` takes it (docs/plan-format.md)")
    spec: str = Field("", max_length=100, description="id of the spec that it is held against")
    files: list[Annotated[int, Field(ge=1, le=_LARGEST)]] = Field([], max_length=200, description="ids of files")


class NewKeptPlan(NewPlan):
    """A plan to work out and to keep with a job."""

    name: str = Field("", max_length=200, description="by its kind where it is left out")


class NewTimeline(Asked):
    """An edit to import: its text (EDL, OTIO), or its bytes (AAF, an OTIO bundle)."""

    name: str = Field(min_length=1, max_length=255, description="of its file, such as canal_v3.edl")
    text: str | None = Field(None, min_length=1, max_length=_MOST_OF_AN_EDIT)
    base64: str | None = Field(None, min_length=1, max_length=_MOST_OF_AN_EDIT, description="in place of the text")
    rate: str = Field("", max_length=20, description="frames a second, which an EDL does not state")
    size: str = Field("", max_length=20)
    scan: str = Field("", max_length=20)
    pixel_aspect: str = Field("", max_length=20)
    sample_rate: str = Field("", max_length=20)
    replaces: int | None = Field(
        None, ge=1, le=_LARGEST, description="id of the timeline that it is the next version of"
    )


class TimelineTold(Schema):
    """A timeline of a job."""

    id: int
    name: str
    file_name: str
    rate: str
    start: str | None
    frames: int
    remarks: list[str] = Field(description="events that are laid out otherwise than written")
    replaces: int | None


class PlanTold(Schema):
    """A plan that is kept with a job."""

    id: int
    kind: str
    name: str
    kept_at: datetime
    document: dict[str, Any] = Field(description="its answer of then")
    spec: str | None


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


class UploadTold(Schema):
    """A file that is being sent in pieces."""

    id: UUID
    name: str
    size: int = Field(description="bytes of the whole file")
    offset: int = Field(description="bytes that are there; the next piece begins with this one, counted from 0")
    ends_at: datetime = Field(description="when it is given up unless another piece comes")
    file: FileTold | None = Field(description="the file, once all is there")


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


class SpecTold(Schema):
    """A spec and its newest version."""

    id: int
    spec: str = Field(description="id that it is named by")
    name: str
    family: str
    version: int
    lines: int
    review_by: date | None


class SpecText(SpecTold):
    """A spec with its document as people write it."""

    text: str


class CommentTold(Schema):
    """What somebody said of a check."""

    id: int
    line: str
    frame: int | None
    words: str
    by: str
    at: datetime


class CaptionsTold(Schema):
    """Captions that belong to a file, as far as they are read."""

    id: int
    name: str
    file: int | None = Field(description="id of the caption file; empty for a track of the file itself")
    reading: str


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
