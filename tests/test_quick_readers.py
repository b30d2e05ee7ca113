"""Readers that were made fast say what the slow ones say: the standard library's classes, plain patterns, exact fractions."""

# Rooms: declare/kinds, declare/formats, codegen

from __future__ import annotations

import ipaddress
import math
import re
from decimal import Decimal
from fractions import Fraction
from random import Random
from typing import Annotated, Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dutiful_gate import Email, Gate, Hostname, it
from dutiful_gate.declare.formats.judges import HOST, PATTERNS
from dutiful_gate.declare.formats.table import JUDGES

ADDRESSES = [
    "192.0.2.7",
    "255.255.255.255",
    "0.0.0.0",
    "1.2.3",
    "1.2.3.4.5",
    "01.2.3.4",
    "1.2.3.256",
    "::",
    "::1",
    "1::",
    "2001:db8::7",
    "1:2:3:4:5:6:7:8",
    "1:2:3:4:5:6:7::",
    "::2:3:4:5:6:7:8",
    "1::3:4:5:6:7:8",
    "1:2:3::5:6:7:8:9",
    "::ffff:192.0.2.7",
    "1:2:3:4:5:6:192.0.2.7",
    "64:ff9b::192.0.2.7",
    "1::2::3",
    "12345::",
    ":::",
    ":1::",
    "1:",
    "0x01::7",
    "::0x1",
    "1_0::",
    "+1::",
    "::g",
    "::192.0.2.07",
    "192.0.2.7::",
    "192.0.2.0/24",
    "192.0.2.1/24",
    "192.0.2.0/33",
    "192.0.2.0/024",
    "192.0.2.0/255.255.255.0",
    "192.0.2.0/0.0.0.255",
    "192.0.2.0/255.0.255.0",
    "192.0.2.0/",
    "/24",
    "0.0.0.0/0",
    "0.0.0.0/0.0.0.0",
    "2001:db8::/32",
    "2001:db8::1/32",
    "::/0",
    "::/129",
    "::/",
    "1:2::/128",
    "::192.0.2.0/96",
    "192.0.2.0/+8",
    "192.0.2.0/8_",
    "::/0x1",
    "192.0.2.0/٢",
]
URLS = ["https://quays.example/berths?day=4#crates", "http://desk:pw@quays.example:80/%20/?q=/?#f/?", "urn:crate:7", "//a/b", "/a//b", "a/b:c", "mailto:desk@quays.example", "http://[::1]:3/", "http://[v1.a:b]/", "http://é.example/ü", "http:", "http://", "?a", "#b", "a:", "%41", "%4", "a%zz", "http://a:b:c/", "x[y", "http://a@b@c/", "a#b#c"]  # fmt: skip
HOSTS = [
    "quays.example",
    "a-b.c-d",
    "-a",
    "a-",
    "a.-b",
    "a-.b",
    "a..b",
    ".a",
    "a.",
    "x_y",
    "q",
    "1.2.3.4",
    "x" * 63 + ".a",
    "x" * 64 + ".a",
]
MAILS = [
    "desk@quays.example",
    '"a b"@c',
    "a@-b",
    "a@b-",
    "a..b@c",
    "a@[192.0.2.7]",
    "a@[IPv6:::1]",
    "a@b..c",
    '"a\\"@b',
]
SIGNS = '0123456789abcdefgxABZ:./-_+%@[]?#="\\ ~\n\u00e9\u0663'


def misspelt(texts: list[str], seed: int) -> str:
    """One of the texts, with a few signs put in, left out or put in the place of others."""
    random = Random(seed)
    text = random.choice(texts)
    for _ in range(random.choice([0, 1, 1, 2, 3])):
        at = random.randrange(len(text) + 1)
        sign = random.choice(SIGNS)
        text = random.choice(
            [text[:at] + sign + text[at:], text[:at] + text[at + 1 :], text[:at] + sign + text[at + 1 :]]
        )
    return text


@pytest.mark.parametrize(
    "name", ["IPv4Address", "IPv6Address", "IPv4Network", "IPv6Network", "IPv4Interface", "IPv6Interface"]
)
def test_addresses_are_those_of_the_standard_library(name: str) -> None:
    make = getattr(ipaddress, name)
    gate: Gate[Any] = Gate(make)
    found = 0
    for seed in range(1500):
        text = ADDRESSES[seed] if seed < len(ADDRESSES) else misspelt(ADDRESSES, seed)
        try:
            known = make(text) if "%" not in text else None
        except ValueError:
            known = None
        verdict = gate.examine(text)
        assert (verdict.value if verdict else None) == known, text
        found += known is not None
    assert found > 30


@pytest.mark.parametrize("name", ["uri", "uri-reference", "iri", "iri-reference"])
def test_references_are_those_of_the_plain_pattern(name: str) -> None:
    """The pattern that a document spells a format out with has no words that only this package's matcher knows."""
    plain, judge = re.compile(PATTERNS[name]), JUDGES[name][1]
    for seed in range(1500):
        text = misspelt(URLS, seed)
        if "[" not in text:  # what stands in brackets is an address, which the pattern does not look into
            assert judge(text) == (plain.fullmatch(text) is not None), text


def test_host_names_and_mailboxes_are_those_of_the_plain_patterns() -> None:
    hosts = Gate(Hostname)
    host, label = re.compile(HOST), re.compile("[Xx][Nn]--")
    for seed in range(1500):
        text = misspelt(HOSTS, seed)
        if label.search(text) is None:
            assert hosts.accepts(text) == (host.fullmatch(text) is not None and len(text) <= 253), text
    mailboxes = Gate(Email)
    spelled = mailboxes.schema(formats="spell-out")["pattern"]
    for seed in range(1500):
        text = misspelt(MAILS, seed)
        if "[" not in text:
            assert mailboxes.accepts(text) == (re.fullmatch(spelled[1:-1], text) is not None), text


@given(
    st.sampled_from([0.01, 0.1, 0.5, 0.05, 2.5, 1e-7, 3, 7, 1e10, 0.3, 1e-15, 1e-20, 123456.789, Decimal("0.05")]),
    st.integers(-(10**17), 10**17) | st.integers(-(10**4), 10**4) | st.floats(allow_nan=False, allow_infinity=False),
    st.sampled_from([0, 0, 0, 1, -1]),
)
def test_multiples_are_those_of_exact_fractions(step: Any, count: float, moved: int) -> None:
    value = float(count) if isinstance(count, float) else float(Fraction(str(step)) * count)
    value = math.nextafter(value, moved * math.inf) if moved else value
    if abs(value) < 1e300:
        exact = Fraction(repr(value)) % Fraction(str(step)) == 0
        assert Gate(Annotated[float, it.multiple_of(step)]).accepts(value) is exact, value
