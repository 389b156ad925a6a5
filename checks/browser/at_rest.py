"""Copies at rest, on the screens: a drive comes, fills, and is taken away when that is safe; a backup is brought back on trial."""

import re

from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase

SLOWLY = 180_000
"""Milliseconds: the workers of this machine have other work as well."""


def a_drive_comes_and_is_taken_away(test: BrowserTestCase, page: Page) -> None:
    test.open("/storage/drives")
    row = page.get_by_role("row").filter(has_text="Blue drive")
    expect(row).to_contain_text("overdue")
    test.accessible("drives")
    test.fits("drives")
    test.control("control/drives", blue=True)
    expect(row).to_contain_text("plugged in", timeout=SLOWLY)
    expect(row).to_contain_text("now, until")
    row.get_by_role("button", name="Take away").click()
    expect(row).to_contain_text("safe to take away", timeout=SLOWLY)
    test.control("control/drives", blue=False)
    expect(row).to_contain_text("not plugged in", timeout=SLOWLY)
    page.set_viewport_size({"width": 390, "height": 844})
    test.fits("drives on a telephone")
    page.set_viewport_size({"width": 1280, "height": 800})


def brought_back_on_trial(test: BrowserTestCase, page: Page) -> None:
    test.open("/devices?words=okafor&order=name")
    page.get_by_role("row").filter(has_text="Orlo P5").get_by_role("link").first.click()
    test.settled()
    with test.answered("POST", "/api/drills"):
        page.get_by_role("button", name="Drill now").click()
    expect(page.get_by_role("main")).to_contain_text("Its backup came back right", timeout=SLOWLY)
    page.get_by_role("link", name="Its report").click()
    expect(page.get_by_role("main")).to_contain_text("the scratch place is empty again")
    test.accessible("a drill")
    test.open("/drills")
    expect(page.get_by_role("main")).to_contain_text("1 device has a turn each day")
    page.get_by_role("button", name="Change").click()
    page.get_by_label("A device needs a person when it was not proven for").fill("90")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("main")).to_contain_text("One that was not proven for 90 days needs a person")
    test.accessible("drills")
    test.fits("drills")


def a_store_is_drained_and_called_back(test: BrowserTestCase, page: Page) -> None:
    """What would be where is told first, nothing leaves meanwhile, and it can be called off."""
    test.open("/storage")
    page.get_by_role("link", name="Boathouse", exact=True).first.click()
    page.get_by_label("Into", exact=True).select_option(label="Server room")
    sheet = page.get_by_role("main")
    expect(sheet).to_contain_text("From then on nothing new goes into Boathouse, and nothing leaves it.")
    test.accessible("what draining would do")
    test.fits("what draining would do")
    page.get_by_role("button", name="Drain into Server room").click()
    expect(sheet).to_contain_text("Into Server room, since", timeout=SLOWLY)
    page.get_by_role("button", name="Stop draining").click()
    expect(page.get_by_label("Into", exact=True)).to_be_visible(timeout=SLOWLY)


def an_account_fills(test: BrowserTestCase, page: Page) -> None:
    """A device's own cloud account: how long it lasts, what its holder can do, and a letter."""
    test.open("/devices")
    page.get_by_role("searchbox").first.fill("C. Wick")
    page.get_by_role("row").filter(has_text="C. Wick").get_by_role("link", name="Orlo P4").click()
    page.get_by_role("link", name="Coverage").click()
    main = page.get_by_role("main")
    expect(main).to_contain_text("What makes room there", timeout=SLOWLY)
    expect(main).to_contain_text("Remove the old backup of Orlo P2 there")
    test.accessible("room in an account elsewhere")
    page.get_by_role("button", name="Write to the holder").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("Letter")).to_have_value(re.compile("will be full in about"))
    test.accessible("a letter to the holder")
    dialog.get_by_role("button", name="Send it").click()
    expect(dialog).to_have_count(0)
    test.open("/journal")
    expect(main).to_contain_text("C. Wick was written to about the own cloud backup of Orlo P4.")


