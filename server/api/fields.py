"""Fields whose values are possible in an office: what lies beyond is refused here, with the field's name."""

from datetime import date
from typing import Any

from rest_framework import serializers

FIRST_YEAR, LAST_YEAR = 1970, 2199
"""Nothing that is backed up here is older; calculations with dates near the ends of the calendar overflow."""
BEYOND = f"Give a date from {FIRST_YEAR} to {LAST_YEAR}."


class DayField(serializers.DateField):
    """A day."""

    def to_internal_value(self, value: Any) -> date:
        """As the framework asks for it. Raises ValidationError."""
        day: date = super().to_internal_value(value)
        if not FIRST_YEAR <= day.year <= LAST_YEAR:
            raise serializers.ValidationError(BEYOND)
        return day


class BytesField(serializers.IntegerField):
    """A number of bytes that a database holds and a disk may hold one day."""

    def __init__(self, **options: Any) -> None:
        super().__init__(max_value=1 << 60, **options)
