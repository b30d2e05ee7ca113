"""The catalogue of German: `with speaking(GERMAN): ...`."""

from __future__ import annotations

from .catalogue import Catalogue

_UNITS = {
    "character": "Zeichen",
    "characters": "Zeichen",
    "item": "Eintrag",
    "items": "Einträge",
    "key": "Schlüssel",
    "keys": "Schlüssel",
    "byte": "Byte",
    "bytes": "Byte",
}
_COUNTS = {
    "at most {ceiling}": "höchstens {ceiling}",
    "at least {floor}": "mindestens {floor}",
    "exactly {floor}": "genau {floor}",
    "{floor} to {ceiling}": "{floor} bis {ceiling}",
    "a length other than {barred}": "eine andere Zahl als {barred}",
    "exactly {exactly}": "genau {exactly}",
}
_COUNTED = {
    f"{count} {unit}": f"{german_count} {german_unit}"
    for count, german_count in _COUNTS.items()
    for unit, german_unit in _UNITS.items()
}

_WRITTEN = {
    "a UUID": ("eine UUID", "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e"),
    "binary data in base64": ("Binärdaten in Base64", "Y3JhdGU="),
    "a time of day": ("eine Uhrzeit", "09:30:00"),
    "a duration (ISO 8601)": ("eine Dauer (ISO 8601)", "PT1H30M"),
    "a path": ("einen Pfad", "manifests/today.csv"),
    "the name of a time zone": ("den Namen einer Zeitzone", "Europe/London"),
    "an IPv4 address": ("eine IPv4-Adresse", "192.0.2.7"),
    "an IPv6 address": ("eine IPv6-Adresse", "2001:db8::7"),
    "an IPv4 network": ("ein IPv4-Netz", "192.0.2.0/24"),
    "an IPv6 network": ("ein IPv6-Netz", "2001:db8::/32"),
    "an IPv4 address with its network": ("eine IPv4-Adresse mit ihrem Netz", "192.0.2.7/24"),
    "an IPv6 address with its network": ("eine IPv6-Adresse mit ihrem Netz", "2001:db8::7/32"),
}
_EXAMPLES = {
    f"{phrase}{as_text}, such as {example}": f"{german}{als_text}, etwa {example}"
    for phrase, (german, example) in _WRITTEN.items()
    for as_text, als_text in (("", ""), (" as text", " als Text"))
}

_PHRASES = {
    "text": "Text",
    "a whole number": "eine ganze Zahl",
    "a number": "eine Zahl",
    "true or false": "true oder false",
    "null": "null",
    "a date": "ein Datum",
    "a date-time": "einen Zeitpunkt",
    "a date-time without an offset": "einen Zeitpunkt ohne Zeitverschiebung",
    "a list": "eine Liste",
    "a record": "einen Datensatz",
    "a value": "einen Wert",
    "one of a few values": "einen von wenigen Werten",
    "a JSON value": "einen JSON-Wert",
    **{phrase: german for phrase, (german, _) in _WRITTEN.items()},
}

