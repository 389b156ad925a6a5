import io
import json
import shutil
import sqlite3
import tempfile
from datetime import date
from fnmatch import fnmatch
from pathlib import Path
from unittest import TestCase

from PIL import Image

from standins.fleet import FLEET
from standins.knobs import SCENARIOS, checked
from standins.life import Life


class ALife(TestCase):
    def life(self) -> Life:
        folder = Path(tempfile.mkdtemp(prefix="attic-life-"))
        self.addCleanup(shutil.rmtree, folder)
        return Life(folder, FLEET[9])

    def everything(self, life: Life) -> dict[str, list]:
        kinds = ("contacts", "calendar", "messages", "photos", "app_data", "recordings", "documents", "wireless")
        return {kind: life.inventory(kind) for kind in kinds}

    def test_the_same_device_lives_the_same_days_in_the_same_way(self):
        one, two = self.life(), self.life()
        for life in (one, two):
            life.live_until(date(2026, 3, 2))
            life.live_until(date(2026, 3, 9))
        self.assertEqual(self.everything(one), self.everything(two))

    def test_days_change_some_things_and_leave_most(self):
        life = self.life()
        life.live_until(date(2026, 3, 2))
        before = {(kind, item["id"]): item["tag"] for kind, items in self.everything(life).items() for item in items}
        life.live_until(date(2026, 3, 9))
        after = {(kind, item["id"]): item["tag"] for kind, items in self.everything(life).items() for item in items}
        same = sum(after.get(key) == tag for key, tag in before.items())
        self.assertLess(same, len(before))
        self.assertGreater(same, len(before) * 0.9)
        self.assertGreater(len(after), len(before))

    def test_its_content_is_what_it_says_it_is(self):
        life = self.life()
        life.live_until(date(2026, 3, 2))
        photo = life.content("photos", life.inventory("photos")[0]["id"])
        self.assertEqual(Image.open(io.BytesIO(photo)).size, (320, 240))
        talk = json.loads(life.content("messages", life.inventory("messages")[0]["id"]))
        self.assertTrue(talk["messages"][0]["text"])
        with tempfile.NamedTemporaryFile() as file:
            file.write(life.content("app_data", life.inventory("app_data")[0]["id"]))
            file.flush()
            self.assertEqual(sqlite3.connect(file.name).execute("pragma integrity_check").fetchone(), ("ok",))

    def test_a_conversation_that_was_written_back_reads_the_same(self):
        from datetime import UTC, datetime

        life = self.life()
        life.live_until(date(2026, 3, 2))
        listed = life.inventory("messages")[0]
        content = life.content("messages", listed["id"])
        life.forget("messages", listed["id"])
        life.write("messages", listed["id"], listed["name"], content, at=datetime.now(UTC))
        self.assertEqual(json.loads(life.content("messages", listed["id"])), json.loads(content))


class TheFleet(TestCase):
    def test_a_holder_who_clears_away_keeps_the_newest_pictures(self):
        folder = Path(tempfile.mkdtemp(prefix="attic-life-"))
        self.addCleanup(shutil.rmtree, folder)
        life = Life(folder, next(persona for persona in FLEET if persona.habits.photos_kept is not None))
        life.live_until(date(2026, 3, 2))
        first = {item["id"] for item in life.inventory("photos")}
        life.live_until(date(2026, 3, 20))
        later = {item["id"] for item in life.inventory("photos")}
        self.assertEqual((len(first), len(later)), (90, 90))
        self.assertFalse(first & later)

    def test_it_is_the_whole_office_and_no_two_are_the_same(self):
        self.assertEqual(len(FLEET), 36)
        for field in ("slug", "serial"):
            self.assertEqual(len({getattr(persona, field) for persona in FLEET}), len(FLEET), field)

    def test_forwarded_pictures_and_app_packages_are_the_same_bytes_on_many_devices(self):
        folder = Path(tempfile.mkdtemp(prefix="attic-life-"))
        self.addCleanup(shutil.rmtree, folder)
        held = []
        for persona in FLEET[4:7]:
            life = Life(folder, persona)
            life.live_until(date(2026, 3, 2))
            life.live_until(date(2026, 3, 20))
            held.append({kind: {item["tag"] for item in life.inventory(kind)} for kind in ("attachments", "apps", "photos")})
        self.assertTrue(held[0]["apps"] & held[1]["apps"])
        self.assertTrue(held[0]["attachments"] & (held[1]["attachments"] | held[2]["attachments"]))
        self.assertFalse(held[0]["photos"] & held[1]["photos"])

    def test_every_scenario_turns_knobs_that_exist_on_devices_that_exist(self):
        for name, (_, changes) in SCENARIOS.items():
            for pattern, knobs in changes.items():
                checked(knobs)
                self.assertTrue([persona for persona in FLEET if fnmatch(persona.slug, pattern)], f"{name}: {pattern}")
        with self.assertRaises(ValueError):
            checked({"away": 1})

    def test_a_life_of_an_older_program_is_read_on(self):
        folder = Path(tempfile.mkdtemp(prefix="attic-life-"))
        self.addCleanup(shutil.rmtree, folder)
        db = sqlite3.connect(folder / f"{FLEET[9].slug}.sqlite")
        db.execute("create table item (kind text, id text, name text, modified text, content blob, primary key (kind, id))")
        db.execute("insert into item values ('photos', 'p', 'a.jpg', '2026-03-02T00:00:00+00:00', x'ffd8')")
        db.commit()
        db.close()
        listed = Life(folder, FLEET[9]).inventory("photos")
        self.assertEqual([(item["id"], item["size_bytes"], len(item["tag"])) for item in listed], [("p", 2, 16)])
