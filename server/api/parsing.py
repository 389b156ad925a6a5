"""Reading what is sent: JSON of any depth is read or refused, never an error of the server."""

import re
from collections.abc import Mapping
from typing import IO, Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser


class BoundedJSONParser(JSONParser):
    """Refuses what is nested deeper than anything that this API takes, and text that no database holds."""

    def parse(self, stream: IO[Any], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None) -> Any:
        """As the framework asks for it. Raises ParseError."""
        try:
            fields = super().parse(stream, media_type, parser_context)
        except RecursionError:
            raise ParseError("This is nested too deeply.") from None
        if _holds_unwritable(fields, 0):
            raise ParseError("A text in it holds characters that are none (NUL, or half of a pair).")
        return fields


MOST_DEPTH = 40
_UNWRITABLE = re.compile("[\x00\ud800-\udfff]")


def _holds_unwritable(value: Any, depth: int) -> bool:
    """Raises ParseError for what is nested too deeply."""
    if depth > MOST_DEPTH:
        raise ParseError("This is nested too deeply.")
    if isinstance(value, str):
        return _UNWRITABLE.search(value) is not None
    if isinstance(value, dict):
        return any(_holds_unwritable(part, depth + 1) for pair in value.items() for part in pair)
    return isinstance(value, list) and any(_holds_unwritable(part, depth + 1) for part in value)
