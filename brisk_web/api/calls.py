"""The interface for other programs: what is called, what goes wrong, and that nothing is done twice."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import timedelta
from http import HTTPStatus
from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.urls import URLPattern, path
from django.utils import timezone
from django.utils.cache import get_conditional_response
from django.views.decorators.csrf import csrf_exempt
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from brisk_core.errors import CoreError
from brisk_web.api import deciding, ordering, reading, sending  # noqa: F401 - their calls are those of the router
from brisk_web.api.access import ByToken
from brisk_web.api.models import GivenAnswer
from brisk_web.api.problems import TYPE, Problem, problem
from brisk_web.api.router import router
from brisk_web.handoff.services import HandOffRefused
from brisk_web.house.services import DecisionRefused
from brisk_web.house.tokens import token_of
from brisk_web.jobs.services import JobRefused
from brisk_web.storage.services import StorageRefused
from brisk_web.work.tidying import Removal, keeper, rows_to_remove

View = Callable[..., HttpResponse]
api = NinjaAPI(
    title="Brisk Sentry",
    version="1",
    description="What a page can do, for other programs. Every call carries a token of a person.",
    auth=ByToken(),
    docs_url=None,
    openapi_url=None,
    urls_namespace="api-1",
)
api.add_router("", router)
_KEPT = timedelta(days=1)  # answers to calls that may be sent again
_LONGEST_KEY = 200
_PARTS = ("body", "query", "path", "asked")  # of where a value stood, which say nothing
_REFUSALS: tuple[type[Exception], ...] = (DecisionRefused, HandOffRefused, JobRefused)
_WRONG: tuple[type[Exception], ...] = (StorageRefused, CoreError)


@api.exception_handler(Problem)
def _on_problem(_: HttpRequest, error: Problem) -> HttpResponse:
    return problem(error.status, error.detail, **error.more)


@api.exception_handler(Http404)
def _on_missing(_: HttpRequest, __: Http404) -> HttpResponse:
    return problem(HTTPStatus.NOT_FOUND, "There is no such thing.")


@api.exception_handler(AuthenticationError)
def _on_stranger(_: HttpRequest, __: AuthenticationError) -> HttpResponse:
    says = "No token that counts was sent; expected Authorization: Bearer and a token that has not expired."
    return problem(HTTPStatus.UNAUTHORIZED, says)


@api.exception_handler(HttpError)
def _on_http(_: HttpRequest, error: HttpError) -> HttpResponse:
    return problem(error.status_code, f"{str(error).partition('(')[0].strip().removesuffix('.')}.")


@api.exception_handler(ValidationError)
def _on_wrong_values(_: HttpRequest, error: ValidationError) -> HttpResponse:
    mistakes = [
        {"place": ".".join(str(part) for part in one["loc"] if part not in _PARTS), "says": one["msg"]}
        for one in error.errors
    ]
    says = "; ".join(f"{one['place']}: {one['says']}" for one in mistakes)
    return problem(HTTPStatus.UNPROCESSABLE_ENTITY, says, mistakes=mistakes)


def _on_refusal(_: HttpRequest, error: Any) -> HttpResponse:
    return problem(HTTPStatus.CONFLICT, str(error))


def _on_wrong_content(_: HttpRequest, error: Any) -> HttpResponse:
    return problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error))


for _kind in _REFUSALS:
    api.add_exception_handler(_kind, _on_refusal)
for _kind in _WRONG:
    api.add_exception_handler(_kind, _on_wrong_content)


def _called(view: View) -> View:
    """One address: open to whoever has a token, never to a session; the same call twice is one."""

    @csrf_exempt
    @login_not_required
    def call(request: HttpRequest, **parts: Any) -> HttpResponse:
        if request.method == "POST" and (b"\\u0000" in request.body or b"\0" in request.body):
            return problem(HTTPStatus.UNPROCESSABLE_ENTITY, "met a zero byte; expected text")
        key = request.headers.get("Idempotency-Key", "")
        if request.method == "POST" and key:
            return _once(request, key, lambda: view(request, **parts))
        answer = view(request, **parts)
        if request.method in ("GET", "HEAD") and answer.status_code == HTTPStatus.OK:
            etag = f'"{hashlib.sha256(answer.content).hexdigest()[:32]}"'
            answer["ETag"], answer["Cache-Control"] = etag, "private, no-cache"
            return get_conditional_response(request, etag=etag, response=answer) or answer
        return answer

    return call


def _once(request: HttpRequest, key: str, work: Callable[[], HttpResponse]) -> HttpResponse:
    """Answer a call with a key: work at it the first time, give the same answer again after that."""
    token = token_of(request.headers.get("Authorization", "").removeprefix("Bearer "))
    if token is None:
        return work()
    if len(key) > _LONGEST_KEY or not key.isprintable():
        says = f"met an Idempotency-Key of {len(key)} letters; expected at most {_LONGEST_KEY} that can be printed"
        return problem(HTTPStatus.UNPROCESSABLE_ENTITY, says)
    digest = hashlib.sha256(f"{request.method} {request.path}\n".encode() + request.body).hexdigest()
    mine = GivenAnswer.objects.filter(token=token, key=key)
    GivenAnswer.objects.bulk_create([GivenAnswer(token=token, key=key, digest=digest)], ignore_conflicts=True)
    # What is done and what is answered are written together: a web that dies between them has done nothing.
    with transaction.atomic():
        row = mine.select_for_update(of=("self",), skip_locked=True).first()
        if row is None:
            return problem(HTTPStatus.CONFLICT, "The same call is being worked at; send it again in a moment.")
        if row.status is not None:
            return _again(row, row.status, digest)
        answer = work()
        if answer.status_code >= HTTPStatus.INTERNAL_SERVER_ERROR:
            transaction.set_rollback(True)
        else:
            row.digest, row.status, row.body = digest, answer.status_code, answer.content
            row.save(update_fields=["digest", "status", "body"])
    return answer


def _again(known: GivenAnswer, status: int, digest: str) -> HttpResponse:
    if known.digest != digest:
        return problem(HTTPStatus.UNPROCESSABLE_ENTITY, "This Idempotency-Key was sent with another call before.")
    kind = "application/json" if status < HTTPStatus.BAD_REQUEST else TYPE
    return HttpResponse(bytes(known.body), content_type=f"{kind}; charset=utf-8", status=status)


@keeper("Answers to calls of other programs", f"{_KEPT.days} day{'s' if _KEPT.days > 1 else ''} after they were given")
def forget_answers() -> Removal:
    """Answers that nobody will ask for again."""
    return rows_to_remove(GivenAnswer.objects.filter(at__lt=timezone.now() - _KEPT))


def addresses() -> list[URLPattern]:
    """The addresses of all calls, below that of the interface; their names begin apart from those of pages."""
    patterns = [one for one in api.urls[0] if isinstance(one, URLPattern) and one.name != "api-root"]
    return [path(str(one.pattern), _called(one.callback), name=f"api-{one.name}") for one in patterns]


def schema() -> dict[str, Any]:
    """The interface as OpenAPI 3.1."""
    found: dict[str, Any] = api.get_openapi_schema(path_prefix="/api/v1/")
    return found
