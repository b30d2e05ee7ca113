"""Names in quotes mean what they mean in the class that writes them, whatever another module calls so.

Each declaration is written twice: over two modules that both have a `Cargo`, which leads to itself, and in one module
where each has a name of its own. Both judge alike.
"""

# Rooms: shape

from __future__ import annotations

import random
import sys
from collections.abc import Iterator
from types import ModuleType
from typing import Any

import pytest

from dutiful_gate import DeclarationError, Gate

HEAD = """
from dataclasses import dataclass, field
from typing import Annotated, Any, Generic, NamedTuple, Self, TypedDict, TypeVar
from dutiful_gate import it
T, U = TypeVar("T"), TypeVar("U")
"""
LIBRARY = """
@dataclass
class Hold(Generic[T]):
    v: T
@dataclass
class Mixed(Generic[T]):
    v: "list[T | @one]"
@dataclass
class Two(Generic[T, U]):
    v: T
    w: "dict[str, U] | None" = None
    x: "Two[U, T] | @one | None" = None
@dataclass
class Tail(Generic[T]):
    v: T
    w: "Tail[T] | None" = None
class Loose(TypedDict, Generic[T]):
    v: T
class Plain(TypedDict):
    v: "@one"
class Row(NamedTuple, Generic[T]):
    v: T
    w: "@one" = 1
@dataclass
class Deeper(Hold[list[T]], Generic[T]):
    w: "@one | T | None" = None
"""
ALIASES = {
    "one": 'list["@one"] | int',
    "two": 'dict[str, "@two"] | str',
    "tree": 'list["@tree"] | T',
}
# What stands in the second module; `one.` goes before what is of the first.
USES = [
    'class Use(one.Hold["@two"]): ...',
    "class Use(one.Hold[@two]): ...",
    'class Use(one.Hold[list["@two | None"]]): ...',
    'class Use(one.Hold[dict[str, "list[@two]"] | None]): ...',
    'class Use(one.Hold[Annotated[list["@two"], it.length <= 1]]): ...',
    'class Use(one.Mixed["@two"]):\n    w: "@two" = ""',
    'class Use(one.Two["@two", "list[@two]"]): ...',
    'class Use(one.Two[U, "@two"], Generic[U]): ...\n@dataclass\nclass Use(Use[int]):\n    y: "@two | None" = None',
    'class Use(one.Tail["@tree"], Generic[T]): ...\n@dataclass\nclass Use(Use[int]): ...',
    'class Inner(one.Tail["@tree"], Generic[T]): ...\n@dataclass\nclass Use:\n    v: Inner[int]\n    w: Inner[str] | None = None',
    'class Use(one.Deeper["@two"]): ...',
    'class Use:\n    v: one.Hold["@two"]\n    w: "one.Mixed[@two] | None" = None',
    'class Use:\n    v: "one.Row[@two]"\n    w: one.Two["@two", "one.Hold[@two]"] | None = None',
    'class Use:\n    v: one.Hold["one.Hold[@two]"]\n    w: "one.Hold[one.Hold[@two]] | None" = None',
    'class Use(one.Tail["Use | int"]):\n    x: "@two | None" = None',
    'class Use(one.Hold["list[Use] | @two"]): ...',
    'class Use(one.Loose["@two"]):\n    w: "@two"',
    'class Use(one.Loose[list["@two"]]): ...',
    'class Use(one.Plain):\n    w: "@two"',
]
STATEMENTS = [
    'class Use(one.Hold["Held"]):\n    w: "@two" = ""',
    'class Use(one.Hold["Wide[@two]"]): ...',
    'class Use:\n    v: one.Many["@two"]\n    w: "one.Many[@two] | None" = None',
]


def _module(name: str, source: str, monkeypatch: pytest.MonkeyPatch, **names: str) -> ModuleType:
    for key, meant in names.items():
        source = source.replace(f"@{key}", meant)
    module = ModuleType(name)
    monkeypatch.setitem(sys.modules, name, module)
    exec(compile(HEAD + source, name, "exec"), module.__dict__)
    return module


def _alias(key: str, statement: bool = False) -> str:
    return f"{'type ' if statement else ''}@{key} = {ALIASES[key]}\n"


