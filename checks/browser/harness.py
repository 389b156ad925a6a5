"""Real processes behind a real browser: stand-ins, web server and workers on a test database, headless Chromium in front.

Playwright's event loop lives in a thread of its own; `ui` runs a step of the errand there.
"""

import json
import os
import re
import shutil
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, TypeVar

from django.db import connection, connections
from django.test import TransactionTestCase
from playwright.sync_api import Browser, Page, expect, sync_playwright

from launcher.browser import ARGUMENTS, EXECUTABLE
from launcher.console import StepFailed
from launcher.processes import Processes, free_port
from launcher.setup import PYTHON, ROOT, WEB
from launcher.start import POOLS, SIMULATED_DRIVES, start_workers, wait_for

MOST_SECONDS = 900
"""Of one step; only one that hangs takes so long, also on a machine that does much else."""
PORTS_TRIED = 5
STILL = """() => {
  const now = document.documentElement.scrollHeight + " " + document.querySelectorAll("*").length;
  const notes = [...document.querySelectorAll("p.state-note[role=status]")].map((note) => note.textContent.trim());
  const still = window.stillAs === now && !notes.some((note) => note === "" || note.startsWith("Loading "));
  window.stillAs = now;
  return still;
}"""
GO = """path => {
  document.activeElement?.blur();
  history.pushState({}, "", path);
  dispatchEvent(new PopStateEvent("popstate", { state: {} }));
}"""
JUDGE = """tags => axe
  .run(document, { runOnly: tags, resultTypes: ["violations"], selectors: false })
  .then((judged) => judged.violations)"""
"""Only what is wrong is described, and where by its markup: to name every element that is right takes longer than to judge it."""
AXE = WEB / "node_modules" / "axe-core" / "axe.min.js"
T = TypeVar("T")


