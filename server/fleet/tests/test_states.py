"""What a device's state brings with it, and under which id a found one is registered."""

from datetime import date
from uuid import uuid4

from server.fleet.actions.change_device import change_heard
from server.fleet.actions.register_found import register_found
from server.fleet.models import Device
from server.tests.pretend import OfficeTestCase


class States(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()

    def change(self, **values: str) -> Device:
        return change_heard(Device.objects.get(id=self.one.id), values, by=self.ines, now=self.outside.now())

    def test_a_day_of_return_belongs_to_a_device_that_is_away(self):
        self.assertEqual(self.change(state="away", away_until="2026-04-01").away_until, date(2026, 4, 1))
        self.assertEqual(self.change(note="in the harbour").away_until, date(2026, 4, 1))
        self.assertIsNone(self.change(state="in_use").away_until)
        self.assertIsNone(self.change(away_until="2026-05-01").away_until)

    def test_a_key_is_withdrawn_from_a_device_that_is_lost_and_from_no_other(self):
        self.change(note="another word")
        self.assertIsNotNone(Device.objects.get(id=self.one.id).agent_key)
        self.change(state="lost")
        self.assertIsNone(Device.objects.get(id=self.one.id).agent_key)

    def test_a_found_one_keeps_the_id_of_its_backups_unless_it_is_somebodys(self):
        free = uuid4()
        self.assertEqual(register_found({"name": "Found"}, id=free, by=self.ines).id, free)
        self.assertNotEqual(register_found({"name": "Again"}, id=self.one.id, by=self.ines).id, self.one.id)
        self.assertIsNotNone(register_found({}, id=None, by=self.ines).id)
        self.assertEqual(Device.objects.get(id=self.one.id).name, "Orlo H1")
