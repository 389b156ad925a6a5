"""What a browser is told about the pages and the cookies: nothing from elsewhere, in no frame, signed in for twelve hours."""

import os
import subprocess
import sys
from datetime import timedelta
from pathlib import Path

from server.tests.pretend import PASSWORD, OfficeTestCase

ROOT = Path(__file__).resolve().parents[3]


class ToTheBrowser(OfficeTestCase):
    def signed(self):
        self.client.get("/api/me")
        answer = self.client.post("/api/sign-in", {"username": "ines", "password": PASSWORD}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer

    def test_every_answer_says_where_content_may_come_from_and_who_may_frame_it(self):
        for path in ("/", "/api/me", "/api/devices", "/api/nothing", "/devices"):
            headers = self.client.get(path).headers
            with self.subTest(path=path):
                self.assertEqual(headers["X-Frame-Options"], "DENY")
                self.assertEqual(headers["X-Content-Type-Options"], "nosniff")
                self.assertEqual(headers["Referrer-Policy"], "same-origin")
                self.assertEqual(headers["Cross-Origin-Opener-Policy"], "same-origin")
                policy = dict(rule.strip().partition(" ")[::2] for rule in headers["Content-Security-Policy"].split(";"))
                self.assertEqual((policy["default-src"], policy["frame-ancestors"], policy["base-uri"]), ("'none'",) * 3)
                for rule in ("script-src", "style-src", "font-src", "connect-src", "form-action"):
                    self.assertEqual(policy[rule], "'self'")
                self.assertEqual(policy["img-src"], "'self' data:")

    def test_a_session_lasts_twelve_hours_and_is_for_this_site_and_no_script(self):
        cookie = self.signed().cookies["sessionid"]
        self.assertEqual((cookie["max-age"], cookie["samesite"], bool(cookie["httponly"])), (12 * 3600, "Strict", True))
        self.assertEqual(self.client.cookies["csrftoken"]["samesite"], "Strict")

    def test_a_session_that_is_older_is_none_whatever_the_browser_still_sends(self):
        self.signed()
        session = self.client.session
        self.assertAlmostEqual(session.get_expiry_age(), timedelta(hours=12).total_seconds(), delta=5)
        session.set_expiry(-1)
        session.save()
        self.assertIsNone(self.client.get("/api/me").json()["user"])

    def test_away_from_this_computer_cookies_go_over_https_only(self):
        program = "from server.project import settings as s; print(s.SESSION_COOKIE_SECURE, s.CSRF_COOKIE_SECURE)"
        for production, says in (("1", "True True"), ("", "False False")):
            env = {**os.environ, "ATTIC_PRODUCTION": production, "ATTIC_SECRET_KEY": "s" * 50}
            done = subprocess.run([sys.executable, "-c", program], env=env, cwd=ROOT, capture_output=True, text=True, check=True)
            self.assertEqual(done.stdout.strip(), says)
