"""Guessing, accounts, sessions: who gets in, how long a guesser waits, and what ends when somebody leaves."""

from datetime import UTC, datetime, timedelta

from django.test import RequestFactory, SimpleTestCase, override_settings
from rest_framework.test import APIClient

from core.schedule.guessing import FREE, LONGEST, counted, still_waits, wait_after
from server.api.address import address_of
from server.people.actions.accounts import change_user
from server.people.models import JournalEntry, SignInTries, User
from server.people.sessions import stands
from server.tests.pretend import PASSWORD, OfficeTestCase

NEW = "salt on the window"


class HowLongAGuesserWaits(SimpleTestCase):
    def test_longer_each_time_and_a_minute_at_the_most(self):
        waits = [wait_after(n).total_seconds() for n in range(12)]
        self.assertEqual(waits, [0, 0, 0, 1, 2, 4, 8, 16, 32, 60, 60, 60])
        self.assertEqual(max(wait_after(n) for n in (50, 10**6)), LONGEST)

    def test_it_passes_is_forgotten_and_a_clock_that_was_wrong_locks_nobody_out(self):
        at = datetime(2026, 3, 2, 8, tzinfo=UTC)
        self.assertEqual(still_waits(5, at, at + timedelta(seconds=1)), timedelta(seconds=3))
        self.assertEqual(still_waits(5, at, at + timedelta(seconds=4)), timedelta())
        self.assertEqual(still_waits(50, at + timedelta(days=20), at), timedelta())
        self.assertEqual(
            [counted(7, at, at + timedelta(minutes=5)), counted(7, at, at + timedelta(hours=2)), counted(0, None, at)], [8, 1, 1]
        )


