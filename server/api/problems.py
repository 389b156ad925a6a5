"""Errors as RFC 9457 problem documents: code, sentence, remedy, field. Never a trace, never a secret."""

import logging
from typing import Any

from django.core.exceptions import PermissionDenied, RequestDataTooBig, ValidationError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework import exceptions, serializers, status
from rest_framework.response import Response

from core.content.errors import LinkError
from core.errors import AtticError, BadInput
from core.quota.admission import DoesNotFit
from core.vault.errors import NoSuchBackup, StoreError, VaultError, WrongPassphrase

log = logging.getLogger("attic.api")
TYPE = "application/problem+json"


class ProblemSerializer(serializers.Serializer):
    """What every error answer looks like."""

    code = serializers.CharField()
    title = serializers.CharField(help_text="What happened.")
    remedy = serializers.CharField(allow_blank=True, help_text="What to do next.")
    field = serializers.CharField(allow_null=True, help_text="The input that was wrong.")
    status = serializers.IntegerField()


class Conflict(AtticError):
    """The request contradicts what is there now."""

    code = "state.conflict"
    remedy = "Look at the page again; somebody or something was faster."


class ChangedMeanwhile(Conflict):
    """What is to be saved was read before somebody else changed it: saved as it is, it would undo that in silence."""

    code = "state.changed_meanwhile"
    remedy = "Nothing of yours is saved yet. Look at what is there now, or save yours over it."


class RetryLater(AtticError):
    """It was not looked at; later it will be."""

    code = "access.retry_later"
    remedy = "Wait until then."

    def __init__(self, message: str, *, seconds: int) -> None:
        super().__init__(message)
        self.seconds = seconds


def problem(code: str, title: str, *, remedy: str = "", field: str | None = None, status: int) -> Response:
    """A problem document (RFC 9457) of this error."""
    document = {"type": "about:blank", "code": code, "title": title, "remedy": remedy, "field": field, "status": status}
    return Response(document, status=status, content_type=TYPE)


def problem_response(error: Exception, context: dict[str, Any]) -> Response | None:
    """Django REST framework's exception handler."""
    if isinstance(error, AtticError):
        answer = problem(error.code, error.message, remedy=error.remedy, field=error.field, status=_status(error))
        if isinstance(error, RetryLater):
            answer["Retry-After"] = str(error.seconds)
        return answer
    if isinstance(error, exceptions.ValidationError):
        field, said, lacks = _first(error.detail)
        label = (field or "").replace("_", " ")
        if label and lacks:
            return problem("input.invalid", f"{label.capitalize()} is missing.", remedy=f"Fill in the {label}.", field=field, status=400)
        return problem("input.invalid", said, remedy=f"Correct the {label or 'request'}.", field=field, status=400)
    if isinstance(error, ValidationError):
        return problem("input.invalid", " ".join(error.messages), remedy="Correct the request.", status=400)
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return problem("access.signed_out", "You are not signed in.", remedy="Sign in.", status=status.HTTP_401_UNAUTHORIZED)
    if isinstance(error, exceptions.PermissionDenied | PermissionDenied):
        said = "Your role does not allow this."
        return problem("access.denied", said, remedy="Ask an administrator.", status=status.HTTP_403_FORBIDDEN)
    if isinstance(error, Http404 | exceptions.NotFound):
        return problem("input.unknown", "There is no such thing (any more).", remedy="Go back to the list.", status=404)
    if isinstance(error, RequestDataTooBig):
        return problem("input.too_large", "This is more than the server takes at once.", remedy="Send a smaller file.", status=413)
    if isinstance(error, exceptions.APIException):
        return problem("input.refused", str(error.detail), status=error.status_code)
    log.exception("unexpected error")
    said = "Something unexpected went wrong on the server."
    return problem("server.unexpected", said, remedy="The server's log has the details.", status=500)


def _status(error: AtticError) -> int:
    if isinstance(error, RetryLater):
        return status.HTTP_429_TOO_MANY_REQUESTS
    if isinstance(error, Conflict | DoesNotFit):
        return status.HTTP_409_CONFLICT
    if isinstance(error, NoSuchBackup):
        return status.HTTP_404_NOT_FOUND
    if isinstance(error, WrongPassphrase | BadInput) or error.field is not None:
        return status.HTTP_400_BAD_REQUEST
    if isinstance(error, LinkError | StoreError | VaultError):
        return status.HTTP_409_CONFLICT
    return status.HTTP_400_BAD_REQUEST


def _first(detail: Any, field: str | None = None) -> tuple[str | None, str, bool]:
    """The first field and sentence of a tree of validation errors, and whether the field is only missing."""
    if isinstance(detail, dict):
        name, inner = next(iter(detail.items()))
        return _first(inner, None if name == "non_field_errors" else field if isinstance(name, int) else str(name))
    if isinstance(detail, list):
        return _first(detail[0], field) if detail else (field, "This is not valid.", False)
    return field, str(detail), getattr(detail, "code", "") in ("required", "null", "blank")


# -- what never reaches a view


def _plain(code: str, title: str, remedy: str, status: int) -> HttpResponse:
    document = {"type": "about:blank", "code": code, "title": title, "remedy": remedy, "field": None, "status": status}
    return JsonResponse(document, status=status, content_type=TYPE)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """As Django asks for it."""
    return _plain("input.refused", "The server cannot read this request.", "Load the page again.", 400)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """As Django asks for it."""
    return _plain("access.denied", "Your role does not allow this.", "Ask an administrator.", 403)


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """As Django asks for it."""
    return _plain("input.unknown", "There is no such thing (any more).", "Go back to the list.", 404)


def server_error(request: HttpRequest) -> HttpResponse:
    """As Django asks for it."""
    return _plain("server.unexpected", "Something unexpected went wrong on the server.", "The server's log has the details.", 500)
