"""What a device's state brings with it, and under which id a found one is registered."""

from datetime import date
from uuid import uuid4

from core.content.link import DeviceReport
from core.errors import AtticError
from server.fleet.actions.add_device import WRONG_CODES, pair_device
from server.fleet.actions.change_device import change_heard, note_told
from server.fleet.actions.register_found import register_found
from server.fleet.models import Device
from server.tests.outside import CODE
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

    def test_what_a_store_tells_is_cut_to_what_the_register_holds(self):
        told = {name: letter * 200 for name, letter in (("name", "n"), ("holder", "h"), ("team", "t"), ("serial", "s"))}
        row = register_found(told | {"family": "nobody's"}, id=None, by=self.ines)
        row.refresh_from_db()
        self.assertEqual([len(one) for one in (row.name, row.holder.name, row.team.name, row.serial)], [120, 120, 80, 100])
        self.assertEqual((row.family, register_found(told | {"family": "orlo"}, id=None, by=self.ines).family), ("", "orlo"))
        self.assertEqual(register_found(told, id=None, by=self.ines).serial, "", "a serial is of one device")

    def test_a_device_tells_its_serial_once_and_never_that_of_another(self):
        other = self.device("p2")
        for known, told, kept in (("", "A1", "A1"), ("A1", "", "A1"), ("", "", ""), ("", "B2", "")):
            Device.objects.filter(id=self.one.id).update(serial=known)
            Device.objects.filter(id=other.id).update(serial="b2")
            row = Device.objects.get(id=self.one.id)
            note_told(row, DeviceReport(make="", model="", family="", os_version="", serial=told), now=self.outside.now())
            self.assertEqual(Device.objects.get(id=self.one.id).serial, kept, (known, told))

    def test_a_code_that_was_right_forgets_the_wrong_ones_before_it(self):
        def pair(code: str, agent: str = "p1") -> str:
            try:
                pair_device(agent_id=agent, code=code, name="H", holder="A", team="", by=self.ines)
            except AtticError as error:
                return type(error).__name__
            return ""

        self.one.delete()
        for _ in range(2):
            self.assertEqual({pair("WRONG234") for _ in range(WRONG_CODES - 1)}, {"PairingRefused"})
            self.assertEqual(pair(CODE), "")
            Device.objects.all().delete()
        self.assertEqual({pair("WRONG234") for _ in range(WRONG_CODES)}, {"PairingRefused"})
        self.assertEqual(pair(CODE), "Conflict")
