"""Formats are what their standards say: our judges against the grammars that those print, on texts drawn from them."""

# Rooms: declare/formats, prove

from __future__ import annotations

from random import Random

import pytest

from dutiful_gate import DeclarationError, Gate
from dutiful_gate.declare.formats import idna
from dutiful_gate.declare.formats.table import JUDGES
from dutiful_gate.prove.second_opinion import RULES, drawn, second_opinions

SIGNS = (
    "0123456789abfxZTPYMDWHSzt:/?#[]@!$&'()*+,;=-._~%{}|\\^`\"<> \n\u00a0\u00e9\ue000\ufdd0\ufffe\U0001fffe\U000e0001\U000e1000"
    "\U000f0000\U0010fffd\ud800\u0660\uff10"
)


def mutated(text: str, random: Random, signs: str = SIGNS) -> str:
    """A text with up to two of its characters exchanged, doubled or left out."""
    for _ in range(random.choice((0, 0, 1, 1, 2))):
        at, end = sorted((random.randint(0, len(text)), random.randint(0, len(text))))
        text = random.choice(
            (
                text[:at] + random.choice(signs) + text[at:],
                text[:at] + text[at + random.randint(1, 3) :],
                text[:at] + random.choice(signs) + text[at + 1 :],
                text[:end] + text[at:],
            )
        )
    return text


@pytest.mark.parametrize("name", sorted(RULES))
def test_our_judge_and_the_printed_grammar_agree(name: str) -> None:
    random = Random(name)
    ours, theirs = JUDGES[name][1], second_opinions()[name]
    accepted = 0
    for _ in range(1500):
        text = mutated(drawn(name, random), random)
        assert ours(text) is theirs(text), text
        accepted += ours(text)
    assert 100 < accepted < 1480


LETTERS = "aaabbz019-.Aßςéüöx\u0301\u3002\u30fb\u3042\u6f22\u0628\u06f1\u0661\u200d\u200c\u094d\u0915·l\u05d0\u05f3\u0375α\u2160\ufdfa\u00ad"
HOSTS = ["fähre.example", "xn--fhre-loa.example", "XN--FHRE-LOA.example", "бюро.example", "例え.example", "a.b"]


def host(random: Random) -> str:
    word = random.choice(HOSTS) if random.random() < 0.4 else "".join(random.choices(LETTERS, k=random.randint(1, 6)))
    return mutated(word, random, LETTERS)


@pytest.mark.parametrize("name", ["hostname", "idn-hostname", "idn-email"])
def test_hosts_of_every_script_are_what_the_package_for_them_says(name: str) -> None:
    pytest.importorskip("idna", reason="the extra idn is not installed")
    random = Random(name)
    accepted = 0
    for _ in range(3000):
        mailbox = random.choice(["käpt", "a.b", '"é q"', '"\\é"', "é" * 32, "é" * 33, "\ud800"])
        text = f"{mailbox}@{host(random)}" if "email" in name else host(random)
        accepted += second_opinions()[name](text)
        assert JUDGES[name][1](text) is second_opinions()[name](text), text
    assert accepted > 200


def test_without_the_package_labels_are_derived_from_unicodes_data(monkeypatch: pytest.MonkeyPatch) -> None:
    package = pytest.importorskip("idna", reason="the extra idn is not installed")
    random = Random(0)
    texts = [label for _ in range(6000) for label in host(random).split(".") if not label.isascii()]
    told = [idna.is_label(text) for text in texts]
    monkeypatch.setattr(idna, "_package", lambda: None)
    assert [idna.is_label(text) for text in texts] == told, package.__version__
    assert 500 < sum(told) < len(texts)


def meta(vocabulary: str, needed: bool, draft: str = "2020-12") -> dict[str, object]:
    start = f"https://json-schema.org/draft/{draft}"
    core = {f"{start}/vocab/{word}": True for word in ("core", "applicator", "validation")}
    return {"$schema": f"{start}/schema", "$vocabulary": {**core, f"{start}/vocab/{vocabulary}": needed}}


ASKING = [
    (meta("format-assertion", True), True),
    (meta("format-assertion", False), True),
    (meta("format-annotation", True), False),
    (meta("format", True, "2019-09"), True),
    (meta("format", False, "2019-09"), False),
]


@pytest.mark.parametrize(("dialect", "asserted"), ASKING)
def test_a_meta_schema_can_ask_for_formats(dialect: dict[str, object], asserted: bool) -> None:
    uri = "https://quays.example/meta"
    document = {"$schema": uri, "properties": {"day": {"format": "date"}}}
    gate = Gate.from_schema(document, documents={uri: dialect})
    assert gate.accepts({"day": "2026-05-04"})
    assert gate.accepts({"day": "noon"}) is not asserted
    assert bool(gate.examine({"day": "noon"})) is not asserted
    assert Gate.from_schema(document, documents={uri: dialect}, formats="annotate").accepts({"day": "noon"})
    unknown = {"$schema": uri, "properties": {"day": {"format": "tide"}}}
    assert Gate.from_schema(unknown, documents={uri: dialect}, formats="annotate").accepts({"day": "noon"})
    if not asserted:
        assert Gate.from_schema(unknown, documents={uri: dialect}).accepts({"day": "noon"})
        return
    with pytest.raises(
        DeclarationError, match=r"the format 'tide' in #/properties/day is not known here.*\"annotate\""
    ):
        Gate.from_schema(unknown, documents={uri: dialect})


def test_a_meta_schema_that_asserts_formats_does_so_in_the_documents_it_judges() -> None:
    asserting = {**meta("format-assertion", True), "$id": "https://quays.example/asserting"}
    judging = {
        **meta("format-annotation", True),
        "$schema": "https://quays.example/asserting",
        "properties": {"$comment": {"format": "email"}},
    }
    documents = {"https://quays.example/asserting": asserting, "https://quays.example/judging": judging}
    fine = {"$schema": "https://quays.example/judging", "$comment": "desk@ternsound.example"}
    assert Gate.from_schema(fine, documents=documents).accepts(1)
    with pytest.raises(DeclarationError, match=r"breaks https://quays.example/judging at /\$comment: needs an email"):
        Gate.from_schema({**fine, "$comment": "nobody"}, documents=documents)
