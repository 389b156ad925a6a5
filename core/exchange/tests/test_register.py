"""Which device a row of a register means, and each value that a row may not have. Rules of our own."""

from unittest import TestCase

from core.errors import BadInput
from core.exchange.register import COLUMNS, KnownRegister, LineVerdict, RegisterLine, checked, plan_import, unknown_columns, written

ROW = {"name": "Orlo P5", "holder": "K. Dufour", "family": "orlo"}


def known(id: str, **values: str) -> KnownRegister:
    return KnownRegister(id=id, values=written(ROW | {"state": "in_use"} | values))


class WhichDevice(TestCase):
    def lines(self, *rows: dict[str, str], of: tuple[KnownRegister, ...] = ()) -> list[RegisterLine]:
        return plan_import(rows, of)

    def means(self, row: dict[str, str], *of: KnownRegister) -> str:
        (line,) = self.lines(row, of=of)
        return line.device if line.verdict is not LineVerdict.REFUSE else line.why

    def test_by_its_id_then_its_serial_then_its_asset_tag_then_its_name_and_holder(self):
        one, two = known("1", serial="S1", asset_tag="A1"), known("2", name="Orlo P4", serial="S2", asset_tag="A2")
        for row, device in (
            (ROW | {"id": "2"}, "2"),
            (ROW | {"serial": "s2"}, "2"),
            (ROW | {"asset_tag": "a2"}, "2"),
            (ROW | {"serial": "S1", "asset_tag": "A1"}, "1"),
            (ROW, "1"),
            ({key: value.upper() if key != "family" else value for key, value in ROW.items()}, "1"),
            (ROW | {"holder": "Somebody else"}, ""),
            (ROW | {"serial": "S9"}, ""),
        ):
            self.assertEqual(self.means(row, one, two) or "", device, row)

    def test_one_that_could_mean_two_or_none_is_refused(self):
        self.assertIn("2 devices are called that", self.means(ROW, known("1"), known("2")))
        self.assertIn("No device has this id", self.means(ROW | {"id": "9"}, known("1")))
        self.assertIn("Another device has the serial", self.means(ROW | {"id": "1", "serial": "S2"}, known("1"), known("2", serial="S2")))

    def test_two_rows_about_one_device_or_with_one_serial(self):
        lines = self.lines(ROW, ROW | {"note": "again"}, of=(known("1"),))
        self.assertEqual([line.verdict for line in lines], [LineVerdict.SAME, LineVerdict.REFUSE])
        self.assertIn("Row 1 is about the same device", lines[1].why)
        lines = self.lines(ROW | {"serial": "S1"}, {"name": "Other", "holder": "X", "family": "orlo", "serial": "s1"})
        self.assertEqual([line.verdict for line in lines], [LineVerdict.CREATE, LineVerdict.REFUSE])
        self.assertIn("stands in the file twice", lines[1].why)

    def test_what_changes_is_told_with_what_was(self):
        (line,) = self.lines(ROW | {"note": "new", "state": "away", "away_until": "2026-04-01"}, of=(known("1"),))
        self.assertEqual(line.changes, {"note": ("", "new"), "state": ("in_use", "away"), "away_until": ("", "2026-04-01")})
        (line,) = self.lines(ROW | {"state": "in_use"}, of=(known("1", state="away", away_until="2026-04-01"),))
        self.assertEqual(line.changes, {"state": ("away", "in_use"), "away_until": ("2026-04-01", "")}, "the day leaves with the state")
        self.assertIn("is not away", self.means(ROW | {"away_until": "2026-04-01"}, known("1")))


class Values(TestCase):
    def test_of_every_column_have_a_greatest_length_and_no_row_breaks_the_others(self):
        for column in COLUMNS:
            with self.assertRaises(BadInput) as raised:
                checked(column, "x" * 5000)
            self.assertEqual(raised.exception.field, column)
            if column != "id":
                lines = plan_import([ROW | {column: "x" * 5000}, {"name": "Other", "holder": "X", "family": "orlo"}], ())
                self.assertEqual([line.verdict for line in lines], [LineVerdict.REFUSE, LineVerdict.CREATE], column)
        for column, most in (("name", 120), ("holder", 120), ("team", 80), ("make", 100), ("note", 2000)):
            self.assertEqual(checked(column, "x" * most), "x" * most)
            with self.assertRaisesRegex(BadInput, f"longer than {most} characters"):
                checked(column, "x" * (most + 1))

    def test_that_are_no_state_no_family_no_date_and_no_number(self):
        for column, right, wrong in (
            ("state", "retired", "asleep"),
            ("family", "brenta", "toaster"),
            ("purchased_on", "2026-03-31", "31.03.2026"),
            ("storage_total_bytes", "9999999999999999", "64 GB"),
            ("storage_total_bytes", "0", "12345678901234567"),
        ):
            self.assertEqual(checked(column, f" {right} "), right)
            with self.assertRaises(BadInput):
                checked(column, wrong)

    def test_an_empty_one_empties_but_for_what_every_device_has(self):
        self.assertEqual([checked(column, " ") for column in ("note", "team", "state", "purchased_on")], ["", "", "in_use", ""])
        for column in ("name", "holder"):
            with self.assertRaisesRegex(BadInput, f"There is no {column}"):
                checked(column, " ")
        (line,) = plan_import([{"name": "A", "holder": "B"}], ())
        self.assertIn("There is no family", line.why)

    def test_columns_that_nobody_reads_are_named(self):
        self.assertEqual(unknown_columns(["id", "colour", "note", ""]), ["colour", ""])
