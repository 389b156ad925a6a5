from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.units import aware, iec, spoken


class BytesAreWrittenWithBinaryPrefixes(TestCase):
    def test_prefixes_follow_powers_of_1024(self):
        # IEC 80000-13: 1 KiB = 1024 bytes
        cases = {0: "0 bytes", 1: "1 byte", 1023: "1023 bytes", 1024: "1 KiB", 1536: "1.5 KiB"}
        cases |= {20 * 1024**2: "20 MiB", 1024**3: "1 GiB", 5 * 1024**4: "5 TiB", -2048: "-2 KiB"}
        for count, text in cases.items():
            self.assertEqual(iec(count), text)

    def test_a_value_just_below_the_next_prefix_does_not_show_four_digits(self):
        self.assertEqual(iec(1024**2 - 1), "1 MiB")


class DurationsAreSpoken(TestCase):
    def test_words(self):
        cases = {1: "1 second", 59: "59 seconds", 60: "1 minute", 7_000: "117 minutes", 10_800: "3 hours"}
        cases |= {172_800: "2 days", 90_000: "25 hours"}
        for seconds, text in cases.items():
            self.assertEqual(spoken(timedelta(seconds=seconds)), text)


class InstantsAreAware(TestCase):
    def test_naive_is_refused(self):
        with self.assertRaises(ValueError):
            aware(datetime(2026, 1, 1))

    def test_aware_becomes_utc(self):
        self.assertEqual(aware(datetime(2026, 1, 1, tzinfo=UTC)).utcoffset(), timedelta(0))
