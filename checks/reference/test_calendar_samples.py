"""Every event of the samples inside the installed `icalendar` package, in and out again, held against what that package reads of both."""

from collections import Counter
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

import icalendar
from icalendar import Calendar

from core.content.records import UnreadableRecord
from core.exchange.calendar import calendar, uid_of
from core.exchange.read_calendar import event, events

NOW = datetime(2026, 3, 2, 8, tzinfo=UTC)
SAMPLES = sorted(Path(icalendar.__file__).parent.rglob("*.ics"))
MADE_ANEW = {"DTSTAMP", "DURATION", "DTEND"}
"""The stamp is that of the export; a length is told by its end."""


def taken_in(content: bytes) -> list[tuple[str, dict, list[str]]]:
    """(id, record, names of the properties) of each event, as an import makes them."""
    seen = []
    for block, zones in events([content]):
        if block.trouble:
            continue
        try:
            uid, record = event(block, zones)
        except UnreadableRecord:
            continue
        occurrence = next((line.partition(":")[2] for line in block.lines if line.upper().startswith("RECURRENCE-ID")), "")
        seen.append((f"{uid} {occurrence}".strip() or f"#{block.number}", record | ({"uid": uid} if uid else {}), block.lines))
    return seen


class EverySample(TestCase):
    def test_there_are_many(self):
        self.assertGreater(len(SAMPLES), 100)

    def test_an_exception_has_the_uid_of_its_series_and_the_occurrence_that_it_stands_for(self):
        exceptions = 0
        for path in SAMPLES:
            mine = taken_in(path.read_bytes())
            content, refused = calendar(((id, record) for id, record, _ in mine), now=NOW)
            written = Calendar.from_ical(content).walk("VEVENT")
            kept = [one for one in mine if one[0] not in set(refused)]
            with self.subTest(path.name):
                self.assertEqual(len(written), len(kept))
                counts = Counter(str(one.get("uid")) for one in written)
                self.assertEqual(counts, Counter(uid_of(id, record) for id, record, _ in kept))
                exceptions += sum("RECURRENCE-ID" in one for one in written)
                for one, (id, record, _) in zip(written, kept, strict=True):
                    if "RECURRENCE-ID" in one:
                        self.assertEqual(str(one["uid"]), record.get("uid", str(one["uid"])))
                        self.assertEqual(
                            uid_of(id, {name: value for name, value in record.items() if name != "uid"}), str(one["uid"]), "older records"
                        )
        self.assertGreater(exceptions, 3)

    def test_no_property_is_lost_and_none_is_invented(self):
        for path in SAMPLES:
            mine = taken_in(path.read_bytes())
            content, refused = calendar(((id, record) for id, record, _ in mine), now=NOW)
            written = Calendar.from_ical(content).walk("VEVENT")
            for one, (id, _, lines) in zip(written, [one for one in mine if one[0] not in set(refused)], strict=True):
                with self.subTest(path.name, id=id):
                    source = Calendar.from_ical(
                        "\r\n".join(["BEGIN:VCALENDAR", "BEGIN:VEVENT", *lines, "END:VEVENT", "END:VCALENDAR"])
                    ).walk("VEVENT")[0]
                    there = {name.upper() for name, value in source.items() if str(value) != ""}
                    self.assertEqual(there - {name.upper() for name in one} - MADE_ANEW, set())
                    self.assertEqual({name.upper() for name in one} - there - MADE_ANEW - {"UID", "X-UNKNOWN-TZID"}, set())
                    self.assertEqual(len(one.subcomponents), len(source.subcomponents))
                    self.assertEqual(self.invited(one), self.invited(source))

    def invited(self, event: icalendar.Event) -> Counter[tuple[str, str]]:
        row = event.get("attendee", [])
        return Counter((str(one).lower(), str(dict(sorted(one.params.items())))) for one in (row if isinstance(row, list) else [row]))
