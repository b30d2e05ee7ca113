"""The house as `docs/architecture.md` tells it: what it says of adding a rule is enough to add one."""

# Rooms: declare

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path

import dutiful_gate

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

ASKED = """
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
print("as it should")
"""

CHANGES = {
    "src/dutiful_gate/declare/rules/divides.py": ("", DIVIDES),
    "src/dutiful_gate/declare/subjects.py": (
        "    def multiple_of(self",
        "    def divides(self, whole: int) -> Any:\n"
        '        """The value divides a number."""\n'
        "        from .rules.divides import Divides\n\n"
        "        return Divides(whole)\n\n"
        "    def multiple_of(self",
    ),
    "src/dutiful_gate/report/german.py": (
        '    "a multiple of {step}"',
        '    "a divisor of {whole}": "einen Teiler von {whole}",\n    "a multiple of {step}"',
    ),
}


def test_a_rule_is_added_as_the_page_says(tmp_path: Path) -> None:
    told = re.search(r"(?ms)^\| a \*\*rule\*\* .*?$", PAGE.read_text())
    assert told is not None
    package = tmp_path / "src" / "dutiful_gate"
    shutil.copytree(ROOT, package, ignore=shutil.ignore_patterns("__pycache__"))
    for name, (before, after) in CHANGES.items():
        place = name.removeprefix("src/dutiful_gate/")
        assert place in told[0] or f"{place.rpartition('/')[0]}/" in told[0], f"the page does not name {place}"
        file = tmp_path / name
        text = file.read_text() if file.exists() else ""
        assert text.count(before) == 1 or not before
        file.write_text(text.replace(before, after) if before else after)
    done = subprocess.run(
        [sys.executable, "-c", ASKED], cwd=package.parent, capture_output=True, text=True, check=False
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
