"""Two who change one thing: whoever saves says what was read, and nothing that somebody else changed since is undone in silence."""

import json
from collections.abc import Callable, Mapping
from typing import Any

from rest_framework import serializers
from rest_framework.renderers import JSONRenderer

from core.errors import BadInput
from core.units import iec
from server.api.problems import ChangedMeanwhile
from server.locks import lock_alone

LONGEST_SHOWN = 60

Told = Callable[[], Mapping[str, Any] | None]
"""What is there now, as an answer would say it; None once it is gone."""


class ReadBefore(serializers.Serializer):
    """A body that may say what its form began with."""

    read = serializers.DictField(
        child=serializers.JSONField(allow_null=True),
        required=False,
        write_only=True,
        help_text="Fields as they were read: when one is different now, nothing is saved. Without it the change is made in any case.",
    )
    _read: dict[str, Any] | None = None

    def to_internal_value(self, data: Any) -> Any:
        """As the framework asks for it. Raises ValidationError."""
        values = super().to_internal_value(data)
        self._read = values.pop("read", None)
        return values

    def heed(self, what: str, shown: Told) -> None:
        """Call it in the transaction that saves: nobody else who heeds can save `what` until it ends. Raises BadInput, ChangedMeanwhile."""
        if not self._read:
            return  # nothing was read: something new
        lock_alone(f"save {what}")
        now = shown()
        if now is None:
            raise ChangedMeanwhile("It was removed after you opened it.", remedy="Nothing of yours is saved. Look at what is there now.")
        there = json.loads(JSONRenderer().render(now))
        for name in self._read:
            if name not in there:
                raise BadInput(f"{name!r} cannot be read there.", field="read", remedy="Give fields of what is changed, as they were read.")
        changed = {name: there[name] for name, value in self._read.items() if value != there[name]}
        if changed:
            says = "; ".join(f"{_label(name)}{_shown(name, value)}" for name, value in changed.items())
            raise ChangedMeanwhile(f"Somebody else changed it after you opened it: {says}.")

    def heeding(self, what: str, shown: Told) -> Callable[[], None]:
        """The same for later: an action that opens stores or devices first calls it once it has locked what it changes."""
        return lambda: self.heed(what, shown)


WORDS = {
    "asks_holders": "asking holders", "asks_holders_at": "asking holders, not before", "check_days": "read through within days",
    "check_limit_bytes_per_second": "speed of checks", "grace_days": "days of grace", "hard_bytes": "the limit",
    "inside": "office's own network",
    "is_active": "may sign in", "limit_bytes_per_second": "speed limit", "max_runs": "runs at a time", "max_writers": "writers at a time",
    "off_site": "outside of the office", "rests_in": "where it lies", "soft_bytes": "calls somebody above",
    "undo_days": "days that what leaves waits", "unasked_share_percent": "percent above which a word is typed",
}  # fmt: skip
"""Fields that are called otherwise where they are edited."""


def _label(name: str) -> str:
    return WORDS.get(name, name.replace("_", " "))


def _shown(name: str, value: Any) -> str:
    """Of what a person typed or chose; lists and parts are named only."""
    if isinstance(value, bool):
        return f" is {'yes' if value else 'no'} now"
    if value is None or value == "":
        return " is empty now"
    if isinstance(value, int | str):
        text = iec(value) if isinstance(value, int) and "bytes" in name else str(value)
        text = f"{text} a second" if name.endswith("per_second") else text
        return f" is {text if len(text) <= LONGEST_SHOWN else f'{text[:LONGEST_SHOWN]}…'} now"
    return " is different now"
