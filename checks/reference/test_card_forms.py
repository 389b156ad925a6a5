"""Cards of every version, out in every form, read by `vobject` and held against the properties of the source.

Awkward cards are made here after RFC 6350, RFC 2426 and what vCard 2.1 says, typed from memory; people and places are made up.
"""

import base64
import io
from unittest import TestCase

import vobject
from hypothesis import given
from hypothesis import strategies as st

from core.exchange.card_forms import in_version
from core.exchange.contentlines import ContentLine, blocks, parsed
from core.exchange.read_vcard import cards, contact
from core.exchange.vcard import CardForm, card_bytes, card_that_came, keep_card

PICTURE = bytes(range(256)) * 3
CODED = base64.b64encode(PICTURE).decode()
OLD = (
    "BEGIN:VCARD\r\nVERSION:2.1\r\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:Qu=E4ck;J=FCrgen\r\nFN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:J=FCrgen Qu=E4ck, Wharf\r\n"
    "TITLE;CHARSET=UTF-8;ENCODING=QUOTED-PRINTABLE:Kapit=C3=A4n; Pier 3=0D=0A=\r\nnight shift\r\nTEL;PREF;CELL;VOICE:+49 40 1\r\nTEL;HOME;FAX:+49 40 2\r\n"
    "EMAIL;INTERNET:j@quay.example\r\nADR;WORK:;;Kai 3;Hafen;;20457;\r\nLABEL;WORK;ENCODING=QUOTED-PRINTABLE:Kai 3=0D=0AHafen\r\n"
    f"PHOTO;ENCODING=BASE64;JPEG:\r\n {CODED[:70]}\r\n {CODED[70:]}\r\n\r\nX-BOAT;ENCODING=QUOTED-PRINTABLE:Gr=C3=BCne Wolke\r\nMAILER:tide 1\r\nEND:VCARD\r\n"
)
THIRD = (
    "BEGIN:VCARD\r\nVERSION:3.0\r\nUID:urn:uuid:7\r\nN:Holm;Fenna;Maria;Dr.;\r\nFN:Dr. Fenna Holm\r\nSORT-STRING:Holm\r\n"
    "ORG:Saltmarsh\\, Pike & Co;Survey;Boats\r\nitem1.TEL:+49 40 3\r\nitem1.X-ABLabel:Ferienhaus\r\nTEL;TYPE=CELL,VOICE,pref:+49 40 4\r\n"
    "EMAIL;TYPE=INTERNET,HOME,PREF:f@quay.example\r\nADR;TYPE=HOME,POSTAL:;Flat 2;Deich 1;Ort;;25000;Deutschland\r\nADR;TYPE=WORK:;;Kai 9;Hafen;;20457;\r\n"
    "LABEL;TYPE=HOME:Deich 1\\nOrt\r\nBDAY:1985-10-26\r\nGEO:53.5;9.9\r\nNICKNAME:Fee,Fenn\r\nCATEGORIES:crew,boat\r\nCLASS:PRIVATE\r\n"
    f"PHOTO;ENCODING=b;TYPE=PNG:{CODED}\r\nSOUND;TYPE=WAVE;ENCODING=b:{CODED}\r\nKEY;TYPE=PGP;ENCODING=B:{CODED}\r\nLOGO;VALUE=uri:https://quay.example/l.png\r\n"
    "AGENT:BEGIN:VCARD\\nFN:Someone\\nEND:VCARD\r\nREV:2026-01-02T03:04:05Z\r\nNOTE:one\\ntwo\\, three\\; 東京\r\nX-ODD;X-P=\"a;b\":kept\r\nEND:VCARD\r\n"
)  # fmt: skip
FOURTH = (
    "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada Quay\r\nN;SORT-AS=\"Quay,Ada\":Quay;Ada;;;\r\nKIND:individual\r\nGENDER:F\r\nLANG;PREF=1:de\r\nANNIVERSARY:20090808\r\n"
    'TEL;VALUE=uri;PREF=1;TYPE="voice,home":tel:+49-40-5\r\nADR;GEO="geo:12,3";LABEL="Kai 1\nHafen":;;Kai 1;Hafen;;;\r\n'
    f"PHOTO:data:image/gif;base64,{CODED}\r\nKEY:data:application/pgp-keys;base64,{CODED}\r\nRELATED;TYPE=friend:urn:uuid:8\r\nBDAY:--0203\r\n"
    "GEO:geo:46.77,-71.28\r\nIMPP;PREF=1:xmpp:ada@quay.example\r\nMEMBER:urn:uuid:9\r\nREV:20260102T030405Z\r\nEND:VCARD\r\n"
).replace("Kai 1\nHafen\"", "Kai 1^nHafen\"")  # fmt: skip


