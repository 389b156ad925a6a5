from unittest import TestCase

from core.errors import BadInput
from core.vault.address import (
    FACTS,
    BucketAddress,
    DriveAddress,
    FolderAddress,
    Medium,
    SftpAddress,
    address_in_words,
    address_of,
    part_within,
    secrets_of,
    settings_of,
    where_words,
)

BUCKET = {
    "bucket": "attic",
    "prefix": "/office/",
    "endpoint": "https://s3.example.net/",
    "region": "",
    "access_key": "k",
    "secret_key": "s",
}

HOST_KEY = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIFb1kmlbF1oMYd1eSCDaS7V3vhwyPgFJoSEDtPTSrJtg"
SFTP = {"host": "Shed.example.net", "port": "2022", "username": "attic", "folder": "/srv//attic/", "host_key": HOST_KEY, "password": " p "}


class Addresses(TestCase):
    def test_every_medium_has_its_facts_and_its_address_says_which_it_is(self):
        self.assertEqual(set(FACTS), set(Medium))
        self.assertEqual({facts.address.medium for facts in FACTS.values()}, set(Medium))

    def test_what_is_kept_and_what_is_sealed_make_the_address_again(self):
        for medium, value in (("folder", {"path": "/srv/a"}), ("drive", {"path": "/media/b"}), ("bucket", BUCKET), ("sftp", SFTP)):
            address = address_of(medium, value)
            self.assertEqual(address_of(medium, settings_of(address) | secrets_of(address)), address)
            self.assertFalse(set(settings_of(address)) & set(FACTS[Medium(medium)].secrets))

    def test_a_secret_stands_in_no_printed_address(self):
        address = address_of("bucket", BUCKET | {"secret_key": "mudflat"})
        self.assertNotIn("mudflat", repr(address) + where_words(address) + str(settings_of(address)))
        self.assertEqual(secrets_of(address), {"secret_key": "mudflat"})
        other = address_of("sftp", SFTP | {"password": "mudflat"})
        self.assertNotIn("mudflat", repr(other) + where_words(other) + str(settings_of(other)))

    def test_the_same_place_is_told_in_the_same_words(self):
        self.assertEqual(where_words(address_of("bucket", BUCKET)), "s3://attic/office at s3.example.net")
        self.assertEqual(
            where_words(address_of("bucket", BUCKET | {"prefix": "office", "access_key": "x"})), "s3://attic/office at s3.example.net"
        )
        self.assertEqual(where_words(address_of("folder", {"path": "/srv//a/"})), "/srv/a")
        self.assertEqual(where_words(BucketAddress(bucket="attic")), "s3://attic")
        self.assertEqual(where_words(address_of("sftp", SFTP)), "sftp://attic@shed.example.net:2022/srv/attic")
        self.assertEqual(where_words(address_of("sftp", SFTP | {"host": "fd00::1", "port": ""})), "sftp://attic@[fd00::1]/srv/attic")

    def test_bad_settings_name_their_field(self):
        cases = [
            ("smoke", {}, "medium"), ("folder", {}, "path"), ("folder", {"path": "srv"}, "path"), ("folder", {"path": "/a/../etc"}, "path"),
            ("folder", {"path": "/a\n"}, "path"), ("drive", {"path": ""}, "path"), ("folder", {"path": "/a", "bucket": "x"}, "bucket"),
            ("folder", {"path": 7}, "path"), ("folder", {"path": "/" + "a" * 1001}, "path"), ("bucket", {}, "bucket"),
            ("bucket", BUCKET | {"bucket": "Attic"}, "bucket"), ("bucket", BUCKET | {"bucket": "ab"}, "bucket"),
            ("bucket", BUCKET | {"endpoint": "s3.example.net"}, "endpoint"), ("bucket", BUCKET | {"endpoint": "https://u:p@x"}, "endpoint"),
            ("bucket", BUCKET | {"prefix": "a/../b"}, "prefix"), ("bucket", BUCKET | {"secret_key": ""}, "secret_key"),
            ("bucket", BUCKET | {"access_key": ""}, "access_key"), ("bucket", BUCKET | {"endpoint": "http://["}, "endpoint"),
            ("bucket", BUCKET | {"endpoint": "http://x:port"}, "endpoint"), ("bucket", BUCKET | {"inside": "no"}, "inside"),
            *(("sftp", SFTP | {name: ""}, name) for name in ("host", "username", "folder", "host_key")),
            ("sftp", SFTP | {"host": "a b"}, "host"), ("sftp", SFTP | {"host": "-oProxy=x"}, "host"), ("sftp", SFTP | {"port": "ssh"}, "port"),
            ("sftp", SFTP | {"port": "70000"}, "port"), ("sftp", SFTP | {"port": "\u0662\u0662"}, "port"),
            ("sftp", SFTP | {"folder": "srv"}, "folder"), ("sftp", SFTP | {"host_key": "AAAA"}, "host_key"),
        ]  # fmt: skip
        for medium, value, field in cases:
            with self.subTest(medium=medium, told=value), self.assertRaises(BadInput) as caught:
                address_of(medium, value)
            self.assertEqual(caught.exception.field, field)
            self.assertTrue(caught.exception.remedy)

    def test_as_the_command_line_takes_them(self):
        self.assertEqual(address_in_words("backups"), FolderAddress(path="backups"))
        self.assertEqual(
            address_in_words("s3://attic/a/b", endpoint="http://x"),
            BucketAddress(bucket="attic", prefix="a/b", endpoint="http://x", inside="yes"),
        )
        self.assertEqual(
            address_in_words("sftp://at%40tic:p%2Fq@[fd00::1]:2022/srv/a"),
            SftpAddress(host="fd00::1", port="2022", username="at@tic", folder="/srv/a", password="p/q"),
        )
        for words in ("s3:///a", "ftp://x/y", "sftp://shed/a", "sftp://a@shed", "sftp://a@shed:x/a", "s3://["):
            with self.assertRaises(BadInput):
                address_in_words(words)

    def test_places_that_lie_in_one_another_are_told_by_their_field(self):
        bucket, sftp, folder = address_of("bucket", BUCKET), address_of("sftp", SFTP), address_of("folder", {"path": "/srv"})
        cases = [
            (bucket, address_of("bucket", BUCKET | {"prefix": "office/two"}), "prefix"), (bucket, address_of("bucket", BUCKET | {"prefix": ""}), "prefix"),
            (bucket, address_of("bucket", BUCKET | {"prefix": "office2"}), ""), (bucket, address_of("bucket", BUCKET | {"bucket": "shed"}), ""),
            (sftp, address_of("sftp", SFTP | {"folder": "/srv"}), "folder"), (sftp, address_of("sftp", SFTP | {"folder": "/srv/attic2"}), ""),
            (sftp, address_of("sftp", SFTP | {"port": ""}), ""), (sftp, address_of("sftp", SFTP | {"username": "b"}), "folder"),
            (folder, address_of("drive", {"path": "/srv/a"}), "path"), (folder, address_of("folder", {"path": "/srv2"}), ""), (folder, sftp, ""),
        ]  # fmt: skip
        for one, other, field in cases:
            self.assertEqual((part_within(one, other), part_within(other, one)), (field, field), (one, other))

    def test_only_a_drive_comes_and_goes_and_only_a_bucket_lies_outside(self):
        self.assertEqual([medium for medium, facts in FACTS.items() if facts.comes_and_goes], [DriveAddress.medium])
        self.assertEqual([medium for medium, facts in FACTS.items() if facts.outside], [BucketAddress.medium])
