"""The formats of the JSON Schema standard, a row each. A grammar to compare with is in `prove/second_opinion.py`."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final, NamedTuple

from . import judges
from .email import ADDRESS, USUAL, is_email, is_rare_email
from .judges import HOST, PATTERNS, judge_of


class Format(NamedTuple):
    """All that is known of a format.

    `phrase`    what a reader is told it should be
    `judge`     whether a text is of it
    `examples`  texts of it, as the freight office of the demo data would have them
    `pattern`   what such a text looks like, as far as an expression can tell: it admits more, never less; "" for none
    `exact`     whether the pattern says all of it
    `usual`     what most texts of it look like: an expression that only texts of it match; "" for none
    `rare`      the judge of texts that do not
    """

    phrase: str
    judge: Callable[[str], bool]
    examples: tuple[str, ...]
    pattern: str = ""
    exact: bool = False
    usual: str = ""
    rare: Callable[[str], bool] | None = None


_DAYS = (
    "(?:[0-9]{4}-(?:(?:0[13578]|1[02])-(?:0[1-9]|[12][0-9]|3[01])|(?:0[469]|11)-(?:0[1-9]|[12][0-9]|30)|"
    "02-(?:0[1-9]|1[0-9]|2[0-8]))|(?:[0-9]{2}(?:0[48]|[2468][048]|[13579][26])|(?:[02468][048]|[13579][26])00)-02-29)"
)
_OFFSET = "(?:[Zz]|[+-](?:[01][0-9]|2[0-3]):[0-5][0-9])"
_CLOCK = r"(?:[01][0-9]|2[0-3]):[0-5][0-9]:(?:[0-5][0-9]|60)(?:\.[0-9]+)?"
_BYTE = "(?:25[0-5]|2[0-4][0-9]|1[0-9]{2}|[1-9]?[0-9])"
_IPV4 = rf"{_BYTE}(?:\.{_BYTE}){{3}}"
_H16 = "[0-9A-Fa-f]{1,4}"
_LAST = f"(?:{_H16}:{_H16}|{_IPV4})"
_IPV6 = "|".join(
    [
        f"(?:{_H16}:){{6}}{_LAST}",
        f"::(?:{_H16}:){{5}}{_LAST}",
        *(f"(?:{_H16}(?::{_H16}){{0,{left}}})?::(?:{_H16}:){{{4 - left}}}{_LAST}" for left in range(5)),
        f"(?:{_H16}(?::{_H16}){{0,5}})?::{_H16}",
        f"(?:{_H16}(?::{_H16}){{0,6}})?::",
    ]
)

FORMATS: Final[dict[str, Format]] = {
    "date": Format(
        "a date, such as 2026-05-04",
        judges.is_date,
        ("2026-05-04", "2026-12-31"),
        _DAYS,
    ),
    "date-time": Format(
        "a date-time, such as 2026-05-04T09:30:00Z",
        judges.is_date_time,
        ("2026-05-04T09:30:00Z", "2026-05-04T11:45:00+02:00"),
        f"{_DAYS}[Tt]{_CLOCK}{_OFFSET}",
    ),
    "time": Format(
        "a time with an offset, such as 09:30:00Z",
        judges.is_time,
        ("09:30:00Z", "23:59:59+01:00"),
        PATTERNS["time"],
    ),
    "duration": Format(
        "a duration, such as P1DT12H",
        judge_of("duration"),
        ("PT2H15M", "P1DT12H"),
        PATTERNS["duration"],
        exact=True,
    ),
    "email": Format(
        "an email address, such as name@mail.example",
        is_email,
        ("name@mail.example", "first.last+note@mail.example", "a@b.mail.example"),
        ADDRESS,
        usual=USUAL,
        rare=is_rare_email,
    ),
    "idn-email": Format(
        "an email address",
        judges.is_idn_email,
        ("name@mail.example", "größe@mail.example"),
    ),
    "hostname": Format(
        "a host name, such as host.example",
        judges.is_hostname,
        ("host.example", "a-7.host.example"),
        HOST,
    ),
    "idn-hostname": Format(
        "a host name",
        judges.is_idn_hostname,
        ("host.example", "größe.example"),
    ),
    "ipv4": Format(
        "an IPv4 address, such as 192.0.2.7",
        judges.is_ipv4,
        ("192.0.2.7", "198.51.100.24"),
        _IPV4,
        exact=True,
    ),
    "ipv6": Format(
        "an IPv6 address, such as 2001:db8::7",
        judges.is_ipv6,
        ("2001:db8::7", "2001:db8:0:1::24"),
        _IPV6,
    ),
    "uri": Format(
        "a URI, such as https://host.example/page",
        judges.is_uri,
        ("https://host.example/page", "https://host.example/page?day=4#noon"),
        PATTERNS["uri"],
    ),
    "uri-reference": Format(
        "a URI or a relative reference, such as /page",
        judge_of("uri-reference"),
        ("/page/7", "https://host.example/page"),
        PATTERNS["uri-reference"],
    ),
    "iri": Format(
        "an IRI",
        judge_of("iri"),
        ("https://host.example/größe",),
        PATTERNS["iri"],
    ),
    "iri-reference": Format(
        "an IRI or a relative reference",
        judge_of("iri-reference"),
        ("/fähren/7",),
        PATTERNS["iri-reference"],
    ),
    "uuid": Format(
        "a UUID, such as 5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
        judge_of("uuid"),
        ("5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "0b0e5c2e-94f0-4c0e-8a1b-7f4e5a6c1d2b"),
        PATTERNS["uuid"],
        exact=True,
    ),
    "uri-template": Format(
        "a URI template, such as /page/{number}",
        judge_of("uri-template"),
        ("/page/{number}",),
        PATTERNS["uri-template"],
        exact=True,
    ),
    "json-pointer": Format(
        "a JSON Pointer, such as /items/0",
        judge_of("json-pointer"),
        ("/items/0", ""),
        PATTERNS["json-pointer"],
        exact=True,
    ),
    "relative-json-pointer": Format(
        "a relative JSON Pointer, such as 1/items",
        judge_of("relative-json-pointer"),
        ("1/items", "0#"),
        PATTERNS["relative-json-pointer"],
        exact=True,
    ),
    "regex": Format(
        "a regular expression",
        judges.is_regex,
        ("^[A-Z]{3}$",),
    ),
}
"""By the name that the standard gives them."""
JUDGES: Final = {name: (row.phrase, row.judge) for name, row in FORMATS.items()}
"""What a reader is told of each, and the function that judges it."""
