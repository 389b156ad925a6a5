"""Where a request comes from. What a proxy says counts only when the settings name that proxy."""

from ipaddress import ip_address, ip_network

from django.conf import settings
from django.http import HttpRequest


def address_of(request: HttpRequest) -> str:
    """The nearest address that is no known proxy. Whoever writes headers of their own changes nothing."""
    nearest = str(request.META.get("REMOTE_ADDR", ""))
    said = [part.strip() for part in str(request.META.get("HTTP_X_FORWARDED_FOR", "")).split(",") if part.strip()]
    while said and _is_proxy(nearest):
        nearest = said.pop()
    return nearest[:64]


def _is_proxy(address: str) -> bool:
    try:
        parsed = ip_address(address)
    except ValueError:
        return False
    return any(parsed in ip_network(proxy, strict=False) for proxy in settings.ATTIC_ENV.proxies)
