"""The house as `docs/architecture.md` tells it: what it says of adding a thing is enough to add one."""

# Rooms: declare

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import dutiful_gate
from dutiful_gate.declare.kinds import Kind

ROOT = Path(dutiful_gate.__file__).parent
PAGE = ROOT.parent.parent / "docs" / "architecture.md"

DIVIDES = '''"""`it.divides(n)`: a whole number that leaves nothing of another."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import NUMBER, Takes
from ..facts import Bind, Facts, Unsaid
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class Divides(Rule):
    """The value divides a number."""

    whole: int

    def condition(self, value: str, bind: Bind) -> str:
        return f"{value} != 0 and {bind(self.whole, 'WHOLE')} % {value} == 0"

    def takes(self) -> Takes | None:
        return NUMBER

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "step", "a divisor of {whole}"),)

    def numbers(self) -> Mapping[str, object]:
        return {"whole": self.whole}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return Unsaid("JSON Schema does not divide by the value")

    def suits(self, facts: Facts) -> None:
        if not facts.number:
            refuse(self, facts, "it judges numbers")

    def examples(self, facts: Facts) -> Iterable[Any]:
        return (1, self.whole)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return (0, self.whole)

    def asks(self, wish: Wish) -> None:
        wish.only = [each for each in range(1, 200) if self.whole % each == 0]

    def survives(self, step: Step) -> bool:
        return step.keeps_value

    def __str__(self) -> str:
        return f"it.divides({self.whole!r})"
'''

RULE = """
from typing import Annotated
from dutiful_gate import Gate, it, payloads, probes, speaking, DeclarationError
from dutiful_gate.prove.proof import prove
from dutiful_gate.report.german import GERMAN

gate = Gate(Annotated[int, it.divides(7 * 11 * 13 * 17)])
assert gate.admit(77) == 77
(fault,) = gate.examine(5).faults
assert str(fault) == "(the whole): needs a divisor of 17017; got 5", fault
with speaking(GERMAN):
    assert "einen Teiler von 17017" in fault.message
assert [str(rule.rule) for rule in gate.schema().unstated] == ["it.divides(17017)"], gate.schema().unstated
assert all(17017 % made == 0 for made in payloads(gate, 5))
assert [fault.code for _, fault in probes(gate)].count("step")
proof = prove(gate, 400, 3)
assert not proof.disagreements
assert proof.admitted
"""

DIVIDES_CHANGES = {
    "declare/rules/divides.py": ("", DIVIDES),
    "declare/subjects.py": (
        "    def multiple_of(self",
        "    def divides(self, whole: int) -> Any:\n"
        '        """The value divides a number."""\n'
        "        return Divides(whole)\n\n"
        "    def multiple_of(self",
        "from .rules import (\n",
        "from .rules.divides import Divides\nfrom .rules import (\n",
    ),
    "report/german.py": (
        '    "a multiple of {step}"',
        '    "a divisor of {whole}": "einen Teiler von {whole}",\n    "a multiple of {step}"',
    ),
}

CAPITALS = '''"""`it.in_capitals(n)`: nothing but capital letters, so many at least."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import TEXT, Takes
from ..facts import Bind, Facts
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class Capitals(Rule):
    """The text is of capital letters alone."""

    least: int

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(re.compile(f'[A-Z]{{{self.least},}}').fullmatch, 'CAPITALS')}({value}) is not None"

    def takes(self) -> Takes | None:
        return TEXT

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "pattern", "at least {least} capital letters"),)

    def numbers(self) -> Mapping[str, object]:
        return {"least": self.least}

    def keywords(self, facts: Facts) -> Mapping[str, object]:
        return {"pattern": f"^[A-Z]{{{self.least},}}$"}

    @classmethod
    def said_by(cls, sort: str, words: dict[str, Any]) -> tuple[str, tuple[Any, ...]] | None:
        found = re.fullmatch(r"\\^\\[A-Z\\]\\{([0-9]+),\\}\\$", words.get("pattern", "")) if sort == "string" else None
        if found is None:
            return None
        del words["pattern"]
        return "it.in_capitals({})", (int(found[1]),)

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "it judges text")

    def examples(self, facts: Facts) -> Iterable[Any]:
        return ("Q" * self.least,)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return ("Q" * (self.least - 1), "q" * self.least)

    def asks(self, wish: Wish) -> None:
        return

    def survives(self, step: Step) -> bool:
        return step.keeps_value

    def __str__(self) -> str:
        return f"it.in_capitals({self.least})"
'''