_RULES = {
    "{phrase} of at least {floor}": "{phrase} ab {floor}",
    "{phrase} above {floor}": "{phrase} über {floor}",
    "{phrase} no earlier than {floor}": "{phrase} nicht vor {floor}",
    "{phrase} later than {floor}": "{phrase} nach {floor}",
    "{phrase} of at most {ceiling}": "{phrase} bis {ceiling}",
    "{phrase} below {ceiling}": "{phrase} unter {ceiling}",
    "{phrase} no later than {ceiling}": "{phrase} nicht nach {ceiling}",
    "{phrase} earlier than {ceiling}": "{phrase} vor {ceiling}",
    "{phrase} from {floor} to {ceiling}": "{phrase} von {floor} bis {ceiling}",
    "{constant}": "{constant}",
    "anything but {constant}": "alles außer {constant}",
    "one of {choices}": "eins von {choices}",
    "one of these: {options}": "eins hiervon: {options}",
    "a multiple of {step}": "ein Vielfaches von {step}",
    "a value that {step} can take": "einen Wert, den {step} nehmen kann",
    "text that matches {pattern}": "Text, der {pattern} entspricht",
    "text in which {pattern} is found": "Text, in dem {pattern} vorkommt",
    "text that begins with {affix}": "Text, der mit {affix} beginnt",
    "text that ends with {affix}": "Text, der auf {affix} endet",
    "text that holds {held}": "Text, der {held} enthält",
    "{held} among the items": "{held} unter den Einträgen",
    "items that differ": "Einträge, die sich unterscheiden",
    "items that differ in {key}": "Einträge, die sich in {key} unterscheiden",
    "a value that passes {check}": "einen Wert, der {check} besteht",
    "a record that passes {check}": "einen Datensatz, der {check} besteht",
    "a value that can be read": "einen lesbaren Wert",
    "a sound record": "einen stimmigen Datensatz",
    "a value above {other}": "einen Wert über {other}",
    "a value below {other}": "einen Wert unter {other}",
    "a value of at least {other}": "einen Wert ab {other}",
    "a value of at most {other}": "einen Wert bis {other}",
    "a value later than {other}": "einen Wert nach {other}",
    "a value earlier than {other}": "einen Wert vor {other}",
    "a value no earlier than {other}": "einen Wert nicht vor {other}",
    "a value no later than {other}": "einen Wert nicht nach {other}",
    "a value equal to {other}": "einen Wert gleich {other}",
    "a value different from {other}": "einen anderen Wert als {other}",
    "{left} above {other}": "{left} über {other}",
    "{left} below {other}": "{left} unter {other}",
    "{left} of at least {other}": "{left} ab {other}",
    "{left} of at most {other}": "{left} bis {other}",
    "{left} later than {other}": "{left} nach {other}",
    "{left} earlier than {other}": "{left} vor {other}",
    "{left} no earlier than {other}": "{left} nicht vor {other}",
    "{left} no later than {other}": "{left} nicht nach {other}",
    "{left} equal to {other}": "{left} gleich {other}",
    "{left} different from {other}": "{left} verschieden von {other}",
    "a value, since {given} has one": "einen Wert, da {given} einen hat",
    "a value when {condition}": "einen Wert, wenn {condition}",
    "no value when {condition}": "keinen Wert, wenn {condition}",
    "at least one of {names}": "mindestens eins von {names}",
    "at most one of {names}": "höchstens eins von {names}",
    "exactly one of {names}": "genau eins von {names}",
    "all of {names}, or none": "alle von {names} oder keins",
    "one value": "einen einzigen Wert",
    "each key once": "jeden Schlüssel nur einmal",
    "at most {most} of them": "höchstens {most} davon",
    "text to split": "Text zum Aufteilen",
    "lists and records at most {most} deep": "Listen und Datensätze, höchstens {most} tief",
    "lists and records that are not as deep": "weniger tiefe Listen und Datensätze",
}

