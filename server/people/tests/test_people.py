from django.test import TestCase
from rest_framework.test import APIClient

from server.people.actions.journal import _kept
from server.people.models import JournalEntry, Office, User
from server.tests.pretend import PASSWORD, OfficeTestCase

FIRST = {"office_name": "Tidewick", "zone": "Europe/Berlin", "username": "ada", "full_name": "Ada", "password": "quay and lantern"}


class TheFirstAdministrator(TestCase):
    def post(self, **changes: str):
        return APIClient().post("/api/first-administrator", FIRST | changes, format="json")

    def test_sets_up_the_office_and_is_signed_in(self):
        self.assertTrue(APIClient().get("/api/me").json()["needs_first_administrator"])
        answer = self.post()
        self.assertEqual(answer.json()["user"]["role"], "administrator")
        self.assertEqual(Office.objects.get().zone, "Europe/Berlin")
        self.assertFalse(APIClient().get("/api/me").json()["needs_first_administrator"])

    def test_there_is_only_one(self):
        self.post()
        self.assertEqual(self.post(username="eve").status_code, 409)
        self.assertFalse(User.objects.filter(username="eve").exists())

    def test_each_wrong_field_is_named_and_nothing_is_kept(self):
        cases = {"zone": "Europe/Atlantis", "password": "short", "username": "a b", "office_name": " "}
        for field, value in cases.items():
            answer = self.post(**{field: value})
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
            self.assertTrue(answer.json()["remedy"])
        self.assertFalse(User.objects.exists() or Office.objects.exists())

    def test_a_missing_field_is_told_by_its_name_with_what_to_do(self):
        answer = APIClient().post("/api/first-administrator", {**FIRST, "office_name": " "}, format="json").json()
        self.assertEqual(
            (answer["field"], answer["title"], answer["remedy"]), ("office_name", "Office name is missing.", "Fill in the office name.")
        )


class SigningIn(OfficeTestCase):
    def sign_in(self, username: str, password: str):
        return APIClient().post("/api/sign-in", {"username": username, "password": password}, format="json")

    def test_with_the_right_password(self):
        self.assertEqual(self.sign_in("ines", PASSWORD).json()["user"]["username"], "ines")

    def test_wrong_name_and_wrong_password_say_the_same(self):
        answers = [self.sign_in("ines", "wrong"), self.sign_in("nobody", PASSWORD)]
        self.assertEqual({answer.status_code for answer in answers}, {400})
        self.assertEqual(len({answer.content for answer in answers}), 1)

    def test_without_a_csrf_token_nobody_signs_in(self):
        client = APIClient(enforce_csrf_checks=True)
        self.assertEqual(client.post("/api/sign-in", {"username": "ines", "password": PASSWORD}, format="json").status_code, 403)

    def test_signing_out_ends_the_session(self):
        self.assertEqual(self.api.post("/api/sign-out").status_code, 204)
        self.assertEqual(self.api.get("/api/today").status_code, 401)


class OfficeAndJournal(OfficeTestCase):
    def test_a_line_keeps_six_hundred_letters_and_as_many_names(self):
        facts = {"who": "w" * 700, "names": ["n" * 700] * 601, "count": 7, "nothing": None}
        kept = {name: _kept(value) for name, value in facts.items()}
        self.assertEqual(kept, {"who": "w" * 600, "names": ["n" * 600] * 600, "count": 7, "nothing": None})

    def test_a_zone_that_does_not_exist_is_refused_and_nothing_changes(self):
        answer = self.api.put("/api/office", {"name": "X", "zone": "Mars/Sea"}, format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "zone"))
        self.assertEqual(Office.objects.get().name, "Saltmarsh & Pike")

    def test_how_slowly_anything_leaves_is_set_within_bounds(self):
        body = {"name": "Saltmarsh & Pike", "zone": "Europe/Berlin"}
        self.assertEqual(self.api.put("/api/office", body | {"undo_days": 14, "unasked_share_percent": 5}, format="json").status_code, 200)
        self.assertEqual(self.api.put("/api/office", body, format="json").json()["undo_days"], 14, "what is left out stays")
        for wrong, field in (
            ({"undo_days": 0}, "undo_days"), ({"undo_days": 91}, "undo_days"), ({"unasked_share_percent": 101}, "unasked_share_percent"),
            ({"unasked_share_percent": -1}, "unasked_share_percent"),
        ):  # fmt: skip
            refused = self.api.put("/api/office", body | wrong, format="json")
            self.assertEqual((refused.status_code, refused.json()["field"]), (400, field))
        self.assertEqual(self.api.get("/api/me").json()["office"]["unasked_share_percent"], 5)

    def test_deeds_leave_a_line_with_who_did_it(self):
        self.api.put("/api/office", {"name": "Saltmarsh", "zone": "Europe/Berlin"}, format="json")
        line = self.api.get("/api/journal").json()["results"][0]
        self.assertEqual((line["what"], line["who_name"]), ("office.changed", "Ines"))

    def test_a_line_from_before_facts_were_kept_is_told_as_it_was_written(self):
        """And so are those of codes that are written no more."""
        JournalEntry.objects.create(at=self.outside.now(), what="plan.lent", written_out="The plan Nightly was lent.")
        self.assertEqual(self.api.get("/api/journal").json()["results"][0]["says"], "The plan Nightly was lent.")

    def test_a_line_of_a_code_that_only_another_program_knows_takes_no_page_with_it(self):
        JournalEntry.objects.create(at=self.outside.now(), what="plan.lent", facts={"plan": "Nightly", "to": ["a", "b"]})
        JournalEntry.objects.create(at=self.outside.now(), what="device.paired", facts={"device": "p1"})
        answer = [line["says"] for line in self.api.get("/api/journal").json()["results"][:2]]
        self.assertEqual(answer, ["device.paired: device p1;", "plan.lent: plan Nightly; to a, b;"])

    def test_what_people_typed_in_a_line_is_told_as_it_is(self):
        hostile = "{store} % | {0.__class__} \u202e<b>"
        self.api.put("/api/office", {"name": hostile, "zone": "Europe/Berlin"}, format="json")
        self.assertEqual(self.api.get("/api/journal").json()["results"][0]["says"], f"The office is {hostile}, in the zone Europe/Berlin.")

    def test_the_journal_is_paged(self):
        JournalEntry.objects.bulk_create(JournalEntry(at=self.outside.now(), what="x", written_out=str(n)) for n in range(120))
        with self.assertNumQueries(4):
            page = self.api.get("/api/journal").json()
        self.assertEqual((len(page["results"]), page["count"] >= 120), (50, True))

    def test_a_second_account_of_the_same_name_is_refused(self):
        body = {"username": "INES", "full_name": "", "password": PASSWORD, "role": "operator"}
        self.assertEqual(self.api.post("/api/users", body, format="json").json()["field"], "username")
        self.assertEqual(self.api.post("/api/users", body | {"username": "new", "role": "king"}, format="json").json()["field"], "role")
