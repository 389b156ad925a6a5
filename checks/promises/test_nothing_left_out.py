"""Nothing is left out in silence: what a real server does not let us read is named, counts, and stops nothing else."""

from checks.contracts.openssh import OpenSsh
from server.fleet.models import Device, SshKey
from server.tests.pretend import OfficeTestCase


class OverOpenSsh(OpenSsh, OfficeTestCase):
    """A real SSH server that knows this server's key and no password."""

    def setUp(self):
        super().setUp()
        (self.keys / "user.pub").write_text(self.api.post("/api/ssh-key").json()["public"] + "\n")
        self.given("DCIM/sea.jpg", b"\xff\xd8sea")
        self.given("Private/secret.txt", b"x")
        (self.root / "Private").chmod(0)
        self.addCleanup(lambda: (self.root / "Private").chmod(0o755))

    def test_it_is_signed_in_to_with_the_key_and_what_it_may_not_read_makes_the_run_a_partial_one(self):
        place = self.place()
        body = {"host": place.host, "port": place.port, "username": place.username, "password": "", "use_key": True, "folder": place.folder}
        body |= {"host_key": place.host_key, "family": "other", "name": "A phone", "holder": "somebody", "team": ""}
        answer = self.api.post("/api/devices/sftp", body, format="json")
        self.assertEqual(answer.status_code, 201, answer.content)
        device = Device.objects.get()
        self.assertTrue(bytes(SshKey.objects.get().private).startswith(b"ssh key of this server"), "it was not sealed")
        self.plan(device, kinds=["photos", "documents"])
        run = self.run_now(device)
        self.assertEqual((run.state, [(one["name"], one["code"]) for one in run.skipped]), ("partial", [("Private", "denied")]))
        self.assertEqual(run.backup.items, 1)
        link = self.api.get(f"/api/devices/{device.id}/link").json()
        link["sftp"] |= {"password": "", "use_key": False}
        self.assertEqual(self.api.put(f"/api/devices/{device.id}/link", link, format="json").json()["field"], "password")

    def test_neither_password_nor_key(self):
        place = self.place()
        body = {"host": place.host, "port": place.port, "username": place.username, "password": "", "folder": place.folder}
        body |= {"host_key": place.host_key, "family": "other", "name": "A phone", "holder": "somebody", "team": ""}
        self.assertEqual(self.api.post("/api/devices/sftp", body, format="json").json()["field"], "password")