_READINGS = {
    "text without lone surrogates (RFC 8259, section 8.2)": "Text ohne einzelne Surrogate (RFC 8259, Abschnitt 8.2)",
    "a whole number in ASCII digits, such as 42": "eine ganze Zahl in ASCII-Ziffern, etwa 42",
    "a number in ASCII digits, such as 42 or 3.14": "eine Zahl in ASCII-Ziffern, etwa 42 oder 3.14",
    "a number of at most 4300 digits": "eine Zahl von höchstens 4300 Ziffern",
    "a number of at most {most} digits": "eine Zahl von höchstens {most} Ziffern",
    "a finite number, as a double holds it": "eine endliche Zahl, wie ein Double sie hält",
    "finite numbers, as a double holds them": "endliche Zahlen, wie ein Double sie hält",
    "a finite number": "eine endliche Zahl",
    "a decimal number in ASCII digits, such as 12.50": "eine Dezimalzahl in ASCII-Ziffern, etwa 12.50",
    "a decimal number with an exponent from -4300 to 4300": "eine Dezimalzahl mit einem Exponenten von -4300 bis 4300",
    "true or false, 1 or 0, yes or no, on or off": "true oder false, 1 oder 0, yes oder no, on oder off",
    "a date-time as text, such as 2026-05-04T09:30:00Z": "einen Zeitpunkt als Text, etwa 2026-05-04T09:30:00Z",
    "a date-time with an offset (RFC 3339), such as 2026-05-04T09:30:00Z": (
        "einen Zeitpunkt mit Zeitverschiebung (RFC 3339), etwa 2026-05-04T09:30:00Z"
    ),
    "a date-time with an offset, such as Z or +02:00": "einen Zeitpunkt mit Zeitverschiebung, etwa Z oder +02:00",
    "a date-time that the calendar has": "einen Zeitpunkt, den es im Kalender gibt",
    "a date-time with a second from 00 to 59, or 60 at 23:59 UTC": (
        "einen Zeitpunkt mit einer Sekunde von 00 bis 59, oder 60 um 23:59 UTC"
    ),
    "a key without blanks around it": "einen Schlüssel ohne Leerzeichen davor und danach",
    "a value that {keyword} does not describe": "einen Wert, den {keyword} nicht beschreibt",
    "anything but {choices}": "alles außer {choices}",
    "exactly one of {count} alternatives": "genau eine von {count} Möglichkeiten",
    "no item here": "hier keinen Eintrag",
    "no value for {names}": "keinen Wert für {names}",
    "no value here": "hier keinen Wert",
    "text that holds {content}": "Text, der {content} enthält",
    "text without blanks at its ends": "Text ohne Leerzeichen an den Enden",
    "at least {floor} of its items to be as the document's contains has them": (
        "mindestens {floor} Einträge, wie sie das contains des Dokuments verlangt"
    ),
    "at most {ceiling} of its items to be as the document's contains has them": (
        "höchstens {ceiling} Einträge, wie sie das contains des Dokuments verlangt"
    ),
    "a date-time without an offset, such as 2026-05-04T09:30:00": (
        "einen Zeitpunkt ohne Zeitverschiebung, etwa 2026-05-04T09:30:00"
    ),
    "a date-time in UTC, such as 2026-05-04T09:30:00Z": "einen Zeitpunkt in UTC, etwa 2026-05-04T09:30:00Z",
    "a date as text, such as 2026-05-04": "ein Datum als Text, etwa 2026-05-04",
    "a date (RFC 3339), such as 2026-05-04": "ein Datum (RFC 3339), etwa 2026-05-04",
    "a date that the calendar has": "ein Datum, das es im Kalender gibt",
    "a text of at most {most} bytes": "einen Text von höchstens {most} Byte",
    "at most {most} bytes of CBOR": "höchstens {most} Byte CBOR",
    "CBOR (RFC 8949)": "CBOR (RFC 8949)",
    "text in UTF-8": "Text in UTF-8",
    "nothing after the JSON value": "nichts nach dem JSON-Wert",
    "a comma or }": "ein Komma oder }",
    "a comma or ]": "ein Komma oder ]",
    "another key after the comma": "noch einen Schlüssel nach dem Komma",
    "another item after the comma": "noch einen Eintrag nach dem Komma",
    "a key in double quotes": "einen Schlüssel in doppelten Anführungszeichen",
    "a key in double quotes, or }": "einen Schlüssel in doppelten Anführungszeichen, oder }",
    "a colon after the key": "einen Doppelpunkt nach dem Schlüssel",
    "an escape that JSON has": "eine Maskierung, die JSON kennt",
    "a closing double quote": "ein schließendes Anführungszeichen",
    "control characters as escapes, such as \\n": "Steuerzeichen in maskierter Form, etwa \\n",
    "a number as JSON writes it": "eine Zahl, wie JSON sie schreibt",
    "a number that JSON has": "eine Zahl, die JSON kennt",
    "a number with an exponent that can be held": "eine Zahl mit einem Exponenten, der zu halten ist",
}

