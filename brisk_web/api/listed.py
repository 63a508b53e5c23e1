"""Page: what other programs can call, from the schema of the interface; and the schema itself."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from brisk_web.api.calls import schema

_METHODS = ("get", "post", "put")


@require_GET
def calls(request: HttpRequest) -> HttpResponse:
    """Every call with what it takes."""
    described = schema()
    rows = [
        {
            "method": method.upper(),
            "path": path,
            "summary": call["summary"],
            "says": call.get("description", "").replace("``", ""),
        }
        | {"takes": _taken(call, described)}
        for path, methods in described["paths"].items()
        for method, call in methods.items()
        if method in _METHODS
    ]
    return render(request, "api/calls.html", {"rows": sorted(rows, key=lambda row: (row["path"], row["method"]))})


def _taken(call: dict[str, Any], described: dict[str, Any]) -> list[str]:
    """The names that a call takes: of its query, and of its body."""
    names = [one["name"] for one in call.get("parameters", []) if one["in"] == "query"]
    kinds = call.get("requestBody", {}).get("content", {})
    if "application/octet-stream" in kinds:
        return ["the bytes of the file"]
    content = kinds.get("application/json", {})
    reference = content.get("schema", {}).get("$ref", "").rpartition("/")[2]
    body = described["components"]["schemas"].get(reference, {})
    required = body.get("required", [])
    return names + [name if name in required else f"{name} (may be left out)" for name in body.get("properties", {})]


@login_not_required
@require_GET
def openapi(_: HttpRequest) -> JsonResponse:
    """The schema as OpenAPI has it; it tells of no file and no person."""
    return JsonResponse(schema(), json_dumps_params={"ensure_ascii": False})
