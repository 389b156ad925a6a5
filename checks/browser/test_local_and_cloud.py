"""Local and cloud at once: a bucket is tried and added, a plan goes to both stores, the server room burns, and the cloud gives it back."""

import re
import shutil
import time
from datetime import UTC, datetime

from playwright.sync_api import expect

from checks.browser.harness import BrowserTestCase
from core.vault.address import FolderAddress
from server.fleet.actions.add_device import pair_device
from server.people.actions.office import set_up_office
from server.people.models import User
from server.storage.actions.add_store import create_store

DEVICE = "p5-nygaard"
PASSWORD = "quay and lantern"
PASSPHRASE = "tide and chalk and rope"


class LocalAndCloud(BrowserTestCase):
    def test_a_backup_in_the_room_and_in_the_cloud(self):
        from django.conf import settings
        from django.test import override_settings

        from server.ports import outside
        from server.project.env import Env

        by_key = {name: getattr(settings.ATTIC_ENV, name) for name in Env.__dataclass_fields__}
        env = Env(**(by_key | {"data": self.data, "announcements_url": self.env["ATTIC_ANNOUNCEMENTS_URL"]}))
        with override_settings(ATTIC_ENV=env):
            outside.cache_clear()
            self.addCleanup(outside.cache_clear)
            by: User = set_up_office(
                office_name="Saltmarsh & Pike", zone="Europe/Berlin", username="ines", full_name="Ines Varga", password=PASSWORD,
                now=datetime.now(UTC),
            )  # fmt: skip
            self.room = self.data / "stores" / "room"
            create_store(
                name="Server room", address=FolderAddress(path=str(self.room)), passphrase=PASSPHRASE, passphrase_again=PASSPHRASE,
                allowance_bytes=None, by=by,
            )  # fmt: skip
            code = str(self.screen_of(DEVICE)["code"])
            self.device = pair_device(agent_id=DEVICE, code=code, name="Orlo P5", holder="A. Nygaard", team="Front Desk", by=by)
        self.cloud = self.control("control/cloud")
        self.errand(
            lambda: self.sign_in("ines", PASSWORD), self._a_bucket_is_tried, self._and_added, self._a_plan_for_both, self._another_computer, self._a_run_and_its_copy,
            self._the_cloud_goes_away, self._and_comes_back, self._a_pause, self._the_room_burns,
        )  # fmt: skip

    def _a_bucket_is_tried(self):
        page = self.page
        self.open("/storage/add")
        page.get_by_role("button", name="Bucket in a cloud").click()
        page.get_by_label("Address of the service").fill(self.cloud["endpoint"])
        page.get_by_label("Bucket", exact=True).fill(self.cloud["bucket"])
        page.get_by_label("Part of the bucket").fill("office")
        page.get_by_label("Access key").fill(self.cloud["access_key"])
        page.get_by_label("Secret key").fill("not the right one")
        page.get_by_role("button", name="Try it").click()
        expect(page.get_by_label("Trial")).to_contain_text("inside of the office's network")
        page.get_by_label("It lies in the office's own network").check()
        page.get_by_role("button", name="Try it").click()
        expect(page.get_by_label("Trial")).to_contain_text("does not let us in")
        page.get_by_role("button", name="The rights that the key needs").click()
        expect(page.get_by_role("region", name="Policy to ask the provider for")).to_contain_text("s3:DeleteObjectVersion")
        self.accessible("a trial that failed")
        page.get_by_label("Secret key").fill(self.cloud["secret_key"])
        page.get_by_role("button", name="Try it").click()
        for words in (
            "A name that is taken is refused",
            "read back, whole and in part",
            "It was removed again",
            "agree",
            "What is removed is gone",
        ):
            expect(page.get_by_label("Trial")).to_contain_text(words)
        self.accessible("a trial")
        self.fits("a trial")

    def _and_added(self):
        page = self.page
        page.get_by_label("Name", exact=True).fill("North cloud")
        page.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
        page.get_by_label("Passphrase again").fill(PASSPHRASE)
        expect(page.get_by_role("main")).to_contain_text("It shares the office's key")
        page.get_by_role("button", name="Prepare the store").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Keep this code")
        page.get_by_role("button", name="Later").click()
        expect(page.get_by_role("main")).to_contain_text(f"s3://{self.cloud['bucket']}/office")
        self.assertNotIn(self.cloud["secret_key"], page.content())
        self.store = page.url

    def _another_computer(self):
        page, there = self.page, self.control("control/boathouse")
        self.open("/storage/add")
        page.get_by_role("button", name="Another computer").click()
        page.get_by_label("Computer", exact=True).fill(there["host"])
        page.get_by_label("Port").fill(str(there["port"]))
        page.get_by_role("button", name="Ask it for its key").click()
        expect(page.get_by_role("main")).to_contain_text(there["fingerprint"])
        page.get_by_role("button", name="It is the same").click()
        page.get_by_label("Account there").fill(there["username"])
        page.get_by_label("Password", exact=True).fill(there["password"])
        page.get_by_label("Folder there").fill(there["folder"])
        page.get_by_role("button", name="Try it").click()
        expect(page.get_by_label("Trial")).to_contain_text("are free")
        self.accessible("another computer, tried")
        self.fits("another computer, tried")
        page.get_by_label("Name", exact=True).fill("Boathouse")
        page.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
        page.get_by_label("Passphrase again").fill(PASSPHRASE)
        page.get_by_role("button", name="Prepare the store").click()
        page.get_by_role("button", name="Later").click()
        expect(page.get_by_role("main")).to_contain_text(f"sftp://{there['username']}@{there['host']}")
        self.assertNotIn(there["password"], page.content())

    def _a_plan_for_both(self):
        page = self.page
        self.open("/plans/new")
        page.get_by_label("Name", exact=True).fill("Phones")
        page.get_by_label("Runs go to").select_option("Server room")
        page.get_by_role("button", name="Copy to another store as well").click()
        expect(page.get_by_label("Copies go to")).to_have_value(self.store.rpartition("/")[2])
        page.get_by_text("When and how fast").click()
        page.get_by_label("Not faster than", exact=True).fill("900")
        self.accessible("stores of a plan")
        page.get_by_label("Orlo P5, A. Nygaard").check()
        page.get_by_role("button", name="Save the plan").click()
        page.get_by_role("heading", name="Plans").wait_for()
        expect(page.get_by_role("main")).to_contain_text("Server room and North cloud")

    def _run(self):
        page = self.page
        self.open(f"/devices/{self.device.id}")
        page.get_by_role("button", name="Run now").click()
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_role("main")).to_contain_text("It is safe to unplug the device.", timeout=60_000)

    def _a_run_and_its_copy(self):
        page = self.page
        self._run()
        self.open("/storage")
        expect(page.get_by_role("row").filter(has_text="North cloud").first).to_contain_text("all there", timeout=60_000)
        self.accessible("storage")
        self.open(f"/devices/{self.device.id}")
        # it may not have been owed yet when the page before said that all is there
        expect(page.get_by_role("main")).to_contain_text("Server room, North cloud", timeout=60_000)

    def _the_cloud_goes_away(self):
        page = self.page
        self.control("control/cloud", away=True)
        self._run()
        self.open("/storage/copies")
        row = page.get_by_role("row").filter(has_text="A. Nygaard")
        expect(row).to_contain_text("tried again", timeout=60_000)
        self.accessible("copies that wait")
        self.fits("copies that wait")
        self.open("/storage")
        expect(page.get_by_role("main")).to_contain_text("1 store cannot be reached. 1 copy is on the way.")

    def _and_comes_back(self):
        page = self.page
        self.control("control/cloud", away=False)
        page.goto(self.store)
        page.get_by_role("button", name="Copy now").click()
        expect(page.get_by_role("main")).to_contain_text("Nothing is owed to it", timeout=60_000)

    def _a_pause(self):
        page = self.page
        page.get_by_label("The store is").select_option("paused")
        page.get_by_label("Why", exact=True).fill("moved over the weekend")
        page.get_by_role("button", name="Set", exact=True).click()
        expect(page.get_by_text("Paused.", exact=True)).to_be_visible()  # what the choice explains stands there before it is set
        self.accessible("a paused store")
        page.get_by_label("The store is").select_option("in_use")
        page.get_by_role("button", name="Set", exact=True).click()
        expect(page.get_by_text("Restores read it; everything else waits.")).to_have_count(0)

    def _the_room_burns(self):
        page = self.page
        shutil.rmtree(self.room)
        time.sleep(0.5)
        self.open(f"/devices/{self.device.id}")
        page.get_by_role("main").locator("td a[href^='/backups/']").first.click()
        expect(page.get_by_role("button", name="Copy it to")).to_have_count(0)  # both stores have it
        page.get_by_role("button", name="Contacts").or_(page.get_by_role("link", name="Contacts")).first.click()
        expect(page.get_by_role("region", name="Contacts")).to_contain_text(re.compile(r"\d\d items"))  # read from the cloud
        self.page.set_viewport_size({"width": 390, "height": 844})
        for path in ("/storage", "/storage/copies", "/storage/add", self.store.removeprefix(self.base())):
            self.open(path)
            self.fits(path)
        self.page.set_viewport_size({"width": 1280, "height": 800})