READ_BACK = """
from typing import Annotated
from dutiful_gate import Gate, declarations_of, it
from dutiful_gate.prove.proof import prove

gate = Gate(list[Annotated[str, it.in_capitals(3), it.length <= 9]])
assert gate.examine(["QLp"]).faults[0].message == "needs at least 3 capital letters; got 'QLp'"
assert "list[Annotated[str, it.in_capitals(3), it.length <= 9]]" in declarations_of(gate.schema())
assert not prove(gate, 300, 3).disagreements
"""

CAPITALS_CHANGES = {
    "declare/rules/capitals.py": ("", CAPITALS),
    "declare/subjects.py": (
        "    def multiple_of(self",
        "    def in_capitals(self, least: int) -> Any:\n"
        '        """The text is of so many capital letters, or more."""\n'
        "        return Capitals(least)\n\n"
        "    def multiple_of(self",
        "from .rules import (\n",
        "from .rules.capitals import Capitals\nfrom .rules import (\n",
    ),
}

SHARE = '''"""`Fraction`, as two numbers with a stroke between them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import IN_TEXT, Kind, Reader

if TYPE_CHECKING:
    from ..wish import Wish

_SHARE = re.compile("(-?(?:0|[1-9][0-9]{0,8}))/([1-9][0-9]{0,8})")
_READING = Stop("reading", "a share, such as 3/4")


def _from_text(value: object) -> object:
    found = _SHARE.fullmatch(value) if isinstance(value, str) else None
    return _READING if found is None else Fraction(int(found[1]), int(found[2]))


class Share(Kind):
    """A part of a whole."""

    may_not_go_out = True
    shows = (Fraction,)

    @property
    def facts(self) -> Facts:
        return Facts("a share", "share", ordered=(Fraction,))

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        if reading is Reading.TYPED:
            return lambda value: value if isinstance(value, Fraction) else _READING
        return _from_text

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        return f"{wish.random.randint(-3, 9)}/{wish.random.randint(1, 9)}"

    def edges(self) -> Iterable[object]:
        return ("1/2", "2/4", "1/0", "0/7", "-0/1", "-1/2", "1/-2", " 1/2", "1 / 2", 0.5)

    def made_in_code(self) -> Iterable[object]:
        return (Fraction(1, 3), Fraction(10**30, 7), 0.5)

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "pattern": f"^{_SHARE.pattern}$"}

    def plain(self, value: Any) -> object:
        return f"{value.numerator}/{value.denominator}"

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(self.plain, 'write_share')}({value})"
'''

TYPE = """
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated
from dutiful_gate import Gate, Source, it, payloads, probes, speaking
from dutiful_gate.prove.proof import prove
from dutiful_gate.report.german import GERMAN

@dataclass
class Hold:
    full: Annotated[Fraction, it <= Fraction(1)]
    spare: list[Fraction] | int | None = None

gate = Gate(Hold)
assert gate.admit({"full": "2/4", "spare": ["3/4"]}) == Hold(Fraction(1, 2), [Fraction(3, 4)])
assert gate.release_json(Hold(Fraction(1, 2))) == b'{"full":"1/2","spare":null}'
assert Gate(Hold, Source.NATIVE).accepts(Hold(Fraction(1, 2)))
(fault,) = gate.examine({"full": 0.5}).faults
assert fault.message == "needs a share, such as 3/4; got 0.5", fault.message
message = gate.examine({"full": "3/2"}).faults[0].message
assert message == "needs a share of at most 1/1; got '3/2'", message
native = Gate(Hold, Source.NATIVE).examine(Hold(Fraction(3, 2))).faults[0].message
assert native == message, native
with speaking(GERMAN):
    assert fault.message.startswith("braucht einen Anteil, etwa 3/4"), fault.message
assert gate.schema()["$defs"]["Hold"]["properties"]["full"]["pattern"][:2] == "^("
assert all(gate.accepts(made) for made in payloads(gate, 30))
assert [fault.path for _, fault in probes(gate)].count(("full",))
proof = prove(gate, 3000, 3)
assert not proof.disagreements, proof.disagreements
assert proof.admitted
"""

SHARE_CHANGES = {
    "declare/kinds/share.py": ("", SHARE),
    "shape/python_types.py": (
        "KINDS: dict[object, Kind] = {\n",
        "from fractions import Fraction\nfrom ..declare.kinds.share import Share\nKINDS: dict[object, Kind] = {\n"
        "    Fraction: Share(),\n",
    ),
    "report/german.py": (
        "_READINGS = {\n",
        '_READINGS = {\n    "a share, such as 3/4": "einen Anteil, etwa 3/4",\n    "a share": "einen Anteil",\n',
    ),
}

