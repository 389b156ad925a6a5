"""Steps of an errand about nights: a calendar of closed days, a feed, pauses, and who is told what."""

import re
import urllib.error
import urllib.request
from datetime import datetime, timedelta
from typing import Any

from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase, eventually

HOLIDAYS = (
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\n"
    "DTSTART;VALUE=DATE:{day}\r\nSUMMARY:Regatta\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
)


def closed_days(test: BrowserTestCase, page: Page) -> None:
    """A calendar file is shown first and taken when that is confirmed; the plan passes the day over."""
    day = datetime.now().astimezone().date() + timedelta(days=2)
    test.open("/office/days")
    chosen = page.get_by_label("A file with holidays (.ics)")
    chosen.set_input_files(files=[{"name": "x.ics", "mimeType": "text/calendar", "buffer": b"nonsense"}])
    expect(page.get_by_role("alert")).to_contain_text("no iCalendar file")
    text = HOLIDAYS.format(day=f"{day:%Y%m%d}").encode()
    chosen.set_input_files(files=[{"name": "days.ics", "mimeType": "text/calendar", "buffer": text}])
    expect(page.get_by_role("main")).to_contain_text("It holds 1 day, 1 of them new")
    page.get_by_role("button", name="Take these days").click()
    expect(page.get_by_role("main").get_by_role("table")).to_contain_text("Regatta")
    test.accessible("closed days")
    page.get_by_role("link", name="Plans").click()
    page.get_by_role("link", name="Phones").click()
    page.get_by_label("Nothing runs on days on which the office is closed").check()
    expect(page.get_by_label("What the draft means")).to_contain_text("Left out")


def feed(test: BrowserTestCase, page: Page) -> None:
    """The dates of the plan, read by somebody who has nothing but the link."""
    page.get_by_role("button", name="Make a link").click()
    link = page.get_by_role("status").locator("code").inner_text()
    with urllib.request.urlopen(link, timeout=20) as answer:
        test.assertIn(b"BEGIN:VTIMEZONE", answer.read())
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_role("button", name="Make a link")).to_be_visible()
    test.assertRaises(urllib.error.HTTPError, urllib.request.urlopen, link, timeout=20)


def pauses(test: BrowserTestCase, page: Page) -> None:
    """Everything, until Monday; Today says so, and it is ended by one click."""
    test.open("/plans")
    page.get_by_role("button", name="Pause everything").click()
    page.get_by_label("Reason").fill("stock-taking")
    page.get_by_role("dialog").get_by_role("button", name="Pause everything").click()
    page.get_by_role("link", name="Today").click()
    expect(page.get_by_role("main")).to_contain_text("Everything is paused until Mon")
    page.get_by_role("link", name="Go on with it under Plans.").click()
    page.get_by_role("button", name="Go on with everything").click()
    expect(page.get_by_role("button", name="Pause everything")).to_be_visible()


def being_told(test: BrowserTestCase, page: Page) -> None:
    """Wishes, and a webhook that is refused where it lies inside and taken where that is meant."""
    test.open("/office/telling")
    page.get_by_label("E-mail", exact=True).fill("ines@office.example")
    page.get_by_label("At once when something begins to need a person").check()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("button", name="Saved")).to_be_visible()
    page.get_by_text("Add one").click()
    page.get_by_label("Name", exact=True).fill("desk")
    page.get_by_label("Address").fill(f"http://127.0.0.1:{test.control_port}/hooked")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("main")).to_contain_text("shown this once")
    page.get_by_role("button", name="tell it something now").click()
    expect(page.get_by_role("main")).to_contain_text("lies inside of the office")
    page.get_by_role("button", name="remove").click()
    page.get_by_role("button", name="Remove it").click()
    page.get_by_label("Name", exact=True).fill("desk")
    page.get_by_label("Address").fill(f"http://127.0.0.1:{test.control_port}/hooked")
    page.get_by_label("It lies on the office’s own network").check()
    page.get_by_role("button", name="Add it").click()
    page.get_by_role("button", name="tell it something now").click()
    expect(page.get_by_role("main")).to_contain_text("It was taken.")
    test.accessible("who is told")


def after_damage(test: BrowserTestCase, page: Page) -> None:
    """One mail and one webhook about it, and the incident can be put off, with a reason."""
    subjects = lambda: [letter["subject"] for letter in test.control("mailbox.json")["letters"]]  # noqa: E731
    test.assertTrue(eventually(lambda: any("A check found damage" in subject for subject in subjects()), 75), subjects())

    def opened() -> list[dict[str, Any]]:
        hooked = test.control("mailbox.json")["hooked"]
        return [entry for entry in hooked if '"matter.opened"' in entry["body"] and "A check found damage" in entry["body"]]

    test.assertTrue(eventually(lambda: len(opened()) == 1, 20), opened())
    test.assertIn("signature", opened()[0]["headers"])
    test.assertEqual(sum("A check found damage" in subject for subject in subjects()), 1)
    test.open("/")
    cause = page.locator(".cause").filter(has_text="A check found damage")
    cause.get_by_role("button", name="put off").click()
    page.get_by_label("Back on", exact=True).fill((datetime.now().astimezone().date() + timedelta(days=9)).isoformat())
    page.get_by_label("What it waits for").fill("the next run stores it again")
    page.get_by_role("dialog").get_by_role("button", name="Put it off").click()
    expect(page.get_by_role("heading", name="Put off")).to_be_visible()
    expect(page.get_by_role("main")).to_contain_text("the next run stores it again")
    test.accessible("Today with something put off")
    page.get_by_role("link", name="all of them, with their history").click()
    page.get_by_role("heading", name="What needed a person").wait_for()
    page.get_by_role("button", name=re.compile("A check found damage")).click()
    expect(page.get_by_role("main")).to_contain_text("Put off until")
    test.accessible("what needed a person")
