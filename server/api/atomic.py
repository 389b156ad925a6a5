"""A request that changes something changes all of it or nothing, its answer included.

An answer that cannot be made, and any refusal, takes back what was written before it. Views that reach for a device
or a store in the middle decide for themselves (`own_transactions = True`): what a device was told cannot be taken back,
and nobody is to wait for it under a transaction.
"""

from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

SAFE = ("GET", "HEAD", "OPTIONS", "TRACE")


class AllOrNothing:
    """Middleware, around views of the API."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        return self._get_response(request)

    def process_view(self, request: HttpRequest, view: Any, arguments: Any, names: Any) -> HttpResponse | None:
        """As Django asks for it."""
        kind = getattr(view, "cls", None)
        if request.method in SAFE or kind is None or getattr(kind, "own_transactions", False):
            return None
        with transaction.atomic():
            answer: HttpResponse = view(request, *arguments, **names)
            render = getattr(answer, "render", None)
            if callable(render) and not getattr(answer, "is_rendered", True):
                render()
            if answer.status_code >= 400:
                transaction.set_rollback(True)
        return answer
