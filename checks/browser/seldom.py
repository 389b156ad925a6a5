"""Screens that no other errand opens: a person, two runs beside one another, the rule of three copies, versions of a rule."""

import re
from typing import Any

from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase
from core.content.kinds import KINDS


def a_person_and_what_they_carry(test: BrowserTestCase, page: Page) -> None:
    holder = next(one for one in _asked(test, page, "holders")["results"] if one["devices"])
    test.open(f"/holders/{holder['id']}")
    main = page.get_by_role("main")
    expect(page.get_by_role("heading", level=1)).to_contain_text(holder["name"])
    devices = _asked(test, page, f"devices?holder={holder['id']}")["results"]
    test.assertEqual(len(devices), holder["devices"])
    for device in devices:
        expect(main.get_by_role("link", name=re.compile(re.escape(device["name"]))).first).to_be_visible()
    page.get_by_label("E-mail").fill("somebody@saltmarsh.example")
    with page.expect_response("**/api/holders/*/change") as saved:
        page.get_by_role("button", name="Save", exact=True).click()
    test.assertEqual(saved.value.status, 204)
    test.accessible("a holder")
    test.assertEqual(_asked(test, page, f"holders/{holder['id']}")["email"], "somebody@saltmarsh.example")


def two_runs_side_by_side(test: BrowserTestCase, page: Page) -> None:
    kept = [run for run in _asked(test, page, "runs?state=complete&page_size=100")["results"] if run["backup_id"]]
    later, *before = kept
    earlier = next(run for run in before if run["device_id"] == later["device_id"])
    test.open(f"/history/{later['id']}/with/{earlier['id']}")
    main = page.get_by_role("main")
    expect(page.get_by_role("heading", level=1)).to_have_text("Two runs compared")
    expect(main).to_contain_text(later["device_name"])
    row = main.get_by_role("row").nth(1).get_by_role("cell")
    kind = row.nth(0).inner_text()
    kinds = [_asked(test, page, f"backups/{run['backup_id']}")["kinds"] for run in (earlier, later)]
    counted = [str(next(one["items"] for one in held if KINDS[one["kind"]].label == kind)) for held in kinds]
    test.assertEqual([re.sub(r"\D", "", row.nth(at).inner_text()) for at in (1, 2)], counted)
    test.accessible("two runs compared")


def three_copies_and_versions_of_a_rule(test: BrowserTestCase, page: Page) -> None:
    test.open("/three-two-one")
    expect(page.get_by_role("heading", level=1)).to_have_text("3-2-1")
    expect(page.get_by_role("main").get_by_role("table").first).to_be_visible()
    test.accessible("3-2-1")
    plan = _asked(test, page, "plans")[0]
    test.open(f"/plans/{plan['id']}/versions")
    expect(page.get_by_role("heading", level=1)).to_contain_text(plan["name"])
    test.accessible("versions of a rule")
    test.open("/erasing/ask")
    expect(page.get_by_role("heading", level=1)).to_have_text("Erase")
    test.accessible("erase")


def _asked(test: BrowserTestCase, page: Page, path: str) -> Any:
    """What the server says, for whoever is signed in; the rows themselves cannot be asked for in the browser's thread."""
    return page.request.get(f"{test.base()}/api/{path}").json()