class BrowserTestCase(TransactionTestCase):
    """Starts everything once a class. `page` is signed out at first."""

    days_ago = 0
    page: Page

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.data = Path(tempfile.mkdtemp(prefix="attic-browser-"))
        cls.data.chmod(0o755)
        cls.addClassCleanup(shutil.rmtree, cls.data, ignore_errors=True)
        shutil.copytree(Path(os.environ["ATTIC_DATA"]) / "keys", cls.data / "keys")
        (cls.data / "keys" / "server").write_bytes(os.urandom(32))  # what a first start makes
        cls.processes = Processes(cls.data / "logs")
        cls.addClassCleanup(cls.processes.stop)
        cls.control_port, mail_port = free_port(), free_port()
        cls.env = {
            **os.environ,
            "PYTHONPATH": str(ROOT),
            "ATTIC_DATA": str(cls.data),
            "ATTIC_DATABASE_NAME": str(connection.settings_dict["NAME"]),
            "ATTIC_ANNOUNCEMENTS_URL": f"http://127.0.0.1:{cls.control_port}/announcements",
            "ATTIC_TICK_SECONDS": "6",
            "ATTIC_DRIVES": str(cls.data / SIMULATED_DRIVES),
            "ATTIC_MAIL_HOST": "127.0.0.1",
            "ATTIC_MAIL_PORT": str(mail_port),
            "ATTIC_MAIL_FROM": "old-attic@office.example",
        }
        day = (datetime.now().astimezone().date() - timedelta(days=cls.days_ago)).isoformat()
        standins = [PYTHON, "-m", "standins", "--port", str(cls.control_port), "--data", cls.data / "standins", "--day", day]
        standins += ["--mail-port", str(mail_port), "--drives", cls.data / SIMULATED_DRIVES]
        cls.processes.start("standins", standins, cls.env)
        wait_for(cls.env["ATTIC_ANNOUNCEMENTS_URL"], cls.processes)
        cls.executor = ThreadPoolExecutor(1)
        cls.addClassCleanup(cls.executor.shutdown)
        cls.playwright = cls.ui(lambda: sync_playwright().start())
        cls.addClassCleanup(lambda: cls.ui(cls.playwright.stop))
        cls.browser: Browser = cls.ui(lambda: cls.playwright.chromium.launch(executable_path=EXECUTABLE, args=ARGUMENTS))
        cls.addClassCleanup(lambda: cls.ui(cls.browser.close))

    @classmethod
    def start_server(cls) -> None:
        """Web server and workers; called by each test, since every test leaves an empty database behind. A port that was free may be
        somebody else's a moment later: then another one is taken."""
        for left in reversed(range(PORTS_TRIED)):
            cls.port = free_port()
            web = [PYTHON, "-m", "uvicorn", "server.project.asgi:application", "--host", "127.0.0.1", "--port", str(cls.port)]
            cls.processes.start("web", [*web, "--lifespan", "off", "--log-level", "warning"], cls.env)
            start_workers(cls.processes, cls.env)
            try:
                wait_for(f"{cls.base()}/healthz", cls.processes)
                return
            except StepFailed as error:
                if not left or "address already in use" not in str(error):
                    raise
            for name in ("web", *POOLS):
                cls.processes.stop_one(name)

    def setUp(self) -> None:
        self.start_server()
        self.page = self.ui(self._new_page)
        self.errors: list[str] = []
        self.ui(lambda: self.page.on("pageerror", lambda error: self.errors.append(str(error))))

    def _new_page(self) -> Page:
        page = self.browser.new_page(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        page.set_default_timeout(20_000)
        expect.set_options(timeout=20_000)  # a machine may be busy: what is waited for comes or does not
        return page

    def tearDown(self) -> None:
        self.ui(self.page.close)
        for name in ("web", *POOLS):
            self.processes.stop_one(name)
        self.assertEqual(self.errors, [], "the page threw")

    @classmethod
    def tearDownClass(cls) -> None:
        connections.close_all()
        super().tearDownClass()

    @classmethod
    def ui(cls, step: Callable[[], T]) -> T:
        """Run a step in the browser's thread."""
        return cls.executor.submit(step).result(MOST_SECONDS)

    def errand(self, *steps: Callable[[], object]) -> None:
        """Run the steps one after another; a failure tells what the page said at that moment."""
        for step in steps:
            try:
                self.ui(step)
            except Exception as error:
                said = self.ui(lambda: f"{self.page.url}\n{self.page.locator('body').inner_text()[:3000]}")
                raise AssertionError(f"{error}\n\nThe page said: {said}") from error

    @classmethod
    def base(cls) -> str:
        return f"http://127.0.0.1:{cls.port}"

    # -- the simulated devices

    def control(self, path: str, **fields: Any) -> Any:
        """Turn a knob, or read the page's data."""
        url = f"http://127.0.0.1:{self.control_port}/{path}"
        body = json.dumps(fields).encode() if fields else None
        request = urllib.request.Request(url, data=body, headers={"Content-Type": "application/json"})
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read())

    def screen_of(self, device: str) -> dict[str, Any]:
        """What the device shows: pairing code, knobs."""
        return next(one for one in self.control("control")["devices"] if one["device"] == device)

    # -- looking

    def open(self, path: str) -> None:
        self.page.goto(self.base() + path)
        self.page.get_by_role("heading", level=1).first.wait_for()
        self.settled()

    def visit(self, path: str) -> None:
        """Another screen of the page that is open, as by a link: its heading takes the focus when it is there."""
        self.page.evaluate(GO, path)
        self.page.wait_for_function("() => document.activeElement?.tagName === 'H1'")
        self.settled()

    def settled(self) -> None:
        """Nothing loads any more and nothing moves: a button that moves while the mouse is down is not clicked."""
        self.page.wait_for_function(STILL, polling=100)

    @contextmanager
    def answered(self, method: str, path: str) -> Iterator[None]:
        """What is sent there (a regular expression) has its answer before the page is left: who leaves sooner takes it back."""
        url = re.compile(re.escape(self.base()) + path)
        with self.page.expect_response(lambda answer: answer.request.method == method and url.fullmatch(answer.url)) as sent:
            yield
        self.assertLess(sent.value.status, 300, path)

    def sign_in(self, username: str, password: str) -> None:
        self.page.goto(self.base() + "/")
        self.page.get_by_label("User name").fill(username)
        self.page.get_by_label("Password").fill(password)
        self.page.get_by_role("button", name="Sign in").click()
        self.page.get_by_role("navigation", name="Rooms").wait_for()

    def pick(self, label: str, words: str, option: str) -> None:
        """Find one of many by typing, and choose it; the field then shows it by name."""
        field = self.page.get_by_role("combobox", name=label)
        field.click()
        field.fill(words)
        self.page.get_by_role("option", name=option).click()
        expect(field).to_have_value(option)

    def accessible(self, what: str, *, without: tuple[str, ...] = ()) -> None:
        """axe-core finds nothing against WCAG 2.2 A and AA on the screen as it is now; `without`: rules that cannot judge it."""
        self.page.evaluate("window.scrollTo(0, 0)")  # what is scrolled under the ribbon is no target
        self.page.wait_for_timeout(250)
        if not self.page.evaluate("typeof window.axe !== 'undefined'"):
            self.page.evaluate(AXE.read_text())
        tags = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
        value = self.page.evaluate(JUDGE, tags)
        said = [
            f"{rule['id']}: {rule['help']} – {rule['nodes'][0]['html'][:150]} ({len(rule['nodes'])})"
            for rule in value
            if rule["id"] not in without
        ]
        self.assertEqual(said, [], what)

    def fits(self, what: str) -> None:
        """Nothing makes the page scroll sideways."""
        wide = self.page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
        self.assertLessEqual(wide, 1, f"{what} is wider than the window")


def eventually(check: Callable[[], bool], seconds: float = 20) -> bool:
    """Whether it became true in that time."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if check():
            return True
        time.sleep(0.1)
    return False
