"""Patterns of documents mean what ECMA-262 says, as a real engine of it says too, and cost little on hostile text."""

# Rooms: regex

from __future__ import annotations

import json
import re
import subprocess
import sys
import warnings
from pathlib import Path

import pytest

import dutiful_gate
from dutiful_gate.regex import backtracking
from dutiful_gate.regex.cost import guarded
from dutiful_gate.regex.from_ecma import NoPattern, read_ecma
from dutiful_gate.regex.search import ecma_search
from dutiful_gate.regex.unicode_properties import VERSION, property_class, property_ranges
from ecma_patterns import NO_NODE, NODE, by_node, disagreements, expressions

needs_node = pytest.mark.skipif(NODE is None, reason=NO_NODE)

CASES = Path(__file__).parent / "cases" / "patterns.json"
FOUND = [(case["schema"]["pattern"], case["valid"], case["invalid"]) for case in json.loads(CASES.read_text())]
COUNTED = [
    (r"^a{110000}$", ["a" * 110_000], ["a" * 109_999]),
    (r"^(a)?\1{3000}b$", ["b", "a" * 3001 + "b"], ["a" * 3000 + "b"]),
]


@pytest.mark.parametrize(("pattern", "found", "missed"), [*FOUND, *COUNTED])
def test_what_a_pattern_finds(pattern: str, found: list[str], missed: list[str]) -> None:
    search = ecma_search(pattern)
    assert [text for text in found if search(text) is None] == []
    assert [text for text in missed if search(text) is not None] == []


NO_PATTERNS = [
    (r"(?<a>x)(?<a>y)", "two groups are called 'a'"),
    (r"(x)\2", "there is no group 2"),
    (r"\k<tide>(?<berth>x)", "there is no group called 'tide'"),
    (r"(?<\u{110000}>x)", "is no name"),
    (r"(?<1a>x)", "opens no group"),
    (r"x{3,1}", "the numbers of {3,1} stand the wrong way round"),
    (r"[z-a]", "the range z-a stands the wrong way round"),
    (r"^*", "nothing to repeat"),
    (r"(?<=a)?", "nothing to repeat"),
    (r"\p{Latin}", "no Unicode property 'Latin'"),
    (r"\p", "needs a Unicode property"),
    ("(" * 500 + ")" * 500, "nest too deep"),
    (r"\u{1234567}", "there is no character"),
    ("[a", "is not closed"),
    ("(a", "is not closed"),
    ("a)", "never opened"),
    ("\\", "ends with a backslash"),
]


@pytest.mark.parametrize(("pattern", "why"), NO_PATTERNS)
def test_what_is_no_pattern_is_told_why(pattern: str, why: str) -> None:
    with pytest.raises(NoPattern, match=re.escape(why)):
        ecma_search(pattern)


@needs_node
@pytest.mark.parametrize("seed", range(2))
def test_a_real_engine_agrees(seed: int) -> None:
    assert disagreements(list(expressions(seed, 700))) == []


@needs_node
def test_the_table_of_patterns_agrees_with_a_real_engine() -> None:
    shared = [(pattern, [*found, *missed]) for pattern, found, missed in FOUND if _is_strict(pattern)]
    assert len(shared) > 30
    assert disagreements(shared) == []


