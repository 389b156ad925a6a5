"""The canonical form of records, told twice: by the product (with a library for RFC 8785) and by the stand-ins, from the page alone."""

import json
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.content.digests import canonical, digest, digest_of
from standins.digests import content_digest

TEXTS = st.text(max_size=8)
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**53) + 1, 2**53 - 1) | TEXTS,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(TEXTS, inner, max_size=4),
    max_leaves=12,
)
KINDS = st.sampled_from(["contacts", "calendar", "messages", "settings", "photos"])


class TwoPrograms(TestCase):
    @settings(max_examples=300, deadline=None)
    @given(kind=KINDS, record=st.dictionaries(TEXTS, VALUES, max_size=5))
    def test_agree_on_any_record(self, kind, record):
        content = json.dumps(record).encode()
        self.assertEqual(digest(kind, content).hex(), content_digest(kind, content))

    @settings(max_examples=50, deadline=None)
    @given(kind=KINDS, content=st.binary(max_size=60))
    def test_agree_on_what_is_no_record(self, kind, content):
        self.assertEqual(digest_of(kind, [content[:7], content[7:]]).hex(), content_digest(kind, content))


class TheForm(TestCase):
    def test_members_and_lists_in_another_order_empty_ones_and_composed_letters_are_the_same_contact(self):
        one = {"display": "Gr\u00fcn", "phones": [{"number": "1"}, {"number": "2", "label": ""}], "note": None, "emails": []}
        other = {"phones": [{"number": "2"}, {"number": "1"}], "display": "Gru\u0308n"}
        self.assertEqual(*(digest("contacts", json.dumps(fields).encode()) for fields in (one, other)))
        changed = other | {"phones": [{"number": "2"}, {"number": "3"}]}
        self.assertNotEqual(digest("contacts", json.dumps(changed).encode()), digest("contacts", json.dumps(one).encode()))

    def test_messages_of_a_conversation_in_another_order_are_another_conversation(self):
        one, other = ({"messages": [{"text": first}, {"text": second}]} for first, second in (("a", "b"), ("b", "a")))
        self.assertNotEqual(*(digest("messages", json.dumps(fields).encode()) for fields in (one, other)))

    def test_members_are_ordered_as_rfc_8785_orders_them(self):
        """The sorting example of RFC 8785 §3.2.3, typed from memory."""
        names = {
            "\u20ac": "Euro Sign",
            "\r": "Carriage Return",
            "1": "One",
            "\U0001f600": "Emoji",
            "\u00f6": "Latin o",
            "\u0080": "Control",
        }
        form = canonical("settings", json.dumps(names).encode()).decode()
        entries = [form.index(word) for word in ("Carriage Return", "One", "Control", "Latin o", "Euro Sign", "Emoji")]
        self.assertEqual(entries, sorted(entries))
