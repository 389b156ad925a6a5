"""Line by line, what a card of any version becomes in vCard 4.0 (RFC 6350) and in 3.0 (RFC 2426): recorded, and read line by line beside
both standards."""

from unittest import TestCase

from core.exchange.card_forms import in_version

HEAD = ["UID:u1", "FN:F", "N:F;;;;"]
LINES: tuple[tuple[str, list[str], list[str]], ...] = (
    ("PHOTO;ENCODING=b;TYPE=JPEG:AAEC", ["PHOTO:data:image/jpeg;base64,AAEC"], ["PHOTO;TYPE=JPEG;ENCODING=b:AAEC"]),
    ("PHOTO:data:image/png;base64,AAEC", ["PHOTO;VALUE=uri:data:image/png;base64,AAEC"], ["PHOTO;TYPE=PNG;ENCODING=b:AAEC"]),
    ("PHOTO:data:application/x-odd;base64,AAEC", ["PHOTO;VALUE=uri:data:application/x-odd;base64,AAEC"], ["PHOTO;ENCODING=b:AAEC"]),
    ("PHOTO;BASE64;GIF:AA EC", ["PHOTO:data:image/gif;base64,AAEC"], ["PHOTO;TYPE=GIF;ENCODING=b:AAEC"]),
    (
        "PHOTO:https://office.example/a.png",
        ["PHOTO;VALUE=uri:https://office.example/a.png"],
        ["PHOTO;VALUE=uri:https://office.example/a.png"],
    ),
    ("PHOTO:a", ["PHOTO;VALUE=text:a"], ["PHOTO:a"]),
    ("LOGO;ENCODING=b:AAEC", ["LOGO:data:image/octet-stream;base64,AAEC"], ["LOGO;ENCODING=b:AAEC"]),
    ("SOUND;TYPE=WAVE;ENCODING=B:AA==", ["SOUND:data:audio/wav;base64,AA=="], ["SOUND;TYPE=WAVE;ENCODING=b:AA=="]),
    ("KEY;TYPE=PGP;ENCODING=b:AA==", ["KEY:data:application/pgp-keys;base64,AA=="], ["KEY;TYPE=PGP;ENCODING=b:AA=="]),
    ("GEO:37.3;-122.0", ["GEO:geo:37.3,-122.0"], ["GEO:37.3;-122.0"]),
    ("GEO:geo:37.3,-122.0", ["GEO:geo:37.3,-122.0"], ["GEO:37.3;-122.0"]),
    ("GEO:over there", ["GEO:over there"], ["GEO:over there"]),
    ("BDAY:1980-02-29", ["BDAY:19800229"], ["BDAY:1980-02-29"]),
    ("BDAY:1980-02-29T08:15:00Z", ["BDAY:19800229T081500Z"], ["BDAY:1980-02-29T08:15:00Z"]),
    ("BDAY:19800229", ["BDAY:19800229"], ["BDAY:1980-02-29"]),
    ("BDAY:--0229", ["BDAY:--0229"], ["BDAY:--0229"]),
    ("BDAY:circa 1980", ["BDAY;VALUE=text:circa 1980"], ["BDAY:circa 1980"]),
    ("REV:2026-03-01T08:00:00Z", ["REV:20260301T080000Z"], ["REV:2026-03-01T08:00:00Z"]),
    ("REV:20260301T080000Z", ["REV:20260301T080000Z"], ["REV:2026-03-01T08:00:00Z"]),
    ("ANNIVERSARY:2001-05-06", ["ANNIVERSARY:20010506"], ["X-ANNIVERSARY:2001-05-06"]),
    ("ANNIVERSARY:20010506", ["ANNIVERSARY:20010506"], ["X-ANNIVERSARY:20010506"]),
    ("TEL;TYPE=CELL,PREF:+49 30", ["TEL;TYPE=cell;PREF=1:+49 30"], ["TEL;TYPE=cell,pref:+49 30"]),
    ("TEL;CELL;VOICE:1", ["TEL;TYPE=cell,voice:1"], ["TEL;TYPE=cell,voice:1"]),
    ("TEL;VALUE=uri;PREF=1;TYPE=home:tel:+49-30", ["TEL;TYPE=home;VALUE=uri;PREF=1:tel:+49-30"], ["TEL;TYPE=home,pref:+49-30"]),
    ("TEL;PREF=:1", ["TEL;PREF=:1"], ["TEL;TYPE=pref:1"]),
    ("EMAIL;INTERNET:a@b.example", ["EMAIL:a@b.example"], ["EMAIL;TYPE=internet:a@b.example"]),
    ("EMAIL;TYPE=INTERNET,pref:a@b.example", ["EMAIL;PREF=1:a@b.example"], ["EMAIL;TYPE=internet,pref:a@b.example"]),
    ("NOTE:a, b; c", ["NOTE:a\\, b\\; c"], ["NOTE:a\\, b\\; c"]),
    ("NOTE:a\\, b", ["NOTE:a\\, b"], ["NOTE:a\\, b"]),
    ("TITLE:x", ["TITLE:x"], ["TITLE:x"]),
    ("NICKNAME:a,b", ["NICKNAME:a,b"], ["NICKNAME:a,b"]),
    ("MAILER:Quill", ["X-MAILER:Quill"], ["MAILER:Quill"]),
    ("X-MAILER:Quill", ["X-MAILER:Quill"], ["MAILER:Quill"]),
    ("X-KIND:org", ["KIND:org"], ["X-KIND:org"]),
    ("KIND:org", ["KIND:org"], ["X-KIND:org"]),
    ("IMPP:xmpp:a@b.example", ["IMPP:xmpp:a@b.example"], ["X-IMPP:xmpp:a@b.example"]),
    ("X-IMPP:xmpp:a", ["IMPP:xmpp:a"], ["X-IMPP:xmpp:a"]),
    ("CLASS:PUBLIC", ["X-CLASS:PUBLIC"], ["CLASS:PUBLIC"]),
    ("X-Own-Thing:1", ["X-Own-Thing:1"], ["X-Own-Thing:1"]),
    ("x-own;x=y:1", ["x-own;X=y:1"], ["x-own;X=y:1"]),
    ("SOURCE;VALUE=url:https://a.example", ["SOURCE;VALUE=uri:https://a.example"], ["SOURCE;VALUE=uri:https://a.example"]),
    ("SOURCE;VALUE=CID:x", ["SOURCE;VALUE=CID:x"], ["SOURCE;VALUE=CID:x"]),
    ("item1.TEL;TYPE=work:5", ["item1.TEL;TYPE=work:5"], ["item1.TEL;TYPE=work:5"]),
    ('ORG;SORT-AS="Saltmarsh":The Saltmarsh', ["ORG;SORT-AS=Saltmarsh:The Saltmarsh"], ["ORG:The Saltmarsh", "SORT-STRING:Saltmarsh"]),
    (
        'ADR;TYPE=home;LABEL="1 Quay\\nTidewick":;;1 Quay;Tidewick;;;',
        ["ADR;TYPE=home;LABEL=1 Quay\\nTidewick:;;1 Quay;Tidewick;;;"],
        ["ADR;TYPE=home:;;1 Quay;Tidewick;;;", "LABEL;TYPE=home:1 Quay\\nTidewick"],
    ),
    ("ADR;ALTID=1;PID=1.1;MEDIATYPE=text/x:;;;;;;", ["ADR;ALTID=1;PID=1.1;MEDIATYPE=text/x:;;;;;;"], ["ADR:;;;;;;"]),
    ("TEL;TYPE=home;TYPE=home,fax:2", ["TEL;TYPE=home,fax:2"], ["TEL;TYPE=home,fax:2"]),
    ("NOTE;ENCODING=QUOTED-PRINTABLE;CHARSET=utf-8:a=C3=A9=0Ab", ["NOTE:aé\\nb"], ["NOTE:aé\\nb"]),
    ("GENDER:F", ["GENDER:F"], ["X-GENDER:F"]),
    ("LABEL;TYPE=dom:alone", ["X-LABEL;TYPE=dom:alone"], ["LABEL;TYPE=dom:alone"]),
    ("NAME:x", ["X-NAME:x"], ["NAME:x"]),
    ("BDAY:1980-01-01\nx", ["BDAY;VALUE=text:1980-01-01\\nx"], ["BDAY:1980-01-01\\nx"]),
)
"""(line, in 4.0, in 3.0) of a card that has all that it must have."""
CARDS: tuple[tuple[list[str], list[str], list[str]], ...] = (
    (
        ["N:Aub;Zoe;;;", "SORT-STRING:Aub,x"],
        ["UID:u1", "FN:F\\, x", 'N;SORT-AS="Aub,x":Aub;Zoe;;;'],
        ["UID:u1", "FN:F\\, x", "N:Aub;Zoe;;;", "SORT-STRING:Aub\\,x"],
    ),
    (
        ["N;SORT-AS=q:Aub;Zoe;;;", "SORT-STRING:A"],
        ["UID:u1", "FN:F\\, x", "N;SORT-AS=q:Aub;Zoe;;;", "X-SORT-STRING:A"],
        ["UID:u1", "FN:F\\, x", "N:Aub;Zoe;;;", "SORT-STRING:q", "SORT-STRING:A"],
    ),
    (
        ["SORT-STRING:A", "SORT-STRING:B", "N:x;y;;;"],
        ["UID:u1", "FN:F\\, x", "X-SORT-STRING:B", "N;SORT-AS=A:x;y;;;"],
        ["UID:u1", "FN:F\\, x", "SORT-STRING:A", "SORT-STRING:B", "N:x;y;;;"],
    ),
    (
        ["ADR;TYPE=home:;;Q;;;;", "LABEL;TYPE=home:1 Quay\\nTide"],
        ["UID:u1", "FN:F\\, x", "ADR;TYPE=home;LABEL=1 Quay\\nTide:;;Q;;;;"],
        ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "ADR;TYPE=home:;;Q;;;;", "LABEL;TYPE=home:1 Quay\\nTide"],
    ),
    (
        ["ADR;TYPE=home:;;Q;;;;", "LABEL;TYPE=work:1 Quay"],
        ["UID:u1", "FN:F\\, x", "ADR;TYPE=home:;;Q;;;;", "X-LABEL;TYPE=work:1 Quay"],
        ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "ADR;TYPE=home:;;Q;;;;", "LABEL;TYPE=work:1 Quay"],
    ),
    (
        ["a.ADR:;;Q;;;;", "LABEL:1 Quay"],
        ["UID:u1", "FN:F\\, x", "a.ADR:;;Q;;;;", "X-LABEL:1 Quay"],
        ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "a.ADR:;;Q;;;;", "LABEL:1 Quay"],
    ),
    (
        ["a.ADR:;;Q;;;;", "a.LABEL:1 Quay"],
        ["UID:u1", "FN:F\\, x", "a.ADR;LABEL=1 Quay:;;Q;;;;"],
        ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "a.ADR:;;Q;;;;", "a.LABEL:1 Quay"],
    ),
    (
        ["ADR:;;Q;;;;", "LABEL:one", "LABEL:two"],
        ["UID:u1", "FN:F\\, x", "ADR;LABEL=one:;;Q;;;;", "X-LABEL:two"],
        ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "ADR:;;Q;;;;", "LABEL:one", "LABEL:two"],
    ),
    (
        ["AGENT:", "BEGIN:VCARD", "FN:In", "BEGIN:VCARD", "FN:Inner", "END:VCARD", "END:VCARD", "FN:Out"],
        ["UID:u1", "X-AGENT:BEGIN:VCARD\\nFN:In\\nBEGIN:VCARD\\nFN:Inner\\nEND:VCARD\\nEND:VCARD", "FN:Out"],
        ["UID:u1", "N:F\\, x;;;;", "AGENT:BEGIN:VCARD\\nFN:In\\nBEGIN:VCARD\\nFN:Inner\\nEND:VCARD\\nEND:VCARD", "FN:Out"],
    ),
    (
        ["BEGIN:VCARD", "FN:In", "END:VCARD", "FN:Out"],
        ["UID:u1", "X-AGENT:BEGIN:VCARD\\nFN:In\\nEND:VCARD", "FN:Out"],
        ["UID:u1", "N:F\\, x;;;;", "AGENT:BEGIN:VCARD\\nFN:In\\nEND:VCARD", "FN:Out"],
    ),
    (["END:VCARD", "FN:Out"], ["UID:u1", "FN:Out"], ["UID:u1", "N:F\\, x;;;;", "FN:Out"]),
    (
        ["VERSION:2.1", "N:a;b", "BDAY:1", "BDAY:2", "UID:1", "UID:2"],
        ["FN:F\\, x", "N:a;b", "BDAY;VALUE=text:1", "X-BDAY;VALUE=text:2", "UID:1", "X-UID:2"],
        ["FN:F\\, x", "N:a;b", "BDAY:1", "X-BDAY:2", "UID:1", "X-UID:2"],
    ),
    (
        ["PRODID:a", "PRODID:b", "GENDER:F", "GENDER:M"],
        ["UID:u1", "FN:F\\, x", "PRODID:a", "X-PRODID:b", "GENDER:F", "X-GENDER:M"],
        ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "PRODID:a", "X-PRODID:b", "X-GENDER:F", "X-GENDER:M"],
    ),
    (["FN:Given"], ["UID:u1", "FN:Given"], ["UID:u1", "N:F\\, x;;;;", "FN:Given"]),
    (["N:a;b"], ["UID:u1", "FN:F\\, x", "N:a;b"], ["UID:u1", "FN:F\\, x", "N:a;b"]),
    (["UID:7"], ["FN:F\\, x", "UID:7"], ["FN:F\\, x", "N:F\\, x;;;;", "UID:7"]),
    (["no line"], ["UID:u1", "FN:F\\, x"], ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;"]),
    (["SORT-STRING:Aub"], ["UID:u1", "FN:F\\, x", "X-SORT-STRING:Aub"], ["UID:u1", "FN:F\\, x", "N:F\\, x;;;;", "SORT-STRING:Aub"]),
    (
        ["N;SORT-AS=Aubigne:d'Aubigne;Zoe;;;"],
        ["UID:u1", "FN:F\\, x", "N;SORT-AS=Aubigne:d'Aubigne;Zoe;;;"],
        ["UID:u1", "FN:F\\, x", "N:d'Aubigne;Zoe;;;", "SORT-STRING:Aubigne"],
    ),
)
"""(lines, in 4.0, in 3.0) of whole cards, between VERSION and END."""


class Cards(TestCase):
    def test_a_line_becomes_what_the_version_has_for_it(self):
        for line, in_4, in_3 in LINES:
            for version, wanted in (("4.0", in_4), ("3.0", in_3)):
                with self.subTest(version=version, line=line):
                    made = in_version(version, [*HEAD, line], uid="u2", full_name="x")
                    self.assertEqual(made[:5], ["BEGIN:VCARD", f"VERSION:{version}", *HEAD])
                    self.assertEqual((made[5:-1], made[-1]), (wanted, "END:VCARD"))

    def test_a_card_is_given_what_it_lacks_and_keeps_what_stands_twice(self):
        for lines, in_4, in_3 in CARDS:
            for version, wanted in (("4.0", in_4), ("3.0", in_3)):
                with self.subTest(version=version, lines=lines):
                    made = in_version(version, lines, uid="u1", full_name="F, x")
                    self.assertEqual(made, ["BEGIN:VCARD", f"VERSION:{version}", *wanted, "END:VCARD"])