@needs_node
@pytest.mark.parametrize("unrolled", [0, 300])
def test_our_own_matcher_agrees_with_a_real_engine_on_every_pattern(
    unrolled: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also where the interpreter's would do, and with every round of a repeat counted instead of written out."""
    monkeypatch.setattr(backtracking, "_MOST_UNROLLED", unrolled)
    asked = [each for each in expressions(9, 500) if _is_strict(each[0])]
    for (pattern, texts), theirs in zip(asked, by_node(asked), strict=True):
        assert theirs is not None
        match = backtracking.Backtracker(read_ecma(pattern, strict=True), 0, whole=False, ecma=True).match
        assert [match(text) for text, said in zip(texts, theirs, strict=True) if said is not None] == [
            said for said in theirs if said is not None
        ], pattern


def test_repeats_within_repeats_are_counted() -> None:
    search = ecma_search("^((a{9}){9}){9}$")
    assert [size for size in (728, 729, 730) if search("a" * size)] == [729]
    assert ecma_search("^(((((a{9}){9}){9}){9}){9}){9}$")("a" * 100) is None


def _is_strict(pattern: str) -> bool:
    try:
        read_ecma(pattern, strict=True)
    except NoPattern:
        return False
    # Names that two groups share are newer than some engines; the other one keeps them busy for ever.
    return "day" not in pattern and "{60}" not in pattern


TABLE = Path(dutiful_gate.__file__).with_name("regex") / "unicode.txt"
NAMES = [line.split("|")[:2] for line in TABLE.read_text().splitlines() if line[0] != "#"]
EXPRESSIONS = [
    form.format(name)
    for kind, names in NAMES
    for name in names.split(" ")
    for form in {"is": ["{}"], "gc": ["{}", "gc={}"], "sc": ["Script={}", "scx={}"], "scx": ["Script_Extensions={}"]}[kind]
] + ["L", "LC", "Letter", "M", "Combining_Mark", "N", "P", "punct", "S", "Z", "C", "gc=C", "Cn", "Unassigned", "Any", "ASCII", "Assigned",
     "Script=Unknown", "sc=Qaai", "sc=Qaac", "General_Category=Cased_Letter"]  # fmt: skip
REFUSED = [
    "Latin",
    "Greek",
    "letter",
    "l",
    "gc",
    "sc=greek",
    "InGreek",
    "Block=Basic_Latin",
    "Line_Break=AL",
    "gc=Emoji",
    "sc=L",
    "Composition_Exclusion",
]


@needs_node
def test_every_unicode_property_is_that_of_a_real_engine() -> None:
    """At a third of the edges of all ranges, on code points that are assigned in both editions."""
    made = {name: property_ranges(name) for name in EXPRESSIONS}
    assert len(made) > 700
    edges = {
        edge
        for ranges in made.values()
        for pair in ranges or ()
        for low, high in [pair]
        for edge in (low - 1, low, high, high + 1)
    }
    unassigned = re.compile(f"[{property_class('Cn')}]").fullmatch
    known = [
        chr(code)
        for code in sorted(edges)
        if code % 3 == 0 and 0 <= code <= 0x10FFFF and not 0xD800 <= code < 0xE000 and not unassigned(chr(code))
    ]
    assert len(known) > 2000
    asked = [*[(rf"\p{{{name}}}", known) for name in [*made, *REFUSED]], (r"\p{Cn}", known)]
    *judged, missing = by_node([(f"^{pattern}$", texts) for pattern, texts in asked])
    assert missing is not None
    both = [at for at, each in enumerate(missing) if not each]
    compared: dict[object, list[bool | None]] = {}
    for (name, ranges), theirs in zip([*made.items(), *((name, None) for name in REFUSED)], judged, strict=True):
        assert (ranges is None) is (theirs is None), name
        if ranges is None or theirs is None or name in ("Cn", "Unassigned", "C", "gc=C", "Assigned"):
            continue
        if ranges in compared:
            assert theirs == compared[ranges], f"{name} is another name"
            continue
        compared[ranges] = theirs
        ours = re.compile(f"[{property_class(name)}]" if ranges else "(?!)").fullmatch
        wrong = [known[at] for at in both if (ours(known[at]) is not None) is not theirs[at]]
        assert wrong == [], (name, wrong[:5], VERSION)


def test_the_slower_way_agrees_with_the_interpreter() -> None:
    """Also for what groups took, which means something else to `re` than to ECMA-262."""
    judged = 0
    for pattern, texts in expressions(5, 900):
        said = re.sub(r"\\k<(n\d+)>", r"(?P=\1)", pattern.replace("(?<n", "(?P<n"))
        for flags in (re.NOFLAG, re.IGNORECASE, re.MULTILINE | re.ASCII):
            try:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    compiled = re.compile(said, flags)
            except (re.error, OverflowError):
                continue
            for whole, plain in ((True, compiled.fullmatch), (False, compiled.search)):
                ours = guarded(compiled, whole=whole)
                for text in texts:
                    judged += 1
                    assert (ours(text) is None) is (plain(text) is None), (said, flags, whole, text)
    assert judged > 10_000


HOSTILE = [
    (r"^(a*)*\1b$", "a"), (r"^(a|a)*\1$", "a"), (r"(a+)+\1+b", "a"), (r"^(?:a?){40}a{40}\1()$", "a"), (r"(?<=(a+)+\1)b", "a"), (r"^(.*)(.*)(.*)\1\2\3x", "ab"),
    (r"^(([a-z])+.)+[A-Z]([a-z])+$", "a"), (r"^(?:(a)|(b)|(ab))*\1\2\3$", "ab"), (r"a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?a?b", "a"),
    (r"(?=(a*)*c)b", "a"), (r"^(?=(.*)*$)\1\1\1b$", "ab"), (r"^(a?){1000}\1b$", "a"), (r"(x+x+)+y", "x"), (r"^((a+)\2)+$", "a"), (r"^(?:a*a*)*$", "ab"),
]  # fmt: skip


@pytest.mark.parametrize(("pattern", "unit"), HOSTILE)
def test_no_text_keeps_a_pattern_busy(pattern: str, unit: str) -> None:
    """Without a limit each of these would take longer than anyone waits; a limit that is reached is a refusal."""
    search = ecma_search(pattern)
    for size in (30, 3_000):
        search(unit * size + "!")


def test_properties_are_read_from_a_table_and_not_counted_out() -> None:
    code = (
        "import sys, json; from dutiful_gate.regex.unicode_properties import property_class as p; "
        "print(json.dumps([len(p('scx=Latn')), 'unicodedata' in sys.modules]))"
    )
    ran = subprocess.run([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, check=True)
    size, loaded = json.loads(ran.stdout)
    assert size > 100
    assert not loaded