class Guessing(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.stranger = APIClient()

    def type(self, username: str, password: str, *, address: str = "192.0.2.7", **headers: str):
        body = {"username": username, "password": password}
        return self.stranger.post("/api/sign-in", body, format="json", REMOTE_ADDR=address, **headers)

    def guesses(self, count: int, **more: str) -> list[int]:
        answers = []
        for n in range(count):
            answers.append(self.type("piet", f"guess {n}", **more).status_code)
        return answers

    def test_is_slowed_with_a_problem_document_that_says_how_long(self):
        self.assertEqual(self.guesses(FREE), [400] * FREE)
        answer = self.type("piet", "guess")
        self.assertEqual(
            (answer.status_code, answer["Content-Type"], answer.json()["code"]), (429, "application/problem+json", "access.too_soon")
        )
        self.assertIn("not locked", answer.json()["remedy"])
        self.assertEqual(answer["Retry-After"], "1")

    def test_a_changed_header_changes_nothing(self):
        entries = [self.type("piet", "guess", HTTP_X_FORWARDED_FOR=f"203.0.113.{n}").status_code for n in range(24)]
        self.assertEqual(entries.count(400), FREE + sum(code == 400 for code in entries[FREE:]))
        self.assertGreater(entries.count(429), 15)
        self.assertFalse(SignInTries.objects.filter(what__contains="203.0.113").exists())

    def test_from_many_addresses_the_account_and_with_many_names_the_address_is_slowed(self):
        self.assertIn(429, [self.type("piet", "guess", address=f"198.51.100.{n}").status_code for n in range(8)])
        SignInTries.objects.all().delete()
        self.assertIn(429, [self.type(f"name{n}", "guess").status_code for n in range(8)])

    def test_the_right_password_gets_in_after_a_minute_at_worst_however_much_was_guessed(self):
        for _ in range(12):
            self.type("piet", "guess", address="198.51.100.9")
            self.outside.at += LONGEST
        self.type("piet", "guess", address="198.51.100.9")
        self.assertEqual(self.type("piet", PASSWORD, address="192.0.2.1").status_code, 429)
        self.outside.at += LONGEST
        self.assertEqual(self.type("piet", PASSWORD, address="192.0.2.1").status_code, 200)
        self.assertFalse(SignInTries.objects.filter(what="account piet").exists())

    def test_somebody_who_guesses_all_the_time_does_not_keep_its_owner_out(self):
        self.assertEqual(self.type("piet", PASSWORD, address="192.0.2.1").status_code, 200)
        for _ in range(12):
            self.type("piet", "guess", address="198.51.100.9")
            self.outside.at += timedelta(seconds=20)
            self.assertEqual(self.type("piet", PASSWORD, address="192.0.2.1").status_code, 200)

    def test_what_was_not_looked_at_lengthens_nothing(self):
        self.guesses(FREE)
        before = SignInTries.objects.get(what="account piet").wrong
        self.guesses(10)
        self.assertLessEqual(SignInTries.objects.get(what="account piet").wrong - before, 2)


class WhereARequestComesFrom(SimpleTestCase):
    def told(self, remote: str, forwarded: str, proxies: tuple[str, ...]) -> str:
        from dataclasses import replace

        from django.conf import settings

        with override_settings(ATTIC_ENV=replace(settings.ATTIC_ENV, proxies=proxies)):
            return address_of(RequestFactory().get("/", REMOTE_ADDR=remote, HTTP_X_FORWARDED_FOR=forwarded))

    def test_a_proxy_counts_only_when_the_settings_name_it(self):
        for remote, forwarded, proxies, expected in (
            ("127.0.0.1", "203.0.113.9", (), "127.0.0.1"), ("127.0.0.1", "203.0.113.9", ("127.0.0.1",), "203.0.113.9"),
            ("10.0.0.2", "6.6.6.6, 203.0.113.9", ("10.0.0.0/8",), "203.0.113.9"),
            ("10.0.0.2", "6.6.6.6, 203.0.113.9, 10.0.0.3", ("10.0.0.0/8",), "203.0.113.9"), ("203.0.113.5", "6.6.6.6", ("10.0.0.0/8",), "203.0.113.5"),
            ("10.0.0.2", "", ("10.0.0.0/8",), "10.0.0.2"), ("10.0.0.2", "nonsense", ("10.0.0.0/8",), "nonsense"),
        ):  # fmt: skip
            self.assertEqual(self.told(remote, forwarded, proxies), expected)


class Accounts(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.piet = User.objects.get(username="piet")
        self.his = self.entered("piet")

    def entered(self, username: str, password: str = PASSWORD) -> APIClient:
        client = APIClient()
        self.assertEqual(client.post("/api/sign-in", {"username": username, "password": password}, format="json").status_code, 200)
        return client

    def inside(self, client: APIClient) -> bool:
        return client.get("/api/journal").status_code == 200

    def test_everybody_changes_their_own_password_and_other_sessions_end(self):
        elsewhere = self.entered("piet")
        put = lambda **body: self.his.put("/api/me/password", body, format="json")  # noqa: E731
        self.assertEqual(put(current="wrong", new=NEW, again=NEW).json()["field"], "current")
        self.assertEqual(put(current=PASSWORD, new=NEW, again="other").json()["field"], "again")
        self.assertEqual(put(current=PASSWORD, new="short", again="short").json()["field"], "new")
        self.assertEqual(put(current=PASSWORD, new=NEW, again=NEW).status_code, 204)
        self.assertEqual((self.inside(self.his), self.inside(elsewhere)), (True, False))
        self.entered("piet", NEW)

    def test_an_administrator_resets_it_and_an_operator_cannot(self):
        path = f"/api/users/{self.piet.id}/password"
        self.assertEqual(self.his.post(path, {"password": NEW}, format="json").status_code, 403)
        self.assertEqual(self.api.post(path, {"password": "short"}, format="json").json()["field"], "password")
        self.assertEqual(self.api.post(path, {"password": NEW}, format="json").status_code, 204)
        self.assertFalse(self.inside(self.his))
        self.assertTrue(JournalEntry.objects.filter(what="user.password_reset").exists())

    def test_whoever_left_is_switched_off_and_out_at_once(self):
        body = {"full_name": "Piet", "role": "operator", "active": False}
        self.assertEqual(self.api.put(f"/api/users/{self.piet.id}", body, format="json").status_code, 200)
        self.assertFalse(self.inside(self.his))
        self.assertEqual(APIClient().post("/api/sign-in", {"username": "piet", "password": PASSWORD}, format="json").status_code, 400)

    def test_a_role_changes_and_the_last_administrator_stays(self):
        body = {"full_name": "Piet", "role": "auditor", "active": True}
        self.api.put(f"/api/users/{self.piet.id}", body, format="json")
        self.assertEqual(self.his.post("/api/pauses", {}, format="json").status_code, 403)
        for changed in ({}, {"role": "administrator", "active": False}):
            self.assertEqual(self.api.put(f"/api/users/{self.ines.id}", body | changed, format="json").status_code, 409, changed)
        kept = body | {"full_name": "Ines of the attic", "role": "administrator"}
        self.assertEqual(
            self.api.put(f"/api/users/{self.ines.id}", kept, format="json").status_code, 200, "the last one may have a new name"
        )
        self.assertEqual(self.api.put(f"/api/users/{self.piet.id}", body | {"role": "king"}, format="json").json()["field"], "role")

    def test_sessions_end_on_demand(self):
        self.assertEqual(self.api.delete(f"/api/users/{self.piet.id}/sessions").status_code, 204)
        self.assertFalse(self.inside(self.his))
        self.entered("piet")

    def test_a_live_line_ends_with_its_session(self):
        key = self.his.session.session_key
        self.assertTrue(stands(key))
        for end in (
            lambda: self.his.post("/api/sign-out"),
            lambda: self.api.delete(f"/api/users/{self.piet.id}/sessions"),
            lambda: change_user(self.piet, full_name="", role="operator", active=False, by=self.ines, now=self.outside.now()),
        ):
            User.objects.filter(id=self.piet.id).update(is_active=True)
            client = self.entered("piet")
            key = client.session.session_key
            self.his = client
            self.assertTrue(stands(key))
            end()
            self.assertFalse(stands(key))
        self.assertFalse(stands("nonsense"))


class WhoLookedAtContent(OfficeTestCase):
    def test_looking_searching_and_taking_away_leave_a_line_each_and_not_one_a_click(self):
        one = self.device()
        self.plan(one)
        backup = self.run_now(one).backup
        piet = self.signed_in("piet")
        for _ in range(3):
            piet.get(f"/api/backups/{backup.id}/inside?kind=contacts")
            piet.get(f"/api/backups/{backup.id}/inside?kind=contacts&words=Person 12")
            b"".join(piet.get(f"/api/backups/{backup.id}/item?kind=contacts&id=c001"))
        lines = JournalEntry.objects.filter(what__startswith="content.").order_by("what")
        self.assertEqual([line.what for line in lines], ["content.looked_into", "content.saved", "content.searched"])
        self.assertTrue(all("Holder of p1" in line.says and line.who.username == "piet" for line in lines))
        self.assertFalse(any("Person 12" in line.says for line in lines), "what was searched for is content")
        self.outside.at += timedelta(hours=1)
        piet.get(f"/api/backups/{backup.id}/inside?kind=contacts")
        self.assertEqual(JournalEntry.objects.filter(what="content.looked_into").count(), 2)


class WhoPausesWhat(OfficeTestCase):
    def test_an_operator_one_device_or_plan_with_a_reason_and_not_the_office(self):
        one = self.device()
        piet = self.signed_in("piet")
        self.assertEqual(piet.post("/api/pauses", {"reason": "x"}, format="json").status_code, 403)
        self.assertEqual(piet.post("/api/pauses", {"device": str(one.id), "reason": " "}, format="json").json()["field"], "reason")
        self.assertEqual(piet.post("/api/pauses", {"device": str(one.id), "reason": "repair"}, format="json").status_code, 201)
        id = self.api.post("/api/pauses", {"reason": "stock-taking"}, format="json").json()["id"]
        self.assertEqual(piet.delete(f"/api/pauses/{id}").status_code, 403)
        self.assertEqual(self.api.delete(f"/api/pauses/{id}").status_code, 204)


class TheKeyOfTheServer(OfficeTestCase):
    def test_without_it_pages_work_nothing_runs_and_today_and_health_say_so(self):
        from server.runs.models import Run
        from server.runs.tasks import tick

        self.plan(self.device())
        self.outside.at = datetime(2026, 3, 2, 21, 5, tzinfo=UTC)
        self.outside.key_trouble = "The server's key is not at /media/key."
        tick.func(timestamp=0)
        self.assertFalse(Run.objects.exists())
        causes = {cause["code"]: cause["says"] for cause in self.api.get("/api/today").json()["causes"]}
        self.assertIn("Nothing runs: The server's key is not at", causes["key"])
        self.assertIn("key", str(self.client.get("/healthz").json()["troubles"]))
        self.assertEqual(self.api.get("/api/server-key").json()["kind"], "beside")
        self.assertEqual(self.signed_in("piet").get("/api/server-key").status_code, 403)
        self.outside.key_trouble = ""
        tick.func(timestamp=0)
        self.assertTrue(Run.objects.exists())

    def test_only_a_first_start_makes_one(self):
        from unittest import mock

        from server.oversight.actions.establish_key import establish_key
        from server.people.models import ServerKey

        with mock.patch.object(self.outside, "make_key", return_value="f1") as made:
            establish_key()
            establish_key()
            self.assertEqual((made.call_count, ServerKey.objects.get().fingerprint), (1, "f1"))
        ServerKey.objects.all().delete()
        self.store()
        self.outside.key_trouble = "It is gone."
        with mock.patch.object(self.outside, "make_key", side_effect=AssertionError("a new key opens nothing")):
            self.assertEqual(establish_key().trouble, "It is gone.")
        self.assertFalse(ServerKey.objects.exists())
