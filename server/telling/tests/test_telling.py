"""What needs a person is remembered, told once to whom it concerns, and closes by itself."""

import json
from datetime import UTC, datetime, time, timedelta
from email import message_from_bytes
from email.policy import default
from smtplib import SMTPRecipientsRefused
from unittest import mock

from django.core import mail

from server.oversight.models import Incident, IncidentEvent
from server.people.models import Holder, Office, User
from server.telling.actions.hooks import add_hook
from server.telling.actions.send import send_waiting
from server.telling.actions.watch_office import watch_office
from server.telling.models import Message
from server.tests.pretend import OfficeTestCase


def utc(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


class TellingTestCase(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.plan(self.one, self.two)
        self.run_now(self.one)
        User.objects.filter(username="ines").update(email="ines@office.example")

    def wants(self, **fields: object) -> None:
        User.objects.filter(username="ines").update(**fields)

    def watch(self, at: str) -> None:
        self.outside.at = utc(at)
        watch_office(now=utc(at))

    def send(self, at: str) -> list[str]:
        before = len(mail.outbox)
        self.outside.at = utc(at)
        send_waiting(now=utc(at))
        return [letter.subject for letter in mail.outbox[before:]]

    def opened(self) -> list[str]:
        return sorted(Incident.objects.filter(closed_at__isnull=True).values_list("code", flat=True))


class IncidentsAreRemembered(TellingTestCase):
    def test_one_entry_a_cause_that_gathers_its_devices_and_closes_by_itself(self):
        self.watch("2026-03-02T07:10")
        self.assertEqual(self.opened(), ["never"])
        self.run_now(self.two)
        self.watch("2026-03-02T07:20")
        self.assertEqual(self.opened(), [])
        incident = Incident.objects.get()
        self.assertEqual([event.says for event in incident.events.all()], ["It began with 1 device.", "The cause is gone."])
        self.watch("2026-03-05T07:20")
        self.assertEqual(self.opened(), ["late"])
        answer = self.api.get(f"/api/incidents/{Incident.objects.get(code='late').id}").json()
        self.assertEqual(len(answer["devices"]), 2)

    def test_a_cause_that_is_back_within_hours_is_the_same_incident(self):
        self.watch("2026-03-02T07:10")
        Incident.objects.update(closed_at=utc("2026-03-02T08:00"))
        self.watch("2026-03-02T10:00")
        self.assertEqual(Incident.objects.count(), 1)
        self.assertEqual(IncidentEvent.objects.last().says, "It came back.")
        Incident.objects.update(closed_at=utc("2026-03-02T10:00"))
        self.watch("2026-03-04T01:00")
        self.assertEqual(Incident.objects.filter(code="never").count(), 2)

    def test_put_off_with_a_reason_until_a_day_and_back_on_that_day(self):
        self.watch("2026-03-02T07:10")
        id = Incident.objects.get().id
        for body, field in (({"until": "2026-03-01", "why": "x"}, "until"), ({"until": "2026-03-09", "why": " "}, "why")):
            self.assertEqual(self.api.post(f"/api/incidents/{id}/put-off", body, format="json").json()["field"], field)
        self.api.post(f"/api/incidents/{id}/put-off", {"until": "2026-03-04", "why": "waits for a cable"}, format="json")
        answer = self.api.get("/api/today").json()
        self.assertEqual(
            ([cause["code"] for cause in answer["causes"]], [cause["put_off_why"] for cause in answer["put_off"]]),
            ([], ["waits for a cable"]),
        )
        self.outside.at = utc("2026-03-03T23:30")  # already the 4th in Berlin
        self.assertIn("never", [cause["code"] for cause in self.api.get("/api/today").json()["causes"]])

    def test_what_came_back_to_normal_stands_on_today_for_a_day(self):
        self.watch("2026-03-02T07:10")
        self.run_now(self.two)
        self.watch("2026-03-02T07:20")
        self.outside.at = utc("2026-03-02T19:00")
        self.assertEqual([row["says"] for row in self.api.get("/api/today").json()["back_to_normal"]], ["Never backed up"])
        self.outside.at = utc("2026-03-04T06:00")
        self.assertEqual(self.api.get("/api/today").json()["back_to_normal"], [])

    def test_looking_costs_the_same_queries_for_two_devices_and_for_twenty(self):
        self.watch("2026-03-02T07:10")
        with self.assertNumQueries(40):
            watch_office(now=utc("2026-03-02T07:11"))
        self.plan(*[self.device(f"q{n}", content={}) for n in range(18)], name="More")
        watch_office(now=utc("2026-03-02T07:12"))
        with self.assertNumQueries(40):
            watch_office(now=utc("2026-03-02T07:13"))


class PeopleAreTold(TellingTestCase):
    def test_an_alert_once_and_not_again_while_the_incident_lasts(self):
        self.wants(wants_alerts=True)
        self.watch("2026-03-02T07:10")
        self.assertEqual(self.send("2026-03-02T07:10"), ["Saltmarsh & Pike: Never backed up"])
        for at in ("2026-03-02T07:11", "2026-03-02T12:00", "2026-03-03T07:00"):
            self.watch(at)
            self.assertEqual(self.send(at), [])

    def test_a_mail_that_another_program_reads(self):
        self.wants(wants_alerts=True)
        Holder.objects.filter(devices=self.two).update(name="Zoë\nBcc: all@office.example")
        self.watch("2026-03-02T07:10")
        self.send("2026-03-02T07:10")
        letter = message_from_bytes(mail.outbox[-1].message().as_bytes(), policy=default)
        self.assertEqual((letter["To"], letter["Auto-Submitted"], letter["Bcc"]), ("ines@office.example", "auto-generated", None))
        self.assertIn("Zoë", letter.get_content())

    def test_quiet_hours_hold_alerts_back_and_what_is_over_by_then_is_not_told(self):
        self.wants(wants_alerts=True, quiet_from=time(20), quiet_until=time(7, 30))
        self.watch("2026-03-02T22:00")
        self.assertEqual(self.send("2026-03-02T22:01"), [])
        self.assertEqual(Message.objects.get().not_before, utc("2026-03-03T06:30"))
        self.assertEqual(self.send("2026-03-03T06:30"), ["Saltmarsh & Pike: Never backed up"])
        Message.objects.all().delete()
        Incident.objects.all().delete()
        self.watch("2026-03-03T22:00")
        self.run_now(self.two)
        self.watch("2026-03-03T22:30")
        self.assertNotIn("Saltmarsh & Pike: Never backed up", self.send("2026-03-04T06:31"))

    def test_the_morning_digest_once_a_day_at_the_hour_that_was_wished_for(self):
        self.wants(wants_digest=True, digest_at=time(7))
        self.watch("2026-03-02T05:59")
        self.assertEqual(self.send("2026-03-02T05:59"), [])
        for at in ("2026-03-02T06:01", "2026-03-02T06:30"):
            self.watch(at)
            self.send(at)
        self.assertEqual(len(mail.outbox), 1)
        self.assertIn("1 of 2 devices are inside their promise", mail.outbox[0].subject)
        self.assertIn("Never backed up: Orlo H1 (Holder of p2)", mail.outbox[0].body)

    def test_a_server_that_was_off_all_day_sends_no_digest_of_the_morning(self):
        self.wants(wants_digest=True, digest_at=time(7))
        self.watch("2026-03-02T18:00")
        self.assertEqual(self.send("2026-03-02T18:00"), [])

    def test_a_holder_is_asked_once_where_only_they_can_help(self):
        Office.objects.update(asks_holders=True)
        Holder.objects.filter(devices=self.two).update(email="two@office.example")
        self.outside.away.add("p2")
        self.run_now(self.two)
        self.watch("2026-03-02T10:00")
        self.assertEqual(self.send("2026-03-02T10:00"), [])
        for at in ("2026-03-02T14:05", "2026-03-03T14:05"):
            self.watch(at)
            self.send(at)
        self.assertEqual([letter.to for letter in mail.outbox], [["two@office.example"]])
        self.assertIn("switch its wireless on", mail.outbox[0].body)

    def test_a_mail_server_that_hangs_is_asked_once_a_round_and_again_later(self):
        self.wants(wants_alerts=True)
        User.objects.filter(username="piet").update(email="piet@office.example", wants_alerts=True)
        self.watch("2026-03-02T07:10")
        with mock.patch("django.core.mail.EmailMessage.send", side_effect=TimeoutError("timed out")) as sending:
            send_waiting(now=utc("2026-03-02T07:10"))
        self.assertEqual(sending.call_count, 1)
        self.assertEqual([(row.state, row.attempts) for row in Message.objects.all()], [("waiting", 1), ("waiting", 1)])
        self.assertIn("TimeoutError", Message.objects.first().error)
        self.assertEqual(self.send("2026-03-02T07:10"), [])
        self.assertEqual(len(self.send("2026-03-02T07:12")), 2)

    def test_one_wrong_address_does_not_hold_up_the_others(self):
        self.wants(wants_alerts=True)
        User.objects.filter(username="piet").update(email="nobody@office.example", wants_alerts=True)
        self.watch("2026-03-02T07:10")

        Message.objects.filter(to="nobody@office.example").update(made_at=utc("2026-03-02T07:09"))  # its turn comes first

        def refused(letter: mail.EmailMessage, **more: object) -> int:
            if letter.to == ["nobody@office.example"]:
                raise SMTPRecipientsRefused({"nobody@office.example": (550, b"unknown")})
            return 1

        with mock.patch("django.core.mail.EmailMessage.send", autospec=True, side_effect=refused):
            self.assertEqual(send_waiting(now=utc("2026-03-02T07:10")), (1, 1))
        self.assertEqual(
            dict(Message.objects.values_list("to", "state")), {"ines@office.example": "sent", "nobody@office.example": "waiting"}
        )

    def test_it_is_given_up_in_the_end_and_shown(self):
        self.wants(wants_alerts=True)
        self.watch("2026-03-02T07:10")
        at = utc("2026-03-02T07:10")
        pauses = [timedelta(minutes=1), timedelta(minutes=5), timedelta(minutes=30), timedelta(hours=2), timedelta(hours=6)]
        with mock.patch("django.core.mail.EmailMessage.send", side_effect=OSError("refused")):
            for number, pause in enumerate(pauses, start=1):
                send_waiting(now=at)
                self.assertEqual(Message.objects.values_list("attempts", "not_before", "state").get(), (number, at + pause, "waiting"))
                at += pause
                send_waiting(now=at - timedelta(seconds=1))
            send_waiting(now=at)
        self.assertEqual(self.api.get("/api/messages?state=failed").json()["count"], 1)

    def test_what_could_not_go_for_two_days_is_of_no_use(self):
        self.wants(wants_alerts=True)
        self.watch("2026-03-02T07:10")
        at = Message.objects.get().made_at
        with mock.patch("django.core.mail.EmailMessage.send", side_effect=OSError("refused")):
            for late, state in ((timedelta(days=2), "waiting"), (timedelta(days=2, seconds=1), "failed")):
                Message.objects.update(attempts=0, not_before=at, state="waiting")
                send_waiting(now=at + late)
                self.assertEqual(Message.objects.get().state, state)

    def test_everybody_decides_for_themselves_and_wrong_wishes_are_named(self):
        wishes = self.signed_in("ulla").get("/api/me/wishes").json()
        for change, field in (
            ({"wants_digest": True, "email": ""}, "email"),
            ({"email": "no address"}, "email"),
            ({"quiet_from": "20:00"}, "quiet_until"),
        ):
            answer = self.signed_in("ulla").put("/api/me/wishes", wishes | change, format="json")
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        good = wishes | {"email": "ulla@office.example", "wants_digest": True}
        self.assertEqual(self.signed_in("ulla").put("/api/me/wishes", good, format="json").status_code, 200)


class ProgramsAreTold(TellingTestCase):
    def test_beginning_and_end_of_an_incident_with_the_secret_of_the_hook(self):
        _, secret = add_hook(name="desk", address="https://desk.example/attic", inside=False, signs_of_life=False, by=self.ines)
        self.watch("2026-03-02T07:10")
        self.run_now(self.two)
        self.watch("2026-03-02T07:20")
        self.send("2026-03-02T07:20")
        events = [json.loads(body) for _, body, _ in self.outside.hooked]
        self.assertEqual([event["event"] for event in events], ["matter.opened", "matter.closed"])
        self.assertEqual(events[0]["devices"], [str(self.two.id)])
        self.assertNotIn(secret, str(self.api.get("/api/hooks").json()))

    def test_what_comes_back_is_told_to_hooks_and_not_to_people_again(self):
        self.wants(wants_alerts=True)
        add_hook(name="desk", address="https://desk.example/attic", inside=False, signs_of_life=False, by=self.ines)
        self.watch("2026-03-02T07:10")
        Incident.objects.update(closed_at=utc("2026-03-02T07:15"))
        self.watch("2026-03-02T07:20")
        self.assertEqual(sorted(Message.objects.values_list("subject", flat=True))[-2:], ["matter.opened", "matter.returned"])
        self.assertEqual(Message.objects.filter(way="mail").count(), 1)

    def test_what_could_not_be_told_is_not_remembered_as_told(self):
        self.wants(wants_alerts=True)
        with (
            mock.patch("server.telling.actions.watch_office.announce", side_effect=RuntimeError("killed")),
            self.assertRaises(RuntimeError),
        ):
            self.watch("2026-03-02T07:10")
        self.assertFalse(Incident.objects.exists())
        self.watch("2026-03-02T07:11")
        self.assertEqual(Message.objects.filter(way="mail").count(), 1)

    def test_one_that_does_not_answer_is_tried_again_and_does_not_hold_up_mail(self):
        self.wants(wants_alerts=True)
        add_hook(name="desk", address="https://desk.example/attic", inside=False, signs_of_life=False, by=self.ines)
        self.outside.deaf_hooks.add("https://desk.example/attic")
        self.watch("2026-03-02T07:10")
        self.assertEqual(len(self.send("2026-03-02T07:10")), 1)
        row = Message.objects.get(way="hook")
        self.assertEqual((row.state, row.attempts, row.error.startswith("example.org answered 500")), ("waiting", 1, True))

    def test_signs_of_life_come_at_most_once_in_five_minutes(self):
        add_hook(name="watcher", address="https://watch.example/", inside=False, signs_of_life=True, by=self.ines)
        for at in ("2026-03-02T07:00", "2026-03-02T07:01", "2026-03-02T07:04", "2026-03-02T07:06"):
            self.watch(at)
        self.assertEqual(Message.objects.filter(subject="alive").count(), 2)

    def test_bad_addresses_and_names_are_refused(self):
        for address in ("ftp://x.example/", "https://", "https://user:pw@x.example/", "javascript:alert(1)", "https://x.example:99999/"):
            answer = self.api.post("/api/hooks", {"name": "x", "address": address}, format="json")
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, "address"), address)
        self.api.post("/api/hooks", {"name": "x", "address": "https://x.example/"}, format="json")
        self.assertEqual(self.api.post("/api/hooks", {"name": "x", "address": "https://y.example/"}, format="json").json()["field"], "name")
