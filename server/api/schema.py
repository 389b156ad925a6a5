"""The OpenAPI description: every operation may also answer with a problem document."""

from typing import Any, Literal

from drf_spectacular.openapi import AutoSchema

from server.api.problems import TYPE, ProblemSerializer


class Schema(AutoSchema):
    """Adds to every operation that it may answer with a problem."""

    def _get_response_bodies(self, direction: Literal["request", "response"] = "response") -> Any:
        bodies = super()._get_response_bodies(direction)
        bodies["default"] = self._get_response_for_code(  # type: ignore[no-untyped-call]
            ProblemSerializer, "default", media_types=[TYPE], direction=direction
        )
        return bodies


ADDRESS = r"[^@\s]+@[^@\s]+"
PLAIN = {
    "time": r"^\d\d:\d\d(:\d\d(\.\d{1,6})?)?$",
    "email": rf"^({ADDRESS})?$",
}
"""A time of day has no zone, which RFC 3339 wants of one, and an address may be empty: said by a pattern instead of a format."""


def say_plainly(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """The description with patterns in the place of formats that say more than the answers keep."""
    waiting: list[Any] = [result]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            for one in part.get("oneOf", ()):  # an empty one is another of them there
                if one.get("format") == "email":
                    del one["format"]
                    one["pattern"] = f"^{ADDRESS}$"
            if part.get("type") == "string" and part.get("format") in PLAIN:
                part["pattern"] = PLAIN[part.pop("format")]
            waiting += part.values()
        elif isinstance(part, list):
            waiting += part
    return result