def what_fills_it(test: BrowserTestCase, page: Page) -> None:
    """From a store to a device's largest items, and on to an exclusion that is not saved."""
    test.open("/storage")
    page.get_by_role("row").filter(has_text="Server room").get_by_role("link", name="Server room").click()
    page.get_by_label("Divided").select_option("device")
    page.get_by_role("button", name="Orlo P5, K. Dufour").click()
    page.get_by_role("link", name="Item by item").click()
    expect(page.get_by_role("region", name="The largest items").get_by_role("row").nth(1)).to_be_visible(timeout=SLOWLY)
    expect(page.get_by_role("region", name="Only old backups hold it")).to_contain_text("earlier versions")
    expect(page.get_by_role("region", name="What grows")).to_contain_text("Photos")
    expect(page.get_by_role("region", name="Attachments by conversation").get_by_role("row").nth(1)).to_be_visible()
    test.accessible("what fills a device")
    test.fits("what fills a device")
    page.get_by_role("region", name="Folders and albums").get_by_role("button", name="Leave out … Camera", exact=True).click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("are needed by nothing", timeout=SLOWLY)
    test.accessible("what leaving out would mean")
    dialog.get_by_role("button", name="Put it into").click()
    expect(page.get_by_role("main")).to_contain_text("Camera would be left out once you save.")
    expect(page.get_by_label("What exclusion 2 names")).to_have_value("Camera")
    page.get_by_role("link", name="Today").click()
    page.get_by_role("dialog").get_by_role("button", name="Leave").click()


def room_is_made(test: BrowserTestCase, page: Page) -> None:
    """From a sentence on Today to a list once more, and back from what was let go."""
    test.open("/storage")
    page.get_by_role("row").filter(has_text="Server room").get_by_role("link", name="Server room").click()
    main = page.get_by_role("main")
    expect(main).to_contain_text("All that lies there")
    page.get_by_label("Divided").select_option("device")
    page.get_by_role("button", name="Orlo P5, K. Dufour").click()
    expect(page.get_by_role("region", name="What fills it")).to_contain_text("Photos", timeout=SLOWLY)
    page.get_by_role("button", name="As a table").click()
    expect(main.get_by_role("row").filter(has_text="drawn").first).to_be_visible()
    test.accessible("a store")
    page.get_by_role("button", name="Set an allowance").click()
    page.get_by_label("Of", exact=True).select_option(label="team Front Desk")
    page.get_by_label("Calls somebody above", exact=True).fill("900 MiB")
    page.get_by_role("button", name="Set it").click()
    expect(main.get_by_role("listitem").filter(has_text="Front Desk")).to_contain_text("within", timeout=SLOWLY)
    page.get_by_role("button", name="take away the allowance of Front Desk").click()
    expect(main.get_by_role("listitem").filter(has_text="Front Desk")).to_have_count(0, timeout=SLOWLY)
    page.get_by_role("link", name="Make room").click()
    page.get_by_label("Free", exact=True).select_option(label="so that tonight fits")
    expect(main).to_contain_text(re.compile("lacks .* for tonight|find room here|there is room"), timeout=SLOWLY)
    test.accessible("so that tonight fits")
    page.get_by_label("Free", exact=True).select_option(label="so many bytes")
    page.get_by_label("Bytes", exact=True).fill("0.02")
    page.get_by_role("button", name="Propose").click()
    expect(main).to_contain_text("The shortest beginning of the ladder", timeout=SLOWLY)
    expect(main).to_contain_text("bytes given back", timeout=SLOWLY)
    test.accessible("making room")
    test.fits("making room")
    page.get_by_role("button", name="Look at the list once more").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("are given back", timeout=SLOWLY)
    test.accessible("the list once more")
    dialog.get_by_role("button", name="Cancel").click()
    page.set_viewport_size({"width": 390, "height": 844})
    test.fits("making room on a telephone")
    page.set_viewport_size({"width": 1280, "height": 800})
