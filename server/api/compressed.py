"""Answers in JSON go over the wire compressed; streams, downloads and what is compressed already go as they are."""

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware


class CompressedJson(GZipMiddleware):
    """Django's own, which hides the true length of what it compresses with random bytes, for JSON alone."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """As Django asks for it."""
        json = response.headers.get("Content-Type", "").partition(";")[0] in ("application/json", "application/problem+json")
        if not json or not isinstance(response, HttpResponse):
            return response
        compressed: HttpResponseBase = super().process_response(request, response)
        return compressed
