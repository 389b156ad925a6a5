"""What an incident remembers: how it began, who joined and left, that it went, and whether it came back as itself."""

from datetime import timedelta
from types import SimpleNamespace
from typing import Any

from server.fleet.models import Device
from server.oversight.actions.incidents import COMES_BACK, NAMED, put_off, refresh_incidents
from server.oversight.cause import Cause
from server.oversight.models import Incident, IncidentDevice, IncidentEvent
from server.people.models import JournalEntry
from server.tests.pretend import OfficeTestCase


class History(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")

    def look(self, *devices: Device, hours: int = 1, more: tuple[Cause, ...] = ()) -> Any:
        self.outside.at += timedelta(hours=hours)
        standing: list[Any] = [SimpleNamespace(device=device) for device in devices]
        cause = Cause(code="late", mark="late", kind="late", step="run", step_label="Run", facts={"n": len(devices)}, devices=standing)
        return refresh_incidents([*([cause] if devices else []), *more], now=self.outside.at)

    def events(self) -> list[tuple[str, dict[str, Any]]]:
        return list(IncidentEvent.objects.order_by("at", "id").values_list("what", "facts"))

    def there(self) -> set[Any]:
        return set(IncidentDevice.objects.filter(until__isnull=True).values_list("device_id", flat=True))

    def test_who_joins_and_who_leaves(self):
        self.look(self.one)
        self.look(self.one, self.two)
        self.look(self.two)
        self.look(self.two)
        self.assertEqual(
            self.events(),
            [
                ("began", {"way": "with", "count": 1}),
                ("joined", {"devices": ["Orlo H1 (Holder of p2)"], "more": 0}),
                ("left", {"devices": ["Orlo H1 (Holder of p1)"], "more": 0}),
            ],
        )
        self.assertEqual((self.there(), Incident.objects.get().facts), ({self.two.id}, {"n": 1}))

    def test_so_many_are_named_and_the_rest_counted(self):
        many = [self.device(f"q{number}") for number in range(NAMED + 2)]
        self.look(self.one)
        self.look(self.one, *many)
        facts = self.events()[-1][1]
        self.assertEqual((len(facts["devices"]), facts["more"]), (NAMED, 2))

    def test_it_comes_back_as_itself_for_a_while_and_then_as_another(self):
        self.assertEqual(len(self.look(self.one).opened), 1)
        self.assertEqual(len(self.look().closed), 1)
        self.assertEqual(self.there(), set())
        self.outside.at += COMES_BACK - timedelta(hours=1)
        back = self.look(self.one)
        self.assertEqual((len(back.opened), len(back.returned), Incident.objects.count()), (0, 1, 1))
        self.assertEqual((self.there(), Incident.objects.get().closed_at), ({self.one.id}, None))
        self.look()
        self.outside.at += COMES_BACK
        self.look(self.one)
        self.assertEqual([what for what, _ in self.events()], ["began", "gone", "back", "joined", "gone", "began"])
        self.assertEqual(Incident.objects.count(), 2)

    def test_a_long_sentence_is_cut_where_the_journal_tells_of_it(self):
        self.look(self.one)
        incident = Incident.objects.get()
        incident.kind, incident.written_out = "", "x" * 300
        until = (self.outside.at + timedelta(days=3)).date()
        put_off(incident, until=until, why="w" * 300, by=self.ines, now=self.outside.at)
        facts = JournalEntry.objects.get(what="matter.put_off").facts
        self.assertEqual((facts["says"], facts["why"], facts["until"]), ("x" * 200, "w" * 200, until.isoformat()))