def _record(use: str) -> str:
    return use if use.startswith(("class Use(one.Loose", "class Use(one.Plain")) else f"@dataclass\n{use}"


def _values(rng: random.Random, depth: int = 4) -> Any:
    roll = rng.random()
    if depth == 0 or roll < 0.25:
        return rng.choice([1, "a", None, 1.5])
    if roll < 0.45:
        return [_values(rng, depth - 1) for _ in range(rng.randint(0, 2))]
    keys = ["v", "w"] if roll < 0.8 else ["v", "w", "x", "b"]
    return {key: _values(rng, depth - 1) for key in keys if key == "v" or rng.random() < 0.6}


def _verdicts(gate: Gate[Any], seed: str) -> Iterator[Any]:
    rng = random.Random(seed)
    for _ in range(400):
        value = {"v": _values(rng), **({"w": _values(rng)} if rng.random() < 0.5 else {})}
        verdict = gate.examine(value)
        yield [(fault.pointer, fault.code) for fault in verdict.faults] or repr(verdict.value)


def _both(use: str, monkeypatch: pytest.MonkeyPatch, library: str = "", own: str = "") -> tuple[Gate[Any], Gate[Any]]:
    apart = {"one": "Cargo", "two": "Cargo", "tree": "Tree"}
    _module("one", _alias("one") + LIBRARY + library, monkeypatch, **apart)
    two = _module("two", "import one\n" + _alias("two") + _alias("tree") + own + _record(use), monkeypatch, **apart)
    together = {"one": "First", "two": "Second", "tree": "Tree"}
    source = "".join(map(_alias, ALIASES)) + LIBRARY + library + own + _record(use).replace("one.", "")
    both = _module("both", source, monkeypatch, **together)
    return Gate(two.Use), Gate(both.Use)


@pytest.mark.parametrize("use", USES)
def test_over_two_modules(use: str, monkeypatch: pytest.MonkeyPatch) -> None:
    apart, together = _both(use, monkeypatch)
    told = list(_verdicts(apart, use))
    assert told == list(_verdicts(together, use))
    assert {type(each) for each in told} == {str, list}, "admits nothing, or all"


@pytest.mark.skipif(sys.version_info < (3, 12), reason="the type statement came with Python 3.12")
@pytest.mark.parametrize("use", STATEMENTS)
def test_aliases_of_the_type_statement(use: str, monkeypatch: pytest.MonkeyPatch) -> None:
    library = 'type Many[A] = list["@one"] | list[A]\n'
    apart, together = _both(use, monkeypatch, library, 'type Held = list["@two"]\ntype Wide[A] = dict[str, A]\n')
    assert list(_verdicts(apart, use)) == list(_verdicts(together, use))


def test_what_is_handed_to_a_gate_is_written_where_the_gate_is_built(monkeypatch: pytest.MonkeyPatch) -> None:
    apart = {"one": "Cargo", "two": "Cargo", "tree": "Tree"}
    one = _module("one", _alias("one") + LIBRARY, monkeypatch, **apart)
    two = _module("two", _alias("two"), monkeypatch, **apart)
    declared = one.Hold[two.Cargo]
    with pytest.raises(DeclarationError, match=r"names=\{'Cargo'"):
        Gate(declared)
    gate = Gate(declared, names={"Cargo": two.Cargo})
    assert gate.examine({"v": {"a": {"b": "c"}}})
    assert not gate.examine({"v": [1]})
    Cargo = two.Cargo  # noqa: F841 - seen from here
    assert Gate(one.Mixed["Cargo"]).examine({"v": ["a", {"a": ""}, [1]]})


def test_what_no_field_has_need_not_be_seen(monkeypatch: pytest.MonkeyPatch) -> None:
    source = '@dataclass\nclass Mixin(Generic[T]): ...\n@dataclass\nclass Use(Mixin["Unseen"]):\n    v: int'
    assert Gate(_module("one", source, monkeypatch).Use).examine({"v": 1})
    source = '@dataclass\nclass Hold(Generic[T]):\n    v: T\n@dataclass\nclass Use(Hold["Unseen"]): ...'
    with pytest.raises(DeclarationError, match=r"Use\.v: 'Unseen' in quotes cannot be seen"):
        Gate(_module("one", source, monkeypatch).Use)
