"""Who may do what. A view states what its writes need; reading needs any role.

Administrators may do everything; operators run and restore; auditors read.
"""

from typing import TYPE_CHECKING

from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

if TYPE_CHECKING:
    from rest_framework.views import APIView

ROLES = ("administrator", "operator", "auditor")
ADMINISTRATOR = frozenset({"administrator"})
OPERATOR = frozenset({"administrator", "operator"})
ANYBODY = frozenset({"administrator", "operator", "auditor"})


class ByRole(BasePermission):
    """Reads `read_roles` and `write_roles` of the view; `public = True` opens it to strangers."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        if getattr(view, "public", False):
            return True
        if not request.user.is_authenticated:
            return False
        reading = request.method in SAFE_METHODS
        allowed = getattr(view, "read_roles", ANYBODY) if reading else getattr(view, "write_roles", ADMINISTRATOR)
        return request.user.role in allowed
