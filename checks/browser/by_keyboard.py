"""Steps with keys alone, and with the person's own colours: what they read is what a person has before them."""

from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase

MOST_STOPS = 140

FOCUSED = """() => {
  const at = document.activeElement;
  const box = at.getBoundingClientRect();
  const bar = document.querySelector('.nights').getBoundingClientRect();
  const within = at.closest('.nights, .rail, .skip, .modal');
  const name = [at.getAttribute('aria-label'), at.labels?.[0]?.textContent, at.textContent].find(Boolean) ?? '';
  return { tag: at.tagName, name: name.trim(), hidden: !within && box.height > 0 && box.bottom <= bar.bottom && bar.bottom > 0 };
}"""


def tab_to(test: BrowserTestCase, page: Page, name: str) -> None:
    """Press Tab until something of that name has the focus; it never is on nothing, and never wholly under the ribbon."""
    seen = []
    for _ in range(MOST_STOPS):
        page.keyboard.press("Tab")
        value = page.evaluate(FOCUSED)
        seen.append(value["name"][:40])
        test.assertFalse(value["hidden"], f"{value['name']} has the focus under the ribbon")
        if value["name"] == name:
            return
    test.fail(f"{name} cannot be reached by Tab: {seen}")


def from_the_door_to_a_restore(test: BrowserTestCase, page: Page, password: str) -> None:
    """Signed in, a device found, a moment, a kind, into an archive: no mouse."""
    page.goto(test.base() + "/restore")
    page.get_by_label("User name").focus()
    page.keyboard.type("ines")
    page.keyboard.press("Tab")
    page.keyboard.type(password)
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Restore", exact=True).wait_for()
    tab_to(test, page, "Device")
    page.keyboard.type("Orlo P5")
    page.get_by_role("option", name="Orlo P5").first.wait_for()
    page.keyboard.press("Enter")
    page.locator(".moments button").first.wait_for()
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    page.get_by_label("Only some").wait_for()
    tab_to(test, page, "A device")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_label("A ZIP archive")).to_be_checked()
    tab_to(test, page, "Make the archive")
    page.keyboard.press("Enter")
    page.wait_for_url("**/restore/*")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("into an archive")
    expect(heading).to_be_focused()
    expect(page.get_by_role("main")).to_contain_text("expected in the archive", timeout=60_000)


def in_the_persons_own_colours(test: BrowserTestCase, page: Page) -> None:
    """Nothing that was told by a background alone is lost. Contrast is the person's own then, and axe-core reads the colours before."""
    page.emulate_media(forced_colors="active")
    for path in ("/", "/devices", "/storage", "/night"):
        test.open(path)
        page.wait_for_timeout(400)
        test.accessible(f"{path} in forced colours", without=("color-contrast",))
    test.open("/")
    drawn = page.evaluate(
        "() => [...document.querySelectorAll('.ribbon .came, .gauge i')].map(one => getComputedStyle(one).backgroundColor)"
    )
    ground = page.evaluate("() => getComputedStyle(document.querySelector('.sheet')).backgroundColor")
    test.assertTrue(drawn)
    test.assertNotIn(ground, drawn)
    page.emulate_media(forced_colors="none")


def no_letter_is_lost_on_a_slow_machine(test: BrowserTestCase, page: Page) -> None:
    """At a quarter of the speed, in lists that follow the address."""
    slow = page.context.new_cdp_session(page)
    slow.send("Emulation.setCPUThrottlingRate", {"rate": 4})
    for path, label in (
        ("/history", "Find by device, holder or team"),
        ("/devices?order=name", "Find a device"),
        ("/teams", "Find a holder"),
    ):
        test.open(path)
        field = page.get_by_label(label)
        field.press_sequentially("okafor p5", delay=90)
        expect(field).to_have_value("okafor p5")
        page.wait_for_url("**words=okafor*")
        expect(field).to_have_value("okafor p5")
    slow.send("Emulation.setCPUThrottlingRate", {"rate": 1})


def a_plan_half_written(test: BrowserTestCase, page: Page) -> None:
    test.open("/plans/new")
    page.get_by_label("Name", exact=True).fill("Written in vain?")


def the_session_ended_meanwhile(test: BrowserTestCase, page: Page, password: str) -> None:
    """Signed in again over the screen, on which what was typed still stands; then it is saved."""
    # what is refused first is a question in the background: the screen stands all the same
    for _ in range(60):
        page.evaluate("window.dispatchEvent(new Event('visibilitychange'))")
        page.wait_for_timeout(500)
        if page.get_by_role("dialog").count():
            break
    expect(page.get_by_role("dialog")).to_contain_text("Your session has ended")
    page.get_by_role("dialog").get_by_label("User name").fill("ines")
    page.get_by_role("dialog").get_by_label("Password").fill(password)
    page.get_by_role("dialog").get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_label("Name", exact=True)).to_have_value("Written in vain?")
    page.get_by_role("link", name="Devices").click()
    expect(page.get_by_role("dialog")).to_contain_text("Leave without saving?")
    page.get_by_role("button", name="Stay here").click()
    page.get_by_role("button", name="Save the plan").click()
    page.get_by_role("heading", name="Plans").wait_for()
    expect(page.get_by_role("main")).to_contain_text("Written in vain?")