STEP = """
from typing import Annotated
from dutiful_gate import DeclarationError, Gate, declarations_of, unpointed, it, payloads
from dutiful_gate.prove.proof import prove

gate = Gate(Annotated[str, unpointed, it.length >= 2])
assert gate.admit("Ostrey.") == "Ostrey" and not gate.accepts("O.")
assert gate.schema()["not"] == {"pattern": "[.]$"}
assert not prove(gate, 300, 3).disagreements
try:
    Gate(Annotated[int, unpointed])
except DeclarationError as told:
    assert "unpointed" in str(told), told
else:
    raise SystemExit("a step for text stands beside a number")
assert all(gate.accepts(made) for made in payloads(gate, 9))
"""

STEP_CHANGES = {
    "declare/steps.py": (
        "class Then(Step):",
        '''class Unpointed(Step):
    """Text without the point at its end."""

    def expression(self, value: str, bind: Bind) -> str:
        return f"{value}.removesuffix('.')"

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return {"not": {"pattern": r"[.]$"}}

    def suits(self, facts: Facts) -> Facts:
        if not facts.text:
            raise DeclarationError(f"unpointed stands beside {facts.phrase}", remedy="it is for text")
        return facts

    def __str__(self) -> str:
        return "unpointed"


unpointed = Unpointed()


class Then(Step):''',
    ),
    "__init__.py": (
        '    "declare.steps": "',
        '    "declare.steps": "unpointed ',
        "__all__ = [\n",
        '__all__ = [\n    "unpointed",\n',
    ),
}

FORMAT = """
from typing import Annotated
from dutiful_gate import Gate, it, payloads, speaking
from dutiful_gate.prove.second_opinion import drawn, second_opinions
from dutiful_gate.report.german import GERMAN
from random import Random

gate = Gate(Annotated[str, it.of_format("tide-mark")])
assert gate.accepts("+1.40") and not gate.accepts("1.40")
(fault,) = gate.examine("high").faults
assert fault.message == "needs a tide mark, such as +1.40; got 'high'", fault.message
with speaking(GERMAN):
    assert "eine Tidenmarke" in fault.message
assert gate.schema() == {**gate.schema(), "type": "string", "format": "tide-mark"}
spelled = gate.schema(formats="spell-out")
assert Gate.from_schema(spelled, formats="annotate").accepts("-0.25")
assert {*payloads(gate, 9)} <= {"+1.40", "-0.25"}
chance = Random(4)
for _ in range(50):
    text = drawn("tide-mark", chance)
    assert gate.accepts(text) and second_opinions()["tide-mark"](text), text
assert Gate.from_schema({"format": "tide-mark"}, formats="assert").accepts("low") is False
"""

FORMAT_CHANGES = {
    "declare/formats/judges.py": (
        "def is_regex(",
        "def is_tide_mark(text: str) -> bool:\n"
        '    """Metres above the chart\'s zero, with two digits."""\n'
        '    return re.fullmatch(r"[+-][0-9]\\.[0-9]{2}", text) is not None\n\n\n'
        "def is_regex(",
    ),
    "declare/formats/table.py": (
        '    "regex": Format(',
        '    "tide-mark": Format(\n        "a tide mark, such as +1.40", judges.is_tide_mark, ("+1.40", "-0.25"),\n'
        '        r"[+-][0-9]\\.[0-9]{2}", exact=True,\n    ),\n    "regex": Format(',
    ),
    "prove/second_opinion.py": (
        '    "hostname": (RFC_1123, "hname"),\n',
        '    "hostname": (RFC_1123, "hname"),\n    "tide-mark": (\'mark = ( "+" / "-" ) DIGIT "." 2DIGIT\', "mark"),\n',
    ),
    "report/german.py": (
        "_FORMATS = {\n",
        '_FORMATS = {\n    "a tide mark, such as +1.40": "eine Tidenmarke, etwa +1.40",\n',
    ),
}

SOURCE = """
from dataclasses import dataclass
from datetime import datetime
from dutiful_gate import Gate, Source

@dataclass
class Row:
    number: int
    at: datetime | None = None
    tags: list[str] | None = None

gate = Gate(Row, Source.CELLS)
assert gate.admit({"number": " 42 ", "at": ""}) == Row(42)
assert not gate.accepts({"number": ["42"]}), "a cell never comes several times"
assert Gate(Row, Source.TEXT).accepts({"number": ["42"]})
assert not gate.accepts({"number": 42})
assert repr(gate.reads) == "Source.CELLS"
try:
    gate.admit_json(b"{}")
except TypeError as told:
    assert "Source.CELLS" in str(told)
assert gate.schema() == Gate(Row).schema()
"""

SOURCE_CHANGES = {
    "declare/sources.py": (
        "    reading: Reading\n    in_json",
        '    CELLS = "cells", Reading.TEXT, False, False\n'
        '    """The cells of a table."""\n\n    reading: Reading\n    in_json',
    ),
}

