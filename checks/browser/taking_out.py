"""What leaves the house: an archive under a passphrase, and a folder of the server with an owner and an end."""

import io
import re
import tempfile
import zipfile
from pathlib import Path

import bagit
import pyzipper
from playwright.sync_api import Page, expect

from checks.browser.harness import BrowserTestCase

SLOWLY = 60_000
PASSPHRASE = "marram samphire groyne 8"


def an_archive_under_a_passphrase(test: BrowserTestCase, page: Page) -> None:
    """A bag, locked; a slip in the second passphrase is said beside its field; erased again."""
    main = _somewhere_to_go(test, page)
    page.get_by_role("radio", name="A ZIP archive").check()
    page.get_by_label("Laid out as").select_option("bag")
    page.get_by_label("Under a passphrase").check()
    page.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
    page.get_by_label("The same again").fill("marram")
    test.accessible("an archive to be locked")
    page.get_by_role("button", name="Make the archive").click()
    expect(page.get_by_label("The same again")).to_have_attribute("aria-invalid", "true", timeout=SLOWLY)
    expect(main).to_contain_text("The two passphrases differ.")
    page.get_by_label("The same again").fill(PASSPHRASE)
    page.get_by_role("button", name="Make the archive").click()
    expect(main).to_contain_text("expected in the archive", timeout=60_000)
    with page.expect_download() as fetched:
        page.get_by_role("link", name=re.compile("^Save ")).click()
    _is_a_bag(test, Path(fetched.value.path()).read_bytes())
    test.open("/restore")
    row = page.get_by_role("row").filter(has_text="as a bag, under a passphrase")
    expect(row).to_have_count(1, timeout=SLOWLY)
    test.accessible("exports on the server")
    row.get_by_role("button", name="Erase").click()
    page.get_by_role("dialog").get_by_role("button", name="Erase").click()
    expect(row).to_have_count(0, timeout=SLOWLY)


def _is_a_bag(test: BrowserTestCase, content: bytes) -> None:
    with pyzipper.AESZipFile(io.BytesIO(content)) as outer:
        outer.setpassword(PASSPHRASE.encode())
        inner = outer.read(outer.namelist()[0])
    with tempfile.TemporaryDirectory() as folder, zipfile.ZipFile(io.BytesIO(inner)) as archive:
        archive.extractall(folder)
        (top,) = Path(folder).iterdir()
        bagit.Bag(str(top)).validate()
        test.assertTrue((top / "data" / "Contacts.vcf").is_file())


def a_folder_of_the_server(test: BrowserTestCase, page: Page) -> None:
    """Written, listed with its last day and whose it is, put off, erased."""
    with tempfile.TemporaryDirectory(prefix="attic-exports-") as above:
        folder = Path(above) / "for the lawyer"
        main = _somewhere_to_go(test, page)
        page.get_by_role("radio", name="A folder of the server").check()
        page.get_by_label("Which folder").fill(str(folder))
        page.get_by_label("Last day").first.fill("2 Jan 2027")
        test.accessible("an export into a folder")
        page.get_by_role("button", name="Write into the folder").click()
        expect(main).to_contain_text(f"expected in {folder}", timeout=60_000)
        test.assertTrue((folder / "contents.json").is_file())
        test.open("/restore")
        row = page.get_by_role("row").filter(has_text=str(folder)).filter(has_text="Erase")
        expect(row).to_contain_text("2 Jan 2027", timeout=SLOWLY)
        row.get_by_role("button", name="Another day").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Last day").first.fill("5 Jan 2027")
        test.accessible("another last day")
        dialog.get_by_role("button", name="Save").click()
        expect(row).to_contain_text("5 Jan 2027", timeout=SLOWLY)
        row.get_by_role("button", name="Erase").click()
        expect(page.get_by_role("dialog")).to_contain_text("everything in it")
        page.get_by_role("dialog").get_by_role("button", name="Erase").click()
        expect(row).to_have_count(0, timeout=SLOWLY)
        test.assertFalse(folder.exists())


def _somewhere_to_go(test: BrowserTestCase, page: Page):  # type: ignore[no-untyped-def]
    test.open("/restore")
    page.get_by_role("combobox", name="Device").fill("Dufour")
    page.get_by_role("option", name="Orlo P5, K. Dufour").click()
    page.locator(".moments button").first.click()
    page.get_by_role("radio", name="A device").wait_for()
    return page.get_by_role("main")