def lines_of(card: str) -> list[ContentLine]:
    (block,) = blocks([card.encode()], names=frozenset({"VCARD"}))
    return [line for raw in block.lines if (line := parsed(raw)) is not None]


def written(card: str, form: CardForm) -> str:
    (block,) = cards([card.encode()])
    _, record = contact(block)
    keep_card(record, bytes(block.raw))
    return card_bytes(record, uid="x1", form=form).decode()


def of(card: str, name: str) -> list[ContentLine]:
    return [line for line in lines_of(card) if line.name == name]


class InFour(TestCase):
    def test_nothing_of_an_older_version_is_left(self):
        for source in (OLD, THIRD, FOURTH):
            entries = written(source, CardForm.V4)
            self.assertTrue(entries.startswith("BEGIN:VCARD\r\nVERSION:4.0\r\n"))
            for line in lines_of(entries):
                self.assertFalse({"ENCODING", "CHARSET"} & line.params.keys(), line.name)
                self.assertNotIn(line.name, {"LABEL", "AGENT", "MAILER", "CLASS", "SORT-STRING", "NAME"})
            self.assertTrue(all(len(row) <= 75 for row in entries.encode().split(b"\r\n")))
            self.assertEqual(vobject.readOne(entries).version.value, "4.0")

    def test_bytes_are_data_uris_and_the_same_bytes(self):
        for source, name, media in (
            (OLD, "PHOTO", "image/jpeg"), (THIRD, "PHOTO", "image/png"), (THIRD, "SOUND", "audio/wav"), (THIRD, "KEY", "application/pgp-keys"),
            (FOURTH, "PHOTO", "image/gif"),
        ):  # fmt: skip
            (line,) = of(written(source, CardForm.V4), name)
            head, _, coded = line.value.partition(",")
            self.assertEqual((head, base64.b64decode(coded)), (f"data:{media};base64", PICTURE), name)
        self.assertEqual(of(written(THIRD, CardForm.V4), "LOGO")[0].value, "https://quay.example/l.png")

    def test_an_old_one_is_read_as_it_was_meant(self):
        entries = written(OLD, CardForm.V4)
        card = vobject.readOne(entries)
        self.assertEqual(card.fn.value, "Jürgen Quäck, Wharf")
        self.assertEqual((card.n.value.family, card.n.value.given), ("Quäck", "Jürgen"))
        self.assertEqual(card.title.value, "Kapitän; Pier 3\nnight shift")
        self.assertEqual(
            [(line.params.get("TYPE"), line.params.get("PREF")) for line in of(entries, "TEL")],
            [(["cell", "voice"], ["1"]), (["home", "fax"], None)],
        )
        self.assertEqual(of(entries, "X-BOAT")[0].value, "Grüne Wolke")
        self.assertEqual([line.name for line in lines_of(entries) if line.name in ("X-MAILER", "X-LABEL")], ["X-MAILER"])
        self.assertEqual([len(line.params["LABEL"]) for line in of(entries, "ADR")], [1], "what stood on the envelope")

    def test_units_groups_types_and_several_addresses_stay(self):
        entries = written(THIRD, CardForm.V4)
        self.assertEqual(of(entries, "ORG")[0].value, "Saltmarsh\\, Pike & Co;Survey;Boats")
        self.assertEqual([(line.group, line.value) for line in of(entries, "TEL") + of(entries, "X-ABLABEL")][:1], [("item1", "+49 40 3")])
        self.assertEqual([line.group for line in of(entries, "X-ABLABEL")], ["item1"])
        self.assertEqual([line.params["TYPE"] for line in of(entries, "ADR")], [["home", "postal"], ["work"]])
        self.assertEqual(of(entries, "ADR")[0].value, ";Flat 2;Deich 1;Ort;;25000;Deutschland")
        self.assertEqual((of(entries, "EMAIL")[0].params["TYPE"], of(entries, "EMAIL")[0].params["PREF"]), (["home"], ["1"]))
        self.assertEqual(of(entries, "N")[0].params["SORT-AS"], ["Holm"])
        self.assertEqual(
            [of(entries, name)[0].value for name in ("BDAY", "GEO", "REV", "UID")],
            ["19851026", "geo:53.5,9.9", "20260102T030405Z", "urn:uuid:7"],
        )
        self.assertEqual(of(entries, "NICKNAME")[0].value, "Fee,Fenn")
        self.assertEqual(vobject.readOne(entries).note.value, "one\ntwo, three; 東京")
        self.assertEqual(of(entries, "X-ODD")[0].params["X-P"], ["a;b"])

    def test_a_name_and_an_id_are_there_whatever_the_card_lacks(self):
        version = in_version("4.0", ["TEL:1"], uid="7,8", full_name="A, B")
        self.assertEqual(version, ["BEGIN:VCARD", "VERSION:4.0", "UID:7\\,8", "FN:A\\, B", "TEL:1", "END:VCARD"])

    def test_one_text_is_escaped_where_it_is_not_and_a_list_is_none(self):
        version = in_version(
            "4.0", ["VERSION:3.0", "FN:Holm, Fenna", "NOTE:a\\, b; c", "CATEGORIES:crew,boat", "ORG:A;B"], uid="", full_name=""
        )
        self.assertEqual(version[2:-1], ["FN:Holm\\, Fenna", "NOTE:a\\, b\\; c", "CATEGORIES:crew,boat", "ORG:A;B"])

    def test_what_may_stand_once_stands_once(self):
        version = in_version("4.0", ["FN:A", "N:A;;;;", "N:B;;;;", "BDAY:19850101", "BDAY:unknown"], uid="", full_name="")
        self.assertEqual(version[2:-1], ["FN:A", "N:A;;;;", "X-N:B;;;;", "BDAY:19850101", "X-BDAY;VALUE=text:unknown"])


