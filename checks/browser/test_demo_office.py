"""The demo office: every screen is filled, accessible and fits; the scheduler runs by itself; a killed worker loses nothing."""

import io
import re
import time
from datetime import timedelta
from urllib.parse import urlsplit

from django.contrib.sessions.models import Session
from django.core.management import call_command
from django.test import override_settings
from playwright.sync_api import expect

from checks.browser import at_rest, by_keyboard, leaving, seldom, taking_out
from checks.browser.harness import BrowserTestCase, eventually
from core.vault.check import check
from demo.office import PASSWORD
from launcher.start import SIMULATED_DRIVES
from server import ports
from server.ports import outside
from server.project.env import Env
from server.runs.models import Backup, Run
from server.storage.convert import address
from server.storage.models import Store

DAYS = 17


class TheDemoOffice(BrowserTestCase):
    days_ago = DAYS

    def setUp(self):
        from django.conf import settings

        by_key = {name: getattr(settings.ATTIC_ENV, name) for name in Env.__dataclass_fields__}
        own = {"data": self.data, "announcements_url": self.env["ATTIC_ANNOUNCEMENTS_URL"], "drives": (self.data / SIMULATED_DRIVES,)}
        env = Env(**(by_key | own))
        override = override_settings(ATTIC_ENV=env)
        override.enable()
        self.addCleanup(override.disable)
        outside.cache_clear()
        self.addCleanup(outside.cache_clear)
        call_command("demo", stdout=io.StringIO())
        super().setUp()

    def test_the_office_as_it_stands_in_the_morning(self):
        self._history_is_real()
        self.errand(
            lambda: by_keyboard.from_the_door_to_a_restore(self, self.page, PASSWORD),
            lambda: self.open("/"),
            self._every_screen,
            self._by_keyboard,
            lambda: by_keyboard.in_the_persons_own_colours(self, self.page),
            lambda: by_keyboard.no_letter_is_lost_on_a_slow_machine(self, self.page),
            lambda: leaving.kept_after_all(self, self.page),
            lambda: leaving.removed_from_a_device(self, self.page),
            lambda: leaving.last_1_by_a_slip(self, self.page),
            lambda: leaving.nothing_leaves(self, self.page),
            lambda: leaving.erased_on_request(self, self.page),
            lambda: at_rest.a_drive_comes_and_is_taken_away(self, self.page),
            lambda: at_rest.brought_back_on_trial(self, self.page),
            lambda: at_rest.a_store_is_drained_and_called_back(self, self.page),
            lambda: at_rest.room_is_made(self, self.page),
            lambda: at_rest.what_fills_it(self, self.page),
            lambda: at_rest.an_account_fills(self, self.page),
            lambda: taking_out.an_archive_under_a_passphrase(self, self.page),
            lambda: taking_out.a_folder_of_the_server(self, self.page),
            lambda: seldom.a_person_and_what_they_carry(self, self.page),
            lambda: seldom.two_runs_side_by_side(self, self.page),
            lambda: seldom.three_copies_and_versions_of_a_rule(self, self.page),
            lambda: by_keyboard.a_plan_half_written(self, self.page),
        )
        Session.objects.all().delete()
        self.errand(lambda: by_keyboard.the_session_ended_meanwhile(self, self.page, PASSWORD), self._an_auditor_only_reads)
        self._the_schedule_runs_by_itself()
        self._a_killed_worker()

    def _history_is_real(self):
        """What the stores hold is what the database says, and all of it can be read."""
        for store in Store.objects.exclude(drive__state="out"):
            vault = ports.stores().open_vault(address(store))
            report = check(vault, percent=100)
            self.assertEqual([entry.object for entry in report.damaged], [])
            for _ in range(60):  # the workers go on meanwhile: a backup lies in the store a moment before its row, and a moment after
                held = {id.hex() for id in vault.backup_ids()}
                listed = Backup.objects.filter(copies__store=store, copies__state__in=("present", "leaving", "removing"))
                known = {id.hex for id in listed.values_list("id", flat=True)}
                if held == known:
                    break
                time.sleep(1)
            self.assertEqual(held, known)
        self.assertGreater(Backup.objects.count(), 80)
        self.assertGreater(Backup.objects.filter(copies__state="removed").count(), 20)

    def _every_screen(self):
        page = self.page
        expect(page.get_by_role("heading", level=1)).to_have_text(re.compile(r"\d+ of 3\d devices are inside their promise"))
        expect(page.get_by_role("main")).to_contain_text("Not seen on the office network")
        device = page.get_by_role("main").locator("a[href^='/devices/']").first.get_attribute("href")
        for path, also in self._screens(device):
            same = urlsplit(path).path == urlsplit(page.url).path  # only what is asked of it is another: its heading stays
            (self.open if same else self.visit)(path)
            page.wait_for_timeout(400)
            self.accessible(path)
            self.fits(path)
            if also:
                page.set_viewport_size({"width": 390, "height": 844})
                page.wait_for_timeout(300)
                self.fits(f"{path} on a telephone")
                page.set_viewport_size({"width": 1280, "height": 800})
        page.set_viewport_size({"width": 390, "height": 844})
        self.open("/")
        self.fits("a page opened on a telephone")
        page.set_viewport_size({"width": 1280, "height": 800})

    @staticmethod
    def _screens(device):
        """(address, whether it must fit on a telephone as well)."""
        return [
            ("/", True),
            ("/devices", True),
            ("/devices?order=age&columns=system,serial,full,note", False),
            ("/devices/add", False),
            ("/devices/import", False),
            (device, False),
            (f"{device}/coverage", True),
            (f"{device}/filling", True),
            (f"{device}/wipe", True),
            (f"{device}/link", False),
            ("/teams", False),
            ("/imports", False),
            ("/plans", False),
            ("/plans/new", False),
            ("/plans/exceptions", True),
            ("/leaving", True),
            ("/holds", True),
            ("/restore-points", True),
            ("/history", True),
            ("/history?outcome=did_not", False),
            ("/night", True),
            ("/incidents", True),
            ("/anomalies", False),
            ("/report", True),
            ("/storage", False),
            ("/restore", True),
            ("/journal", False),
            ("/office", False),
            ("/office/days", False),
            ("/office/telling", True),
            ("/nowhere", False),
        ]

    def _by_keyboard(self):
        page = self.page
        self.open("/")
        night = page.get_by_role("toolbar").get_by_role("button").nth(13)
        night.focus()
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("Enter")
        page.wait_for_url("**/history?night=*")
        expect(page.get_by_role("main")).to_contain_text("The night of")
        expect(page.get_by_role("heading", level=1)).to_be_focused()
        page.go_back()
        expect(page.get_by_role("heading", level=1)).to_contain_text("promise")

    def _an_auditor_only_reads(self):
        page = self.page
        page.get_by_role("button", name="Sign out").click()
        page.get_by_role("button", name="Sign in").wait_for()
        self.sign_in("ulla", PASSWORD)
        page.get_by_role("link", name="Devices").click()
        page.get_by_role("link", name="Orlo Tab 11").first.click()
        expect(page.get_by_role("main")).to_contain_text("Moments")
        self.assertEqual(page.get_by_role("button", name="Run now").count(), 0)

    def _the_schedule_runs_by_itself(self):
        """A plan whose time is two minutes ago starts its run without anybody pressing anything."""
        from server.people.queries import office_zone
        from server.plans.models import Assignment, Plan

        now = ports.clock().now()
        local = (now - timedelta(minutes=2)).astimezone(office_zone())
        plan = Plan.objects.get(name="Tables twice a week")
        closes = (local + timedelta(hours=2)).time().replace(second=0, microsecond=0)
        starts = local.time().replace(second=0, microsecond=0)
        before = set(Run.objects.values_list("id", flat=True))
        Assignment.objects.filter(plan=plan).update(since=now - timedelta(hours=1))
        Plan.objects.filter(id=plan.id).update(rule="FREQ=DAILY", starts_at=starts, window_closes=closes)
        came = lambda: Run.objects.exclude(id__in=before).filter(plan=plan, state="complete").count() >= 6  # noqa: E731
        self.assertTrue(eventually(came, 180), list(Run.objects.exclude(id__in=before).values_list("device__name", "state", "cause")))

    def _a_killed_worker(self):
        """`kill -9` in mid-run: within a minute another worker carries the run on, and nothing is stored twice."""
        from launcher.start import POOLS, start_workers
        from server.fleet.models import Device
        from server.runs.actions.ask_run import ask_run_by_hand

        self.control("control/field6-thorne", slow_bytes_per_second=20_000)
        self.control("day", day="2027-02-01", device="field6-thorne")
        device = Device.objects.get(agent_id="field6-thorne")
        eventually(lambda: not Run.objects.filter(device=device, state__in=["waiting", "running"]).exists(), 60)
        run = ask_run_by_hand(device, note="", by=None)
        reading = lambda: Run.objects.get(id=run.id).progress.get("read_bytes", 0) > 30_000  # noqa: E731
        came = eventually(reading, 120)
        self.assertTrue(came, Run.objects.filter(id=run.id).values_list("state", "progress", "log").get())
        for pool in POOLS:
            self.processes.stop_one(pool, kill=True)
        self.control("control/field6-thorne", slow_bytes_per_second=0)
        start_workers(self.processes, self.env)
        self.assertTrue(eventually(lambda: Run.objects.get(id=run.id).state == "complete", 300), Run.objects.get(id=run.id).state)
        self.assertEqual(Run.objects.get(id=run.id).attempts, 2)
        self.assertEqual(Backup.objects.filter(run=run).count(), 1)
