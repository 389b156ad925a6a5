"""No limit, pause or size changes unseen: the page that tells them says what the code says."""

from unittest import TestCase

from checks.house.limits import PAGE, limits, page


class Limits(TestCase):
    def test_the_page_says_what_the_code_says(self):
        self.assertGreater(len(list(limits())), 300)
        self.assertEqual(page(), PAGE.read_text(), "run .venv/bin/python -m checks.house.limits")