class Parameters(TestCase):
    def test_one_that_stands_twice_has_the_values_of_both(self):
        for text in ("TEL;TYPE=CELL;TYPE=VOICE:1", 'TEL;TYPE="CELL";X-A="a;b:c";TYPE=VOICE:1', "TEL;CELL;VOICE:1"):
            line = parsed(text)
            assert line is not None
            self.assertEqual([word for one in line.params["TYPE"] for word in one.split(",")], ["CELL", "VOICE"], text)
        self.assertEqual(parsed('TEL;TYPE="CELL";X-A="a;b:c";TYPE=VOICE:1').params["X-A"], ["a;b:c"])

    @given(st.lists(st.sampled_from(["TYPE=cell", "TYPE=a,b", 'X-A="q;u:o"', "PREF=1", "VALUE=uri", "X-B=\\n"]), max_size=5))
    def test_the_short_way_reads_what_the_long_one_reads(self, parts):
        head = ";".join(["item1.TEL", *parts])
        whole, apart = parsed(f"{head}:v"), [parsed(f"TEL;{part}:v") for part in parts]
        seen: dict[str, list[str]] = {}
        for one in apart:
            for name, values in one.params.items():
                seen.setdefault(name, []).extend(values)
        self.assertEqual((whole.group, whole.name, whole.params, whole.value), ("item1", "TEL", seen, "v"))