_FORMATS = {
    "an email address, such as desk@ternsound.example": "eine E-Mail-Adresse, etwa desk@ternsound.example",
    "an email address": "eine E-Mail-Adresse",
    "a web address, such as https://quays.example/berths": "eine Webadresse, etwa https://quays.example/berths",
    "a host name, such as quays.example": "einen Hostnamen, etwa quays.example",
    "a host name": "einen Hostnamen",
    "words of small letters and digits with hyphens, such as marrow-isle": (
        "Wörter aus Kleinbuchstaben und Ziffern mit Bindestrichen, etwa marrow-isle"
    ),
    "a date, such as 2026-05-04": "ein Datum, etwa 2026-05-04",
    "a date-time, such as 2026-05-04T09:30:00Z": "einen Zeitpunkt, etwa 2026-05-04T09:30:00Z",
    "a time with an offset, such as 09:30:00Z": "eine Uhrzeit mit Zeitverschiebung, etwa 09:30:00Z",
    "a duration, such as P1DT12H": "eine Dauer, etwa P1DT12H",
    "an IPv4 address, such as 192.0.2.7": "eine IPv4-Adresse, etwa 192.0.2.7",
    "an IPv6 address, such as 2001:db8::7": "eine IPv6-Adresse, etwa 2001:db8::7",
    "a URI, such as https://quays.example/berths": "eine URI, etwa https://quays.example/berths",
    "a URI or a relative reference, such as /berths": "eine URI oder einen relativen Verweis, etwa /berths",
    "an IRI": "eine IRI",
    "an IRI or a relative reference": "eine IRI oder einen relativen Verweis",
    "a UUID, such as 5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e": "eine UUID, etwa 5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
    "a URI template, such as /berths/{number}": "eine URI-Vorlage, etwa /berths/{number}",
    "a JSON Pointer, such as /crates/0": "einen JSON Pointer, etwa /crates/0",
    "a relative JSON Pointer, such as 1/crates": "einen relativen JSON Pointer, etwa 1/crates",
    "a regular expression": "einen regulären Ausdruck",
}

_CAME = {
    "needs": "braucht",
    "got": "bekam",
    "none came": "es kam keiner",
    "the text": "den Text",
    "a hidden value": "einen verborgenen Wert",
    "is not a known key": "ist kein bekannter Schlüssel",
    "did you mean": "gemeint war wohl",
    "several": "mehrere",
    "it again": "ihn noch einmal",
    "one of them again": "einen davon noch einmal",
    "deeper ones": "tiefere",
    "the end of the text": "das Ende des Textes",
    "other bytes": "andere Bytes",
    "a larger one": "einen größeren",
    "none": "keinen",
    "one": "einen",
    "some": "einige",
    "another number": "eine andere Anzahl",
    "a value of another kind": "einen Wert anderer Art",
    "a list of {count} item": "eine Liste mit {count} Eintrag",
    "a list of {count} items": "eine Liste mit {count} Einträgen",
    "a record of {count} key": "einen Datensatz mit {count} Schlüssel",
    "a record of {count} keys": "einen Datensatz mit {count} Schlüsseln",
    "a collection of {count} item": "eine Sammlung mit {count} Eintrag",
    "a collection of {count} items": "eine Sammlung mit {count} Einträgen",
    "a number of about {count} digits": "eine Zahl von etwa {count} Ziffern",
}

GERMAN = Catalogue("de", {**_PHRASES, **_COUNTED, **_EXAMPLES, **_RULES, **_READINGS, **_FORMATS, **_CAME})
"""Messages in German."""