DIALECT = """
from dataclasses import dataclass
from dutiful_gate import DeclarationError, Gate, declarations_of

@dataclass
class Crate:
    weight: int | None
    pair: tuple[int, str]

written = Gate(Crate).schema(dialect="harbour-1")
assert written["$schema"] == "https://quays.example/harbour-1", written
assert written["$defs"]["Crate"]["required"] == ["weight", "pair"]
again = Gate.from_schema(written)
assert again.dialect == "harbour-1"
assert again.accepts({"weight": None, "pair": [1, "x"]}) and not again.accepts({"weight": "4", "pair": [1, "x"]})
try:
    Gate.from_schema({"type": 7}, dialect="harbour-1")
except DeclarationError as told:
    assert "breaks harbour-1" in str(told), told
else:
    raise SystemExit("a document that breaks its meta-schema was taken")
assert "weight: int | None" in declarations_of(written)
bare = Gate.from_schema({"type": "integer"}, dialect="harbour-1")
assert bare.accepts(3.0)
"""

DIALECT_CHANGES = {
    "document/dialects.py": (
        "DIALECTS: Final = (\n",
        "DIALECTS: Final = (\n"
        '    Dialect("harbour-1", "https://quays.example/harbour-1", DRAFT_2020_12.keywords,'
        ' opens="https://quays.example/harbour-1"),\n',
        "WrittenDialect = Literal[",
        'WrittenDialect = Literal["harbour-1", ',
    ),
    "document/judging/metaschemas.py": (
        "_MADE: dict[str, Callable[[], Schema]] = {\n",
        "_MADE: dict[str, Callable[[], Schema]] = {\n"
        '    "https://quays.example/harbour-1": lambda: {\n'
        '        "$schema": "https://json-schema.org/draft/2020-12/schema",\n'
        '        "properties": {"type": {"type": ["string", "array"]}}},\n',
    ),
}


_BESIDE = {"report/german.py", "prove/second_opinion.py"}
"""German words, and the grammars of standards."""


@pytest.mark.parametrize(
    ("thing", "changes", "asked"),
    [
        ("a **rule**", DIVIDES_CHANGES, RULE),
        ("a **rule**", CAPITALS_CHANGES, READ_BACK),
        ("a **step**", STEP_CHANGES, STEP),
        ("a **kind of value**", SHARE_CHANGES, TYPE),
        ("a **format**", FORMAT_CHANGES, FORMAT),
        ("a **source**", SOURCE_CHANGES, SOURCE),
        ("a **dialect** of documents", DIALECT_CHANGES, DIALECT),
    ],
)
def test_a_thing_is_added_as_the_page_says(
    thing: str, changes: dict[str, tuple[str, ...]], asked: str, tmp_path: Path
) -> None:
    told = re.search(rf"(?ms)^\| {re.escape(thing)} .*?$", PAGE.read_text())
    assert told is not None
    package = tmp_path / "src" / "dutiful_gate"
    shutil.copytree(ROOT, package, ignore=shutil.ignore_patterns("__pycache__"))
    for place, pairs in changes.items():
        assert len([each for each in changes if each not in _BESIDE]) <= 2, "a thing is added in two files at most"
        assert place in told[0] or f"{place.rpartition('/')[0]}/" in told[0], f"the page does not name {place}"
        file = package / place
        text = file.read_text() if file.exists() else ""
        for before, after in zip(pairs[::2], pairs[1::2], strict=True):
            assert text.count(before) == 1 or not before
            text = text.replace(before, after) if before else after
        file.write_text(text)
    done = subprocess.run(
        [sys.executable, "-c", f"{asked}\nprint('as it should')"],
        cwd=package.parent,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, done.stdout) == (0, "as it should\n"), done.stderr


def test_a_rule_that_offers_less_than_all_does_not_come_to_be(tmp_path: Path) -> None:
    """What a rule leaves out is told when the first one is made, and never just missing from proofs."""
    for name in ("examples", "edges", "asks", "survives", "suits", "keywords"):
        source = re.sub(rf"    def {name}\(.*?\n(?=    def )", "", DIVIDES, flags=re.DOTALL)
        source = source.replace("from ..", "from dutiful_gate.declare.").replace(
            "from .base", "from dutiful_gate.declare.rules.base"
        )
        code = f"{source}\ntry:\n    Divides(4)\nexcept TypeError as told:\n    assert {name!r} in str(told)\nelse:\n    raise SystemExit(1)\n"
        assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0, name


def test_a_kind_that_offers_less_than_all_does_not_come_to_be() -> None:
    for name in ("facts", "ready", "reader", "comes_as", "draw", "edges", "made_in_code", "keywords", "plain"):
        assert name in Kind.__abstractmethods__
    with pytest.raises(TypeError, match="abstract"):
        type("Bare", (Kind,), {"__annotations__": {}})()
