"""What leaves, on the screens: nothing is let go unseen, what leaves is kept after all, and one press stops all of it."""

from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase


def kept_after_all(test: BrowserTestCase, page: Page) -> None:
    """What was removed by hand is found, chosen and kept."""
    test.open("/leaving?by=hand")
    row = page.get_by_role("row").filter(has_text="Ines Varga removed it")
    expect(row).to_have_count(1)
    row.get_by_role("checkbox").check()
    page.get_by_role("button", name="Keep after all …").click()
    page.get_by_label("Why it must stay").fill("The holder asked for it")
    test.accessible("keeping after all")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_role("main")).to_contain_text("Nothing that leaves matches.")


def nothing_leaves(test: BrowserTestCase, page: Page) -> None:
    test.open("/leaving")
    page.get_by_role("button", name="Let nothing leave …").click()
    page.get_by_label("Why", exact=True).fill("It smells of malware")
    test.accessible("letting nothing leave")
    with test.answered("POST", "/api/freezes"):
        page.get_by_role("button", name="Nothing leaves", exact=True).click()
    test.open("/devices")
    expect(page.get_by_role("main")).to_contain_text("Nothing leaves the office.")
    test.open("/leaving")
    page.get_by_role("button", name="Lift it for the office").click()
    page.get_by_label("Why they may leave again").fill("It was a false alarm")
    page.get_by_role("button", name="Lift it", exact=True).click()
    expect(page.get_by_role("main")).not_to_contain_text("Nothing leaves the office.")


def last_1_by_a_slip(test: BrowserTestCase, page: Page) -> None:
    """A plan that would keep less says so at once, asks for a word, and saves nothing when it is cancelled."""
    test.open("/plans")
    page.get_by_role("link", name="Phones").click()
    shown = page.get_by_label("What it does to what lies there")
    expect(shown).to_contain_text("Nothing leaves by this change")
    for name in ("Last", "Days", "Weeks", "Months"):
        page.get_by_label(name, exact=True).fill("1")
    page.get_by_text("By age").click()
    page.get_by_role("textbox", name="Nothing leaves before it is").fill("0")
    expect(shown).to_contain_text("leave by this change")
    test.accessible("a plan that would keep less")
    page.get_by_role("button", name="Save the plan").click()
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("none is gone before")
    asked.get_by_role("textbox").fill("yes")
    asked.get_by_role("button", name="Save, and let them leave").click()
    expect(asked).to_contain_text("Read what leaves, and type “remove”.")
    test.accessible("asked before something leaves")
    page.keyboard.press("Escape")
    test.open("/plans")
    page.get_by_role("link", name="Phones").click()
    expect(page.get_by_label("Last", exact=True)).to_have_value("3")
    page.get_by_role("link", name="Versions of its rule").click()
    expect(page.get_by_role("main")).to_contain_text("The rule never said anything else.")
    test.accessible("the versions of a rule")


def removed_from_a_device(test: BrowserTestCase, page: Page) -> None:
    """One moment is chosen, its loss is told, and it says on the device's page when it goes."""
    test.open("/devices?words=moreau")
    page.get_by_role("link", name="Orlo P4").first.click()
    page.get_by_role("checkbox", name="Choose the backup of").last.check()
    page.get_by_role("button", name="Remove 1 backup …").click()
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("1 copy is on hold")
    page.keyboard.press("Escape")
    page.get_by_role("checkbox", name="Choose the backup of").last.uncheck()
    page.get_by_role("checkbox", name="Choose the backup of").nth(1).check()
    page.get_by_role("button", name="Remove 1 backup …").click()
    expect(asked).to_contain_text("1 backup will be lost")
    test.accessible("removing a backup")
    asked.get_by_label("Why").fill("Taken twice")
    asked.get_by_role("button", name="Let them leave").click()
    expect(asked).to_have_count(0)
    expect(page.get_by_role("main")).to_contain_text("leaves: gone on")
    page.get_by_text("What there will be").click()
    expect(page.get_by_role("main")).to_contain_text("is to come; by its age on that day")
    test.accessible("what there will be")


def erased_on_request(test: BrowserTestCase, page: Page) -> None:
    """Two contacts are chosen in a backup; from where and until when comes first, then a word; the page for the file can call it off."""
    test.open("/devices?words=moreau")
    page.get_by_role("link", name="Orlo P4").first.click()
    page.locator(".moments-list").get_by_role("link").first.click()
    page.get_by_role("link", name="Erase something of it …").click()
    expect(page.get_by_role("main")).to_contain_text("Nothing is chosen")
    page.get_by_role("checkbox").first.check()
    expect(page.get_by_role("main")).to_contain_text("Server room: ")
    test.accessible("asking that something be erased")
    page.get_by_label("Whose wish, for the file").fill("Request 14")
    page.get_by_label("Type “erase” to go on").fill("remove")
    page.get_by_role("button", name="Have it erased").click()
    expect(page.get_by_role("main")).to_contain_text("What is erased cannot be brought back. Read what will go, and type “erase”.")
    page.get_by_label("Type “erase” to go on").fill("erase")
    page.get_by_role("button", name="Have it erased").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Request 14")
    test.accessible("a request to erase")
    page.get_by_role("button", name="Call it off …").click()
    page.get_by_label("Why it is not erased").fill("Asked by mistake")
    page.get_by_role("button", name="Call it off", exact=True).click()
    expect(page.get_by_role("main")).to_contain_text("called off")
    test.open("/erasing")
    expect(page.get_by_role("link", name="Request 14")).to_be_visible()
    test.open("/office/records")
    page.get_by_label("Days for the journal").fill("364")
    expect(page.get_by_role("main")).to_contain_text("365")
    page.get_by_label("Days for the journal").fill("400")
    test.accessible("how long records are kept")
    with test.answered("PUT", "/api/office/ages"):
        page.get_by_role("button", name="Save").click()
    test.open("/journal")
    expect(page.get_by_role("main")).to_contain_text("the journal 3653 → 400 days")
