"""One errand from an empty installation to a restored contact: everything that a new administrator does in the first hour."""

import io
import json
import zipfile

import vobject
from playwright.sync_api import expect

from checks.browser import nights
from checks.browser.harness import BrowserTestCase, eventually
from server.runs.models import Copy

DEVICE = "p5-nygaard"
OTHER = "p4-brandt"


class FromNothingToARestore(BrowserTestCase):
    def test_the_first_hour(self):
        store = self.data / "stores" / "first"
        self.errand(
            self._first_administrator,
            lambda: self._add_store(str(store)),
            self._add_device,
            self._make_plan,
            self._run_and_watch,
            self._look_inside,
            self._restore_a_contact,
            self._archive,
            self._unplugged_and_again,
            self._too_full,
            lambda: nights.closed_days(self, self.page),
            lambda: nights.feed(self, self.page),
            lambda: nights.pauses(self, self.page),
            lambda: nights.being_told(self, self.page),
        )
        Copy.objects.update(intact=False)  # as a check would
        self.errand(lambda: nights.after_damage(self, self.page))
        logs = b"".join(path.read_bytes() for path in (self.data / "logs").glob("*.log"))
        for secret in (b"tide and chalk and rope", b"quay and lantern"):
            self.assertNotIn(secret, logs)
        for path in store.rglob("*"):
            if path.is_file():
                self.assertNotIn(b"BEGIN:", path.read_bytes())

    def _first_administrator(self):
        page = self.page
        page.goto(self.base() + "/")
        page.get_by_role("heading", name="Set up the office").wait_for()
        self.accessible("first administrator")
        page.get_by_label("Name of the office").fill("Saltmarsh & Pike")
        page.get_by_label("Time zone").fill("Europe/Atlantis")
        page.get_by_label("Your name").fill("Ines Varga")
        page.get_by_label("User name").fill("ines")
        page.get_by_label("Password").fill("quay and lantern")
        page.get_by_role("button", name="Set up").click()
        expect(page.get_by_role("alert")).to_contain_text("There is no time zone called")
        page.get_by_label("Time zone").fill("Europe/Berlin")
        page.get_by_role("button", name="Set up").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Nothing has been promised yet.")
        expect(page.get_by_role("main")).to_contain_text("on the office network are not in the list")
        self.accessible("empty Today")

    def _add_store(self, path: str):
        page = self.page
        page.get_by_role("link", name="Storage").click()
        expect(page.get_by_role("main")).to_contain_text("No store yet")
        page.get_by_role("button", name="Add a store").click()
        page.get_by_label("Name", exact=True).fill("Server room")
        page.get_by_label("Folder on the server").fill(path)
        page.get_by_label("Passphrase", exact=True).fill("tide and chalk and rope")
        page.get_by_label("Passphrase again").fill("tide and chalk and hope")
        page.get_by_role("button", name="Prepare the store").click()
        expect(page.get_by_role("alert")).to_contain_text("The two passphrases differ.")
        self.accessible("add a store")
        page.get_by_label("Passphrase again").fill("tide and chalk and rope")
        page.get_by_role("button", name="Prepare the store").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Keep this code")
        self.recovery_code = page.locator(".recovery-code").inner_text().split()
        self.assertEqual([len(group) for group in self.recovery_code], [5] * 6)
        self.accessible("a recovery code")
        expect(page.get_by_role("button", name="It is right")).to_be_disabled()
        page.get_by_label("Type it from the paper").fill("".join([*self.recovery_code[:5], "AAAAA"]))
        page.get_by_role("button", name="It is right").click()
        expect(page.get_by_role("alert")).to_be_visible()
        page.get_by_label("Type it from the paper").fill(" ".join(self.recovery_code).lower())
        page.get_by_role("button", name="It is right").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Server room")

    def _add_device(self):
        page = self.page
        page.get_by_role("link", name="Devices").click()
        page.get_by_role("button", name="Add a device").click()
        page.get_by_role("button", name="Choose P5, A. Nygaard").click()
        code = self.screen_of(DEVICE)["code"]
        page.get_by_label("Pairing code").fill("AAAA2222" if code != "AAAA2222" else "BBBB3333")
        page.get_by_label("Team").fill("Front Desk")
        page.get_by_role("button", name="Pair", exact=True).click()
        expect(page.get_by_role("alert")).to_contain_text("4 more tries")
        self.accessible("add a device")
        page.get_by_label("Pairing code").fill(code.lower())
        page.get_by_role("button", name="Pair", exact=True).click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Orlo P5")
        expect(page.get_by_role("main")).to_contain_text("It has no plan")
        self.device_address = page.url

    def _make_plan(self):
        page = self.page
        page.get_by_role("link", name="Plans").click()
        page.get_by_role("button", name="Make a plan").click()
        page.get_by_label("Name", exact=True).fill("Phones")
        expect(page.get_by_label("What the draft means").get_by_role("listitem").nth(4)).to_be_visible()
        page.get_by_label("How often").select_option("weekdays")
        page.get_by_label("Th", exact=True).uncheck()
        answer = page.get_by_label("What the draft means")
        expect(answer.get_by_role("listitem").first).to_contain_text("Mon")
        expect(answer.get_by_role("listitem").nth(1)).to_contain_text("Mon")
        expect(answer).to_contain_text("7 days and 0 hours apart, longer than promised")
        page.get_by_label("May start until").fill("22:05")
        expect(answer).to_contain_text("is too short")
        page.get_by_label("May start until").fill("06:00")
        expect(answer.get_by_role("heading").first).to_contain_text("Runs on Mondays at 22:00")
        page.get_by_label("How often").select_option("monthly")
        page.get_by_label("Which of the month").select_option("-1")
        page.get_by_label("Weekday").select_option("4")
        expect(answer.get_by_role("heading").first).to_contain_text("Runs on the last Friday of each month at 22:00")
        page.get_by_label("How often").select_option("rule")
        page.get_by_label("Rule", exact=True).fill("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")
        expect(answer).to_contain_text("This rule never occurs")
        page.get_by_label("How often").select_option("every_night")
        page.get_by_label("Orlo P5, A. Nygaard").check()
        self.accessible("plan editor")
        page.get_by_role("button", name="Save the plan").click()
        expect(page.get_by_role("main")).to_contain_text("every night at 22:00, until 06:00")

    def _run_and_watch(self):
        page = self.page
        self.control(f"control/{DEVICE}", slow_bytes_per_second=40_000)
        page.goto(self.device_address)
        self.run_or_watch()
        page.get_by_role("progressbar").wait_for()
        expect(page.get_by_label("Progress")).to_contain_text("Reading")
        expect(page.get_by_label("Progress")).to_contain_text("left")
        self.accessible("a run under way")
        page.reload()
        expect(page.get_by_label("Progress")).to_contain_text("a second")
        before = int(page.get_by_role("progressbar").get_attribute("aria-valuenow") or 0)
        self.control(f"control/{DEVICE}", slow_bytes_per_second=0)
        expect(page.get_by_role("main")).to_contain_text("It is safe to unplug the device.", timeout=60_000)
        self.assertLess(before, 100)
        page.get_by_role("link", name="History").click()
        row = page.get_by_role("row").filter(has_text="Orlo P5")
        for text in ("complete", "Server room", "yes", "KiB"):
            expect(row.first).to_contain_text(text)
        self.accessible("history")

    def run_or_watch(self):
        """Ask for a run, or look at the one that the plan has started meanwhile."""
        run, watch = self.page.get_by_role("button", name="Run now"), self.page.get_by_role("button", name="Watch the run")
        run.or_(watch).wait_for()
        if watch.is_visible():
            watch.click()
            return
        run.click()
        self.page.get_by_role("button", name="Start the run").click()

    def _look_inside(self):
        page = self.page
        page.goto(self.device_address)
        page.get_by_role("link", name="in all stores").or_(page.locator("table a.title-link")).first.click()
        expect(page.get_by_label("Why it is kept")).to_contain_text("one of the newest: 1 of 3")
        expect(page.get_by_label("Why it is kept")).to_contain_text("begins to leave on")
        told_contacts = self.told_contacts()
        self.contact = told_contacts[0]
        page.get_by_label("Search in contacts").fill(self.contact["display"])
        expect(page.get_by_role("button", name=self.contact["display"]).first).to_be_visible()
        page.get_by_role("button", name="Photos").click()
        picture = page.get_by_role("img", name="Camera/").first
        expect(picture).to_be_visible()
        loaded = "[...document.querySelectorAll('.photos img')].some(image => image.naturalWidth > 0)"
        self.assertTrue(eventually(lambda: page.evaluate(loaded)))
        page.get_by_role("button", name="Messages", exact=False).first.click()
        page.locator(".items button").first.click()
        expect(page.locator(".talk li").first).to_be_visible()
        self.accessible("inside a backup")

    def told_contacts(self) -> list[dict]:
        """The contacts as the simulated device holds them, through its own file."""
        import sqlite3

        db = sqlite3.connect(self.data / "standins" / f"{DEVICE}.sqlite")
        rows = db.execute("select id, content from item where kind = 'contacts' order by id").fetchall()
        db.close()
        return [json.loads(content) | {"id": id} for id, content in rows]

    def _restore_a_contact(self):
        page = self.page
        self.control(f"control/{DEVICE}/delete", kind="contacts", id=self.contact["id"])
        count = len(self.told_contacts())
        page.get_by_role("button", name="Restore from it").click()
        page.get_by_label("Only some").check()
        page.get_by_role("button", name="Choose single items").click()
        page.get_by_label("Search in contacts").fill(self.contact["display"])
        page.get_by_label(f"Choose {self.contact['display']}").first.check()
        expect(page.get_by_role("main")).to_contain_text("1 single item chosen")
        expect(page.get_by_role("combobox", name="Which device")).to_have_value("Orlo P5, A. Nygaard")
        self.control(f"control/{DEVICE}", finder_lock=True)
        page.get_by_label("What differs there already").select_option("skip")
        page.get_by_label(f"Choose {self.contact['display']}").first.uncheck()
        page.get_by_label(f"Choose {self.contact['display']}").first.check()
        expect(page.get_by_label("Before it starts")).to_contain_text("Its finder lock is on.", timeout=30_000)
        expect(page.get_by_role("button", name="Write to Orlo P5, A. Nygaard")).to_be_disabled()
        self.accessible("restore")
        self.control(f"control/{DEVICE}", finder_lock=False)
        expect(page.get_by_role("button", name="Write to Orlo P5, A. Nygaard")).to_be_enabled(timeout=30_000)
        page.get_by_role("button", name="Write to Orlo P5, A. Nygaard").click()
        expect(page.get_by_role("main")).to_contain_text(
            "1 item expected on Orlo P5, A. Nygaard, 1 item found there, each compared by its content.", timeout=30_000
        )
        self.accessible("restore report")
        now = self.told_contacts()
        self.assertEqual(len(now), count + 1)
        self.assertIn(self.contact["display"], [contact["display"] for contact in now])

    def _archive(self):
        page = self.page
        page.get_by_role("link", name="Restore", exact=True).click()
        self.pick("Device", "nygaard", "Orlo P5, A. Nygaard")
        page.locator(".moments button").first.click()
        page.get_by_label("A ZIP archive").check()
        page.get_by_role("button", name="Make the archive").click()
        expect(page.get_by_role("main")).to_contain_text("expected in the archive", timeout=60_000)
        with page.expect_download() as fetched:
            page.get_by_role("link", name="Save Orlo P5").click()
        content = (fetched.value.path()).read_bytes()
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            self.assertIsNone(archive.testzip())
            cards = list(vobject.readComponents(archive.read("Contacts.vcf").decode()))
            self.assertEqual(len(cards), len(self.told_contacts()))
            self.assertGreater(len([name for name in archive.namelist() if name.endswith(".jpg")]), 10)

    def _unplugged_and_again(self):
        page = self.page
        self.page.goto(self.base() + "/devices/add")
        page.get_by_role("button", name="Choose P4, E. Brandt").click()
        page.get_by_label("Pairing code").fill(self.screen_of(OTHER)["code"])
        page.get_by_role("button", name="Pair", exact=True).click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Orlo P4")
        address = page.url
        page.get_by_role("link", name="Plans").click()
        page.get_by_role("link", name="Phones").click()
        page.get_by_label("Orlo P4, E. Brandt").check()
        self.control(f"control/{OTHER}", unplug_at_byte=60_000)
        page.get_by_role("button", name="Save the plan").click()
        page.get_by_role("heading", name="Plans").wait_for()
        page.goto(address)
        self.run_or_watch()
        interrupted = page.get_by_role("main").get_by_text("The connection to the device ended in the middle.")
        expect(interrupted.first).to_be_visible(timeout=30_000)
        self.control(f"control/{OTHER}", away=False)
        page.goto(address)
        self.run_or_watch()
        expect(page.get_by_role("main")).to_contain_text("It is safe to unplug the device.", timeout=60_000)

    def _too_full(self):
        page = self.page
        page.get_by_role("link", name="Storage").click()
        page.get_by_role("link", name="Server room").click()
        page.get_by_label("Divided").select_option("device")
        expect(page.get_by_role("main").get_by_role("table")).to_contain_text("Orlo P5")
        page.get_by_label("Allowance", exact=True).fill("0.0005 GiB")
        page.get_by_role("button", name="Save").click()
        expect(page.locator(".gauge.full")).to_be_visible()
        self.accessible("a full store")
        stored = sum(path.stat().st_size for path in (self.data / "stores" / "first").rglob("*") if path.is_file())
        self.control(f"control/{DEVICE}/delete", kind="contacts", id="nothing")
        self.control("day", day="2027-01-01", device=DEVICE)
        page.goto(self.device_address)
        self.run_or_watch()
        expect(page.get_by_role("main")).to_contain_text("Nothing was stored", timeout=30_000)
        expect(page.get_by_role("main")).to_contain_text("Make room")
        after = sum(path.stat().st_size for path in (self.data / "stores" / "first").rglob("*") if path.is_file())
        self.assertEqual(after, stored)
