"""Screens that no other errand opens: a person, two runs beside one another, the rule of three copies, versions of a rule."""

import re

from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase
from core.content.kinds import KINDS
from server.people.models import Holder
from server.plans.models import Plan
from server.runs.models import Run


def a_person_and_what_they_carry(test: BrowserTestCase, page: Page) -> None:
    holder = Holder.objects.filter(devices__isnull=False).order_by("name").first()
    test.open(f"/holders/{holder.id}")
    main = page.get_by_role("main")
    expect(page.get_by_role("heading", level=1)).to_contain_text(holder.name)
    for device in holder.devices.all():
        expect(main.get_by_role("link", name=re.compile(re.escape(device.name))).first).to_be_visible()
    page.get_by_label("E-mail").fill("somebody@saltmarsh.example")
    with page.expect_response("**/api/holders/*/change") as saved:
        page.get_by_role("button", name="Save", exact=True).click()
    test.assertEqual(saved.value.status, 200)
    test.accessible("a holder")
    holder.refresh_from_db()
    test.assertEqual(holder.email, "somebody@saltmarsh.example")


def two_runs_side_by_side(test: BrowserTestCase, page: Page) -> None:
    runs = Run.objects.filter(state="complete").order_by("device", "asked_at")
    one = runs.first()
    two = runs.filter(device=one.device).last()
    test.open(f"/history/{two.id}/with/{one.id}")
    main = page.get_by_role("main")
    expect(page.get_by_role("heading", level=1)).to_have_text("Two runs compared")
    expect(main).to_contain_text(one.device.name)
    earlier = main.get_by_role("row").nth(1).get_by_role("cell")
    kind = earlier.nth(0).inner_text()
    items = [next(row["items"] for row in run.backup.kinds if _label(row["kind"]) == kind) for run in (one, two)]
    test.assertEqual([earlier.nth(at).inner_text().replace(" ", "").replace(",", "") for at in (1, 2)], [str(count) for count in items])
    test.accessible("two runs compared")


def three_copies_and_versions_of_a_rule(test: BrowserTestCase, page: Page) -> None:
    test.open("/three-two-one")
    expect(page.get_by_role("heading", level=1)).to_have_text("3-2-1")
    expect(page.get_by_role("main").get_by_role("table").first).to_be_visible()
    test.accessible("3-2-1")
    plan = Plan.objects.order_by("name").first()
    test.open(f"/plans/{plan.id}/versions")
    expect(page.get_by_role("heading", level=1)).to_contain_text(plan.name)
    test.accessible("versions of a rule")
    test.open("/erasing/ask")
    expect(page.get_by_role("heading", level=1)).to_have_text("Erase")
    test.accessible("erase")


def _label(code: str) -> str:
    return KINDS[code].label
