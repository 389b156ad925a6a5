"""`/metrics` for Prometheus: from this machine, or with the token that stands beside the server's keys."""

import hmac

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from server import ports
from server.telling.metrics import metrics_text

LOOPBACK = ("127.0.0.1", "::1")


def metrics(request: HttpRequest) -> HttpResponse:
    """401 for strangers. Behind a proxy on this machine the token is asked for as well."""
    token = request.headers.get("Authorization", "").removeprefix("Bearer ").strip()
    near = request.META.get("REMOTE_ADDR") in LOOPBACK and "X-Forwarded-For" not in request.headers
    if not near and not hmac.compare_digest(token.encode(), settings.ATTIC_METRICS_TOKEN.encode()):
        headers = {"WWW-Authenticate": "Bearer"}
        return HttpResponse("Send the token of keys/metrics.", status=401, content_type="text/plain", headers=headers)
    return HttpResponse(metrics_text(now=ports.clock().now()), content_type="text/plain; version=0.0.4; charset=utf-8")
