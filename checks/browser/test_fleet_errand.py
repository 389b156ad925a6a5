"""A new fleet, from a list in a spreadsheet to devices that may be wiped: real devices, real bytes, in the browser."""

import re
import shutil
import tempfile
import zipfile
from pathlib import Path

import segno
from playwright.sync_api import expect

from checks.browser.harness import BrowserTestCase
from server.people.actions.office import set_up_office

DEVICE, SERIAL = "p5-nygaard", "OR-011209"
PASSWORD = "quay and lantern"
ROWS = (
    "name,holder,team,family,serial,purchased_on,note\r\n"
    f"Orlo P5,A. Nygaard,Front Desk,orlo,{SERIAL},2026-01-31,=cmd()\r\n"
    "Brenta Field 8,spare 3,Shore Crew,brenta,BX-1,,\r\n"
    "Orlo P4,,Front Desk,orlo,,,\r\n"
)


class ANewFleet(BrowserTestCase):
    def test_from_a_list_to_a_device_that_was_wiped(self):
        from datetime import UTC, datetime

        set_up_office(
            office_name="Saltmarsh & Pike",
            zone="Europe/Berlin",
            username="ines",
            full_name="Ines Varga",
            password=PASSWORD,
            now=datetime.now(UTC),
        )
        self.files = Path(tempfile.mkdtemp(prefix="attic-errand-"))
        self.addCleanup(shutil.rmtree, self.files, ignore_errors=True)
        self.control(f"control/{DEVICE}", asks_holder=True)
        self.errand(
            lambda: self.sign_in("ines", PASSWORD), self._a_store, self._import_and_take_back, self._pair_by_picture, self._the_holder_says_yes,
            self._run_for_an_occasion, self._coverage, self._not_yet_safe, self._over_sftp, self._bring_in, self._lost,
        )  # fmt: skip

    def _a_store(self):
        page = self.page
        self.open("/storage/add")
        page.get_by_label("Name", exact=True).fill("Server room")
        page.get_by_label("Folder on the server").fill(str(self.data / "stores" / "errand"))
        page.get_by_label("Passphrase", exact=True).fill("tide and chalk and rope")
        page.get_by_label("Passphrase again").fill("tide and chalk and rope")
        page.get_by_role("button", name="Prepare the store").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Keep this code")
        # when a share is read by itself depends on the hour of the day: here it is read when somebody asks
        self.open("/storage")
        page.get_by_role("link", name="Server room").first.click()
        page.get_by_label("Everything is read again within").fill("")
        with self.answered("PUT", "/api/stores/[^/]+"):
            page.get_by_role("button", name="Save", exact=True).click()
        self.open("/storage")
        page.get_by_role("link", name="Server room").first.click()
        expect(page.get_by_label("Everything is read again within")).to_have_value("")

    def _import_and_take_back(self):
        page = self.page
        (self.files / "devices.csv").write_text(ROWS, newline="")
        self.open("/devices")
        expect(page.get_by_role("main")).to_contain_text("No device yet")
        self.open("/devices/import")
        page.get_by_label("File with devices").set_input_files(self.files / "devices.csv")
        expect(page.get_by_role("main")).to_contain_text("2 new devices, 0 changed, 0 as they are, 1 refused")
        expect(page.get_by_role("main")).to_contain_text("There is no holder.")
        self.accessible("preview of an import")
        self.fits("preview of an import")
        page.get_by_role("button", name="Import: create 2, change 0").click()
        expect(page.get_by_role("main")).to_contain_text("Import: 2 devices created, 0 changed")
        expect(page.get_by_role("link", name="Brenta Field 8")).to_be_visible()
        page.get_by_role("button", name="Take it back").click()
        expect(page.get_by_role("main")).to_contain_text("No device yet")
        self.open("/devices/import")
        page.get_by_label("File with devices").set_input_files(self.files / "devices.csv")
        page.get_by_role("button", name="Import: create 2, change 0").click()
        page.get_by_role("button", name="Choose several").click()
        page.get_by_label("Choose Brenta Field 8 of spare 3").check()
        page.get_by_label("to", exact=True).fill("Drawing Room")
        self.accessible("choosing several")
        page.get_by_role("button", name="Change 1 device").click()
        expect(page.get_by_role("row").filter(has_text="Drawing Room")).to_be_visible()

    def _pair_by_picture(self):
        page = self.page
        code = self.screen_of(DEVICE)["code"]
        segno.make(f"attic-pair:{DEVICE}:{code}").save(str(self.files / "screen.png"), scale=6, border=4)
        segno.make("attic-pair:another:ABCD2345").save(str(self.files / "other.png"), scale=6, border=4)
        self.open("/devices/add")
        page.get_by_role("button", name="Choose P5, A. Nygaard").click()
        page.get_by_text("Scan it instead").click()
        page.get_by_label("A picture of the code").set_input_files(self.files / "other.png")
        expect(page.get_by_role("main")).to_contain_text("This code belongs to another device.")
        page.get_by_label("A picture of the code").set_input_files(self.files / "screen.png")
        expect(page.get_by_label("Pairing code")).to_have_value(code)
        page.get_by_role("button", name="Link it to that entry").click()
        self.accessible("pairing")
        page.get_by_role("button", name="Pair", exact=True).click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Orlo P5")
        expect(page.get_by_role("main")).to_contain_text("=cmd()")
        self.address = page.url

    def _the_holder_says_yes(self):
        page = self.page
        page.get_by_role("button", name="Ask the device now").click()
        expect(page.get_by_role("main")).to_contain_text("Its holder has not said yes to this server.")
        expect(page.get_by_role("main")).to_contain_text("say yes to the question")
        self.accessible("waiting for the holder")
        self.control(f"control/{DEVICE}/accept", yes=True)
        expect(page.get_by_role("main")).to_contain_text("Its holder has said yes.", timeout=15_000)

    def _run_for_an_occasion(self):
        page = self.page
        self.open("/plans/new")
        page.get_by_label("Name", exact=True).fill("Phones")
        page.get_by_label("What it takes").select_option("all_but")
        page.get_by_label("Alarms", exact=True).check()
        page.get_by_label("Orlo P5, A. Nygaard").check()
        self.accessible("what a plan takes")
        page.get_by_role("button", name="Save the plan").click()
        page.get_by_role("heading", name="Plans").wait_for()
        page.goto(self.address)
        page.get_by_role("button", name="Run now").click()
        page.get_by_label("Occasion").select_option("before_repair")
        page.get_by_label("Note", exact=True).last.fill("cracked screen")
        self.accessible("asking for a run")
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_role("main")).to_contain_text("It is safe to unplug the device.", timeout=60_000)
        expect(page.get_by_role("main")).to_contain_text("before a repair: its backup is on hold until it is released")
        page.goto(self.address)
        expect(page.get_by_role("main")).to_contain_text("on hold: before a repair: cracked screen")

    def _coverage(self):
        page = self.page
        page.get_by_role("link", name="Coverage").click()
        page.get_by_role("button", name="Look at it now").click()
        expect(page.get_by_role("row").filter(has_text="Alarms")).to_contain_text("covered by nothing")
        expect(page.get_by_role("row").filter(has_text="Alarms")).to_contain_text("not in its plan")
        expect(page.get_by_role("row").filter(has_text="Contacts")).to_contain_text("backed up")
        expect(page.get_by_role("row").filter(has_text="Contacts")).to_contain_text("Saltmarsh groupware, default")
        self.accessible("coverage")
        self.fits("coverage")
        self._a_synchronised_kind_left_out()

    def _a_synchronised_kind_left_out(self):
        page = self.page
        self.control(f"control/{DEVICE}", account_off=True)
        page.get_by_role("button", name="Look at it now").click()
        expect(page.get_by_role("row").filter(has_text="Contacts")).to_contain_text("switched off by its administrator")
        self.open("/")
        expect(page.get_by_role("main")).to_contain_text("Saltmarsh groupware is switched off by its administrator")
        page.get_by_role("button", name=re.compile("^Decide")).click()
        page.get_by_role("button", name="decide … Contacts").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Calendar", exact=True).uncheck()
        dialog.get_by_label("left out on purpose").check()
        dialog.get_by_label("Why they may be missing").fill("kept by the groupware's own people")
        self.accessible("deciding about an account")
        dialog.get_by_role("button", name="Leave them out").click()
        row = page.get_by_role("row").filter(has_text="Contacts")
        expect(row).to_contain_text("left out on purpose: kept by the groupware's own people")
        page.get_by_role("button", name="take back what was chosen for Contacts").click()
        expect(row).not_to_contain_text("left out on purpose")
        self.control(f"control/{DEVICE}", account_off=False)

    def _not_yet_safe(self):
        page = self.page
        page.get_by_role("link", name="Safe to wipe?").click()
        expect(page.get_by_role("status").filter(has_text="May this device be wiped?")).to_contain_text("No")
        expect(page.get_by_role("main")).to_contain_text("Alarms on this device are in no backup.")
        expect(page.get_by_role("main")).to_contain_text("There is only one copy")
        page.get_by_role("button", name="Check Server room").click()
        expect(page.get_by_role("main")).not_to_contain_text("read back and checked", timeout=30_000)
        self.accessible("safe to wipe")
        page.get_by_label("Occasion").select_option("before_repair")
        page.get_by_role("button", name="Sign and print").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("May this device be wiped? No")
        expect(page.get_by_role("article")).to_contain_text(SERIAL)
        self.accessible("a signed answer")

    def _over_sftp(self):
        page = self.page
        shown = self.screen_of("ridge2-logger")
        self.open("/devices/add?kind=sftp")
        page.get_by_label("Host").fill("127.0.0.1")
        page.get_by_label("Port").fill(str(shown["port"]))
        page.get_by_role("button", name="Connect").click()
        expect(page.get_by_role("main")).to_contain_text(shown["sftp"]["fingerprint"])
        page.get_by_label("User name on the device").fill(shown["sftp"]["username"])
        page.get_by_label("Password on the device").fill(shown["sftp"]["password"])
        page.get_by_label("Name of the device").fill("Gauge")
        page.get_by_label("Holder").fill("tide gauge")
        self.accessible("adding over SFTP")
        page.get_by_role("button", name="The key is right: add it").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Gauge")
        page.get_by_role("link", name="Link", exact=True).click()
        page.get_by_role("button", name="Add a rule").click()
        page.get_by_label("Pattern of rule 1").fill("Gauge/**")
        page.get_by_label("Kind of rule 1").select_option("notes")
        page.get_by_role("button", name="Show what these rules would do").click()
        expect(page.get_by_role("row").filter(has_text="Gauge/**")).to_contain_text("Notes")
        self.accessible("link settings")
        self.fits("link settings")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_label("Kind of rule 1")).to_have_value("notes")

    def _bring_in(self):
        page = self.page
        with zipfile.ZipFile(self.files / "old phone.zip", "w") as archive:
            archive.writestr("who.vcf", "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Wenke Ulven\r\nEND:VCARD\r\n")
            archive.writestr("../out.txt", "x")
        self.open("/imports")
        page.get_by_label("File to bring in").set_input_files(self.files / "old phone.zip")
        expect(page.get_by_role("main")).to_contain_text("ready to be taken", timeout=30_000)
        expect(page.get_by_role("main")).to_contain_text("1 thing left aside")
        self.pick("Of the device", "nyg", "Orlo P5, A. Nygaard")
        page.get_by_label("Taken at", exact=True).fill("2025-03-01")
        page.get_by_label("Taken at: time").fill("18")
        self.accessible("importing")
        page.get_by_role("button", name="Bring it in for Orlo P5, A. Nygaard").click()
        page.get_by_role("link", name="Look inside").click(timeout=30_000)
        expect(page.get_by_role("main")).to_contain_text("Wenke Ulven")
        expect(page.get_by_role("main")).to_contain_text("Sat")

    def _lost(self):
        page = self.page
        page.goto(self.address)
        page.get_by_role("button", name="Change", exact=True).click()
        page.get_by_label("State").select_option("lost")
        self.accessible("changing a device")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_role("main").get_by_text("lost").first).to_be_visible()
        page.get_by_role("link", name="Link", exact=True).click()
        expect(page.get_by_role("main")).to_contain_text("Not paired")
