from html.parser import HTMLParser
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from core.exchange.talks import talks_page


class Read(HTMLParser):
    """What stands in a page, by its tags."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.told: dict[str, list[str]] = {}
        self.feed(page)
        self.close()

    def handle_starttag(self, tag: str, attrs: object) -> None:
        self.tags.append(tag)
        self.told.setdefault(tag, []).append("")

    def handle_data(self, data: str) -> None:
        if self.tags:
            self.told[self.tags[-1]][-1] += data


TALK = {
    "with": ["Jun Sato", "Ada"],
    "messages": [
        {"at": "2026-03-01T10:00", "from": "Jun Sato", "text": "one\ntwo", "attachments": ["a.jpg"]},
        {"text": "<script>alert(1)</script> & <img src=x onerror=y>"},
        "no message",
    ],
}


class APage(TestCase):
    def test_every_message_stands_there_with_who_and_when(self):
        page = Read(talks_page("Messages", [("Crew <b>", TALK)]))
        self.assertEqual([text.strip() for text in page.told["dt"]], ["Jun Sato 2026-03-01 10:00", ""])
        self.assertEqual([text.strip() for text in page.told["dd"]], ["one\ntwo", "<script>alert(1)</script> & <img src=x onerror=y>"])
        self.assertEqual(
            (page.told["h2"][0].strip(), page.told["p"][0].strip(), page.told["em"][0].strip()),
            ("Crew <b>", "with Jun Sato, Ada", "attached: a.jpg"),
        )

    @given(st.text(), st.text())
    def test_whatever_it_holds_it_has_no_tags_of_its_own(self, name, said):
        plain = Read(talks_page("Messages", [("x", {"with": ["x"], "messages": [{"text": "x", "attachments": ["x"]}]})])).tags
        odd = talks_page(
            "Messages", [(name, {"with": [name or "x"], "messages": [{"text": said, "from": name, "attachments": [said or "x"]}]})]
        )
        self.assertEqual(Read(odd).tags, plain)
        self.assertIn("default-src 'none'", odd)
