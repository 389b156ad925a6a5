"""What the interface costs with 500 devices and three years: bytes over the wire, and what a person waits for in a slow browser.

The browser is Debian's Chromium with its processor slowed to a quarter; the server is the product's, without workers. What takes
time is measured by the browser's own clocks: largest paint, layout shifts, long tasks, events until their next frame.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.figures import Figure
from bench.office import DEVICES, NIGHTS, asked, large_office
from launcher.browser import ARGUMENTS, EXECUTABLE
from launcher.processes import Processes, free_port
from launcher.setup import PYTHON
from launcher.start import wait_for

SLOWED = 4
PASSWORD = "a long bench password"
WATCH = """
window.seen = {paint: 0, shift: 0, task: 0, event: 0, drawn: 0};
const watch = (type, take, more) =>
  new PerformanceObserver(list => list.getEntries().forEach(take)).observe({type, buffered: true, ...more});
watch('largest-contentful-paint', entry => { seen.paint = entry.startTime; });
watch('layout-shift', entry => { if (!entry.hadRecentInput) seen.shift += entry.value; });
watch('longtask', entry => { seen.task = Math.max(seen.task, entry.duration); });
watch('event', entry => { seen.event = Math.max(seen.event, entry.duration); }, {durationThreshold: 16});
new MutationObserver(() => {
  if (!seen.drawn && document.querySelector('.cause .n, table.rows tbody tr')) seen.drawn = performance.now();
}).observe(document, {childList: true, subtree: true});
"""


def screens(folder: Path, *, devices: int = DEVICES, nights: int = NIGHTS) -> Iterator[Figure]:
    """Each figure with what was wanted of it."""
    from playwright.sync_api import sync_playwright

    with large_office(devices=devices, nights=nights) as (env, words):
        yield from asked(words)
        processes, port = Processes(folder / "logs"), free_port()
        base = f"http://127.0.0.1:{port}"
        try:
            web: list[str | Path] = [PYTHON, "-m", "uvicorn", "server.project.asgi:application", "--host", "127.0.0.1", "--port", str(port)]
            processes.start("web", [*web, "--lifespan", "off", "--log-level", "warning"], env)
            wait_for(f"{base}/readyz", processes)
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=EXECUTABLE, args=ARGUMENTS)
                yield from _measured(browser, base)
                browser.close()
        finally:
            processes.stop()


def _measured(browser: Any, base: str) -> Iterator[Figure]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=base)
    context.add_init_script(WATCH)
    page = context.new_page()
    _sign_in(page)
    yield from _wire(context)
    page = context.new_page()
    slow = context.new_cdp_session(page)
    slow.send("Emulation.setCPUThrottlingRate", {"rate": SLOWED})
    for path, name in (("/", "Today"), ("/devices", "Devices")):
        runs = [_opened(page, path) for _ in range(3)]
        best = min(runs, key=lambda seen: seen["drawn"])
        words = f"{name} at a quarter of the speed"
        yield _figure(f"{words}: drawn", best["drawn"], " ms", 2000, 1500)
        yield _figure(f"{words}: largest paint", best["paint"], " ms", 4000, 2500)
        yield _figure(f"{words}: layout shift", round(best["shift"], 3), "", 0.25, 0.1)
    yield from _devices(page)
    yield from _typing(page)


def _sign_in(page: Any) -> None:
    page.goto("/")
    page.get_by_label("User name").fill("ines")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("navigation", name="Rooms").wait_for()


def _wire(context: Any) -> Iterator[Figure]:
    """Of a first visit, with nothing kept; then of a second one."""
    page = context.new_page()
    line = context.new_cdp_session(page)
    line.send("Network.enable")
    line.send("Network.clearBrowserCache")
    sizes: dict[str, int] = {}
    kinds: dict[str, str] = {}
    line.on("Network.responseReceived", lambda event: kinds.__setitem__(event["requestId"], event["type"]))
    line.on("Network.loadingFinished", lambda event: sizes.__setitem__(event["requestId"], int(event["encodedDataLength"])))

    def visit() -> dict[str, int]:
        sizes.clear()
        page.goto("/")
        page.locator(".cause").first.wait_for()
        page.wait_for_timeout(1500)
        by_kind: dict[str, int] = {}
        for request, size in sizes.items():
            by_kind[kinds.get(request, "?")] = by_kind.get(kinds.get(request, "?"), 0) + size
        return by_kind

    first, again = visit(), visit()
    kept = sum(again.get(kind, 0) for kind in ("Script", "Stylesheet", "Font"))
    said = ", ".join(f"{kind} {size / 1000:.1f}" for kind, size in sorted(first.items()))
    yield _figure("first screen: script", first.get("Script", 0) / 1000, " kB", 150, 120, said)
    yield _figure("first screen: all, fonts included", sum(first.values()) / 1000, " kB", 300, 220, said)
    yield _figure("script, styles and fonts after a reload", kept / 1000, " kB", 20, 5)
    page.close()


def _opened(page: Any, path: str) -> dict[str, float]:
    page.goto(path)
    page.wait_for_function("() => seen.drawn > 0")
    page.wait_for_timeout(1200)
    seen: dict[str, float] = page.evaluate("() => seen")
    return seen


def _devices(page: Any) -> Iterator[Figure]:
    page.goto("/devices?order=name")
    page.locator("table.rows tbody tr").nth(50).wait_for()
    page.wait_for_timeout(1500)
    page.evaluate("() => { seen.task = 0; }")
    for _ in range(25):
        page.mouse.wheel(0, 400)
        page.wait_for_timeout(40)
    page.wait_for_timeout(500)
    yield _figure("Devices: longest task while scrolling", page.evaluate("() => seen.task"), " ms", 200, 100)
    page.evaluate("() => { seen.task = 0; scrollTo(0, 0); }")
    page.get_by_label("Find a device").press_sequentially("holder 44", delay=90)
    page.wait_for_url("**words=holder*")
    page.wait_for_timeout(1500)
    yield _figure("Devices: longest task while filtering", page.evaluate("() => seen.task"), " ms", 200, 100)


def _typing(page: Any) -> Iterator[Figure]:
    previews: list[str] = []
    page.on("request", lambda request: previews.append(request.url) if request.url.endswith("/preview") else None)
    page.goto("/plans/new")
    page.get_by_label("What the draft means").get_by_role("listitem").first.wait_for()
    page.wait_for_timeout(1500)
    page.evaluate("() => { seen.event = 0; }")
    previews.clear()
    page.get_by_label("Name", exact=True).press_sequentially("A plan of twenty letters.", delay=60)
    page.wait_for_timeout(800)
    yield _figure("a key in the name of a plan, until drawn", page.evaluate("() => seen.event"), " ms", 100, 50)
    yield _figure("previews asked while typing its name", len(previews), "", 2, 1)
    previews.clear()
    page.get_by_label("Last", exact=True).fill("")
    page.get_by_label("Last", exact=True).press_sequentially("123", delay=60)
    page.wait_for_timeout(800)
    yield _figure("previews asked for a number of three digits", len(previews), "", 3, 1)


def _figure(name: str, value: float, unit: str, good: float, wanted: float, said: str = "") -> Figure:
    return Figure(name=name, value=value, unit=unit, told=said or f"{value:.4g}{unit}", good=good, wanted=wanted)
