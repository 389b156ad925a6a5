"""The sheets of the front end: each class is somebody's, and somebody wears it."""

import re
from collections import defaultdict
from unittest import TestCase

from checks.house.test_house import ROOT, tracked

STYLES = ROOT / "web" / "src" / "styles"
EVERYWHERE = {"_narrow.scss", "_forced.scss", "_print.scss"}
"""What becomes of any class on a narrow screen, on paper, and in colours of somebody's own."""
OUTER = ("modal-", "btn", "form-", "dropdown", "alert", "badge", "table", "nav", "tooltip", "popover", "offcanvas", "is-invalid")
"""Bootstrap's own, which a sheet may adjust."""
BUILT = ("level-", "tone-", "unfolded-", "fate-", "points-")
"""Put together from a word of the server's or of the state."""
_CLASS = re.compile(r"\.([a-zA-Z][\w-]*)")


def selectors(text: str) -> list[tuple[int, str]]:
    """(depth, selector) of each rule; media queries and the like are no depth of their own."""
    text = re.sub(r"/\*.*?\*/", "", re.sub(r"//.*", "", text), flags=re.DOTALL)
    text = re.sub(r"#\{[^}]*\}", "_", text)
    depth, entries, open_ = 0, [], []
    for head, mark in re.findall(r"([^{};]*)([{};])", text):
        if mark == "{":
            counts = not head.strip().startswith("@")
            if counts:
                entries.append((depth, head.strip()))
            open_.append(counts)
            depth += counts
        elif mark == "}":
            depth -= open_.pop()
    return entries


class Sheets(TestCase):
    def test_each_class_that_a_sheet_begins_with_lies_in_one_sheet(self):
        owners = defaultdict(set)
        for path in STYLES.glob("_*.scss"):
            for depth, selector in selectors(path.read_text()):
                first = {match[0] for part in selector.split(",") if (match := _CLASS.findall(part.strip().split(" ")[0]))}
                if depth == 0:
                    for name in first:
                        owners[name].add(path.name)
        self.assertGreater(len(owners), 60)
        self.assertEqual({name: files for name, files in owners.items() if len(files - EVERYWHERE) > 1}, {})

    def test_no_class_is_left_that_nobody_wears(self):
        worn = set()
        for path in tracked("web/src/*.ts", "web/src/*.tsx"):
            if ".test." not in path.name:
                worn |= set(re.findall(r"[\w-]+", path.read_text()))
        spoken = {
            name for path in STYLES.glob("_*.scss") for _, selector in selectors(path.read_text()) for name in _CLASS.findall(selector)
        }
        self.assertEqual(sorted(name for name in spoken - worn if not name.startswith(OUTER + BUILT)), [])
