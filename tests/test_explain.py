"""Every code of a fault has its page, and no page is of a code that there is not."""

# Rooms: report, cli

from __future__ import annotations

import ast
import runpy
from pathlib import Path

import pytest
from click.testing import CliRunner

import dutiful_gate
from any_declaration import any_declaration
from dutiful_gate import CannotSample, DeclarationError, Gate, probes
from dutiful_gate.cli.app import dutiful
from dutiful_gate.report.codes import CODES

ROOT = Path(dutiful_gate.__file__).parent
DOCS = Path(__file__).parents[1] / "docs"


def codes_in_source() -> set[str]:
    """The first words of every `Cause(...)` and `cause(...)`, and the second of every `Face(...)`."""
    found = set()
    for file in ROOT.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = getattr(node.func, "id", getattr(node.func, "attr", ""))
            at = {"Cause": 0, "cause": 0, "Face": 1}.get(name)
            if at is not None and len(node.args) > at and isinstance(node.args[at], ast.Constant):
                found.add(node.args[at].value)
    return found


def test_every_code_is_explained_and_nothing_else() -> None:
    used = codes_in_source() - {""}
    assert len(used) > 12
    assert used <= set(CODES), used - set(CODES)
    for seed in range(80):
        declared, words = any_declaration(seed)
        try:
            met = {fault.code for _, fault in probes(Gate(declared, **words), seed)}
        except (DeclarationError, CannotSample):
            continue
        assert met <= set(CODES)
        used |= met
    assert set(CODES) <= used, set(CODES) - used


@pytest.mark.parametrize("code", list(CODES))
def test_a_code_is_told_in_full(code: str) -> None:
    told = CODES[code]
    result = CliRunner().invoke(dutiful, ["explain", code])
    assert result.exit_code == 0
    for words in (code, told.means, told.comes, told.mend, told.words):
        assert len(words) > 3
        assert words in result.output


def test_pages_are_made_from_the_table() -> None:
    made = runpy.run_path(str(DOCS / "make_codes.py"))["pages"]()
    for name, text in made.items():
        assert (DOCS / name).read_text() == text, "make them anew: make reference"
    assert {path.stem for path in (DOCS / "codes").iterdir()} == set(CODES)


def test_explain_lists_and_hints() -> None:
    every = CliRunner().invoke(dutiful, ["explain"])
    assert [line.split()[0] for line in every.output.splitlines()] == list(CODES)
    near = CliRunner().invoke(dutiful, ["explain", "agrement"])
    assert (near.exit_code, "did you mean 'agreement'?" in near.output) == (2, True)
