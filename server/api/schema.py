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
