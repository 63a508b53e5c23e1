"""Pages and data are sent compressed; pictures and clips are compressed already."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponseBase
from django.middleware.gzip import GZipMiddleware

_TEXTS = ("text/", "application/json", "application/yaml", "image/svg+xml")


class TextCompression(GZipMiddleware):
    """Compresses answers that are text. Their length is veiled against guessing secrets, as Django does by itself."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Return the answer, compressed where that makes it smaller."""
        if not response.get("Content-Type", "").startswith(_TEXTS):
            return response
        return super().process_response(request, response)
