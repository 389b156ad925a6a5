"""An action refuses by itself what the API would refuse before it: records of another office, tasks and commands call it as well."""

from collections.abc import Callable
from dataclasses import replace
from datetime import date, time, timedelta
from unittest import mock

from core.errors import BadInput
from core.quota.allowances import Limits
from core.recovery.selection import Selection
from server.api.problems import Conflict
from server.fleet.actions.add_device import pair_again
from server.fleet.models import Device
from server.people.actions.office import change_office, set_up_office
from server.people.models import JournalEntry
from server.plans.actions.save_plan import checked
from server.plans.models import Plan
from server.recovery.actions import ask_restore as restores
from server.recovery.actions.ask_restore import Export, ask_restore
from server.retention.actions.hold_many import hold_many
from server.retention.actions.make_room import make_room
from server.retention.holding import HoldReach
from server.runs.actions.accept_omission import accept_omission
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.take_import import NotReady, _subject
from server.runs.models import Import
from server.storage.actions.set_allowance import WantedAllowance, set_allowance
from server.storage.actions.set_rotation import keep_drive
from server.storage.actions.slots import add_slot
from server.tests.pretend import OfficeTestCase


class Refused(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.room, self.one = self.store(), self.device()
        self.plan(self.one, store=self.room)
        self.backup = self.run_now(self.one).backup

    def refuses(self, field: str, *callers: Callable[[], object]) -> None:
        written = JournalEntry.objects.count()
        for call in callers:
            with self.assertRaises(BadInput) as raised:
                call()
            self.assertEqual(raised.exception.field, field)
            self.assertTrue(raised.exception.remedy)
        self.assertEqual(JournalEntry.objects.count(), written)

    def test_an_office_and_a_plan_without_a_name_or_a_reach(self) -> None:
        asks = {"asks_holders": False, "asks_holders_at": time(15)}
        new = {"zone": "Europe/Berlin", "username": "new", "full_name": "", "password": "p4ssword#1"}
        self.refuses("office_name", lambda: set_up_office(office_name=" ", now=self.outside.at, **new))
        self.refuses("name", lambda: change_office(name=" ", zone="Europe/Berlin", by=self.ines, now=self.outside.at, **asks))
        draft, into = self.draft(self.room), Plan(added_at=self.outside.at)
        self.refuses("reach", lambda: checked(replace(draft, reach="far"), into))
        self.refuses("starts_on", lambda: checked(replace(draft, starts_on=date.max), into))
        with mock.patch("server.plans.actions.save_plan.fault_of", lambda *_, **__: "Its dates cannot be computed."):
            self.refuses("starts_on", lambda: checked(draft, into))

    def test_a_restore_that_does_not_say_where_to_how_or_of_what(self) -> None:
        def ask(selection: Selection = Selection(everything=True), **of: object) -> object:  # noqa: B008
            asked = {"target": "device", "device": self.one, "when_there": "replace"} | of
            return ask_restore(self.backup, selection, by=self.ines, **asked)  # type: ignore[arg-type]

        self.refuses("target", lambda: ask(target="moon"))
        self.refuses("when_there", lambda: ask(when_there="perhaps"))
        two = Selection(everything=False, items=frozenset({("contacts", "c001"), ("contacts", "c002")}))
        with mock.patch.object(restores, "MAX_ITEMS", 1):
            self.refuses("selection", lambda: ask(two))
        with mock.patch.object(restores, "MAX_ITEMS", 2):
            self.assertEqual(len(ask(two).chosen_items), 2)  # type: ignore[attr-defined]
        archive = {"target": "archive", "device": None}
        self.refuses("cards", lambda: ask(**archive, export=Export(cards="vcard9")))
        self.refuses("layout", lambda: ask(**archive, export=Export(layout="spiral")))

    def test_what_needs_a_reason_an_occasion_or_a_kind_that_there_is(self) -> None:
        run = self.backup.run
        self.refuses("why", lambda: make_room(self.room, ["gone:x"], why=" ", seen="", by=self.ines))
        run.skipped = [{"kind": "documents", "name": "a.txt", "code": "denied"}]
        self.refuses("why", lambda: accept_omission(run, path="a", code="denied", alike=False, why=" ", by=self.ines))
        self.refuses("occasion", lambda: ask_run_by_hand(self.one, note="", by=self.ines, occasion="whim"))
        self.refuses(
            "soft_counts",
            lambda: set_allowance(
                self.room, WantedAllowance(limits=Limits(soft_bytes=1, hard_bytes=2, grace_days=0), soft_counts="wishes"), by=self.ines
            ),
        )
        self.refuses("kind", lambda: add_slot(self.room, kind="whistle", label="safe", passphrase="", passphrase_again="", by=self.ines))
        for field in ("keeper", "rests_in"):
            words = {"keeper": "", "rests_in": ""} | {field: "x" * 121}
            self.refuses(field, lambda words=words: keep_drive(self.room, by=self.ines, **words))  # type: ignore[misc]

    def test_what_cannot_be_done_to_this_one_at_this_moment(self) -> None:
        Device.objects.filter(id=self.one.id).update(link="folder")
        with self.assertRaisesRegex(Conflict, "Only a device with an agent"):
            pair_again(Device.objects.get(id=self.one.id), code="ABCD2345", by=self.ines)
        with mock.patch("server.retention.actions.hold_many.MOST_AT_ONCE", 0), self.assertRaisesRegex(Conflict, "More than 0 at once"):
            hold_many(HoldReach(device=self.one.id), reason="a lawyer wrote", by=self.ines)
        for half in (Import(), Import(device=self.one), Import(device=self.one, moment=self.outside.at - timedelta(days=1))):
            with self.assertRaisesRegex(NotReady, "does not say yet"):
                _subject(half)