class InThree(TestCase):
    def test_another_reader_finds_it_whole(self):
        for source in (OLD, THIRD, FOURTH):
            entries = written(source, CardForm.V3)
            card = vobject.readOne(entries)
            self.assertEqual(card.version.value, "3.0")
            self.assertEqual(card.photo.value, PICTURE, "its bytes")
            self.assertTrue(card.n.value.family)
            self.assertNotIn("data:", entries)
            self.assertFalse([line.name for line in lines_of(entries) if "PREF" in line.params or "CHARSET" in line.params])

    def test_what_it_has_no_property_for_goes_on_with_an_x(self):
        names = {line.name for line in lines_of(written(FOURTH, CardForm.V3))}
        self.assertLessEqual(
            {"X-KIND", "X-GENDER", "X-LANG", "X-ANNIVERSARY", "X-RELATED", "X-IMPP", "X-MEMBER", "SORT-STRING", "LABEL"}, names
        )
        entries = written(FOURTH, CardForm.V3)
        self.assertEqual((of(entries, "TEL")[0].value, of(entries, "GEO")[0].value), ("+49-40-5", "46.77;-71.28"))
        self.assertIn("pref", of(entries, "TEL")[0].params["TYPE"])

    def test_there_and_back_every_property_is_still_there(self):
        for source in (OLD, THIRD):
            first = written(source, CardForm.V4)
            again = written(written(source, CardForm.V3), CardForm.V4)
            mentions = lambda card: sorted((line.name, line.value) for line in lines_of(card) if line.name not in ("X-LABEL", "UID"))  # noqa: E731
            self.assertEqual(mentions(again), mentions(first))


class AsItCame(TestCase):
    def test_byte_for_byte_whatever_its_ends_folds_and_letters(self):
        for end in ("\r\n", "\n", "\r"):
            for source in (OLD, THIRD, FOURTH):
                content = source.replace("\r\n", end).encode()
                for piece in (1, 7, 1 << 16):
                    (block,) = cards(content[at : at + piece] for at in range(0, len(content), piece))
                    self.assertEqual(bytes(block.raw), content, (end, piece))
                record = contact(block)[1]
                keep_card(record, bytes(block.raw))
                self.assertEqual(card_bytes(record, uid="1", form=CardForm.AS_IT_CAME), content)
        latin = b"BEGIN:VCARD\nVERSION:2.1\nN:M\xfcller\nEND:VCARD\n"
        (block,) = cards([b"\xef\xbb\xbf" + b"\n" + latin + b"more"])
        record = contact(block)[1]
        keep_card(record, bytes(block.raw))
        self.assertEqual(card_bytes(record, uid="1", form=CardForm.AS_IT_CAME), latin)
        self.assertIn("FN:", card_bytes(record, uid="1").decode())

    def test_a_kept_card_that_is_none_is_not_believed(self):
        for wrong in ("no card", "BEGIN:VCARD\nFN:a\nEND:VCARD\nBEGIN:VCARD\nFN:b\nEND:VCARD\n", 7, ["x"], "BEGIN:VCARD\nFN:a\n"):
            fields = {"display": "Ada", "card": wrong}
            self.assertEqual(card_that_came(fields), b"")
            self.assertIn(b"FN:Ada", card_bytes(fields, uid="1", form=CardForm.AS_IT_CAME))
        self.assertEqual(card_that_came({"card_base64": "???"}), b"")

    def test_one_file_of_many_is_read_by_another_program(self):
        for form in CardForm:
            whole = "".join(written(source, form) for source in (THIRD, FOURTH, THIRD))
            self.assertEqual(len(list(vobject.readComponents(io.StringIO(whole)))), 3)


TEXT = st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=200)


class AnyText(TestCase):
    @given(TEXT, TEXT, st.sampled_from(list(CardForm)))
    def test_survives_in_rows_of_75_octets(self, name, note, form):
        content = card_bytes({"display": name, "note": note}, uid="1", form=form)
        self.assertTrue(all(len(row) <= 75 for row in content.split(b"\r\n")))
        for row in content.split(b"\r\n"):
            row.decode()
        (block,) = cards([content])
        record = contact(block)[1]
        self.assertEqual((record.get("display", "").strip(), record.get("note", "").strip()), (name.strip(), note.strip()))
