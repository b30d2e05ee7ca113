"""Names and literals of Python for what a document calls things; nothing of a document becomes code otherwise."""

from __future__ import annotations

import builtins
import keyword
import re
from typing import Any

from ...declare.blanks import ECMA_BLANKS, PYTHON_BLANKS
from ...declare.facts import Unsaid
from ...declare.patterns import anchored, depths, ecma_pattern, has_no_choice
from ...declare.rules.more_text import escaped

_RESERVED = frozenset(dir(builtins)) | frozenset(keyword.kwlist) | frozenset(keyword.softkwlist)


def words_of(text: str) -> frozenset[str]:
    """Names, as they stand in a row."""
    return frozenset(text.split())


_IMPORTED = words_of(
    "Annotated Any Decimal Email Gate Hostname IPv4Address IPv6Address Literal NotRequired Path Slug TypedDict UUID "
    "WebUrl about dataclass date datetime field fits it named obeys rest secret time timedelta utc_only "
    "without_offset DOCUMENT DOCUMENTS gate"
)


class Names:
    """Gives out names, each once."""

    def __init__(self) -> None:
        self.taken: set[str] = set(_IMPORTED | _RESERVED)

    def fresh(self, name: str) -> str:
        """A class or alias name made of whatever a document says."""
        words = re.findall(r"[A-Za-z0-9]+", name)
        made = "".join(word[:1].upper() + word[1:] for word in words) or "Record"
        if re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name) and name[:1].isupper():
            made = name
        return self._free(made if not made[0].isdigit() else f"Record{made}")

    def _free(self, made: str) -> str:
        name, number = made, 1
        while name in self.taken:
            number += 1
            name = f"{made}{number}"
        self.taken.add(name)
        return name


def attribute(wire: str, taken: set[str]) -> str:
    """An attribute's name for a property, different from those taken."""
    made = wire if re.fullmatch(r"[A-Za-z][A-Za-z0-9_]*", wire) else "_".join(re.findall(r"[A-Za-z0-9]+", wire)).lower()
    made = made if made and not made[0].isdigit() else f"field_{made}".rstrip("_")
    if keyword.iskeyword(made) or made in ("field", "self"):
        made += "_"
    name, number = made, 1
    while name in taken:
        number += 1
        name = f"{made}_{number}"
    taken.add(name)
    return name


def literal(value: Any) -> str:
    """Plain JSON data as a Python literal."""
    if isinstance(value, str):
        return f'"{value}"' if value.isprintable() and not set('"\\') & set(value) else repr(value)
    if isinstance(value, list):
        return f"[{', '.join(map(literal, value))}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{literal(name)}: {literal(held)}' for name, held in value.items())}}}"
    return repr(value)


def laid_out(value: Any, indent: str = "") -> str:
    """Plain JSON data as a Python literal over several lines, where one is too short."""
    flat = literal(value)
    if len(indent) + len(flat) <= _WIDTH or not isinstance(value, list | dict) or not value:
        return flat
    inner = indent + "    "
    if isinstance(value, list):
        lines = [f"{inner}{laid_out(each, inner)}," for each in value]
        return "\n".join(["[", *lines, f"{indent}]"])
    lines = [f"{inner}{literal(name)}: {laid_out(held, inner)}," for name, held in value.items()]
    return "\n".join(["{", *lines, f"{indent}}}"])


_WIDTH = 100


def quoted(text: str, indent: str) -> str:
    """A docstring."""
    escaped = text.replace("\\", "\\\\").replace('"""', '\\"\\"\\"')
    if escaped.endswith('"'):
        escaped = escaped[:-1] + '\\"'
    if not text.isprintable() and not set(filter(lambda letter: not letter.isprintable(), text)) <= {"\n"}:
        return f"{indent}{text!r}"
    lines = escaped.split("\n")
    if len(lines) == 1:
        return f'{indent}"""{escaped}"""'
    return "\n".join(
        [f'{indent}"""{lines[0]}', *(f"{indent}{line}" if line else "" for line in lines[1:]), f'{indent}"""']
    )


_BACK = (
    (r"[^\p{L}\p{N}_]", r"\W"),
    (r"[\p{L}\p{N}_]", r"\w"),
    (r"\p{L}\p{N}_", r"\w"),
    (r"\p{Nd}", r"\d"),
    (r"\P{Nd}", r"\D"),
    (f"[^{PYTHON_BLANKS}]", r"\S"),
    (f"[{PYTHON_BLANKS}]", r"\s"),
    (PYTHON_BLANKS, r"\s"),
    (r"[^\n]", "."),
    (r"(?=\n?$)", "$"),
)


def pattern_rule(pattern: str, *, secret: bool = False) -> str | None:
    """The rule of ours that says a pattern in exactly these words; None where there is none.

    Beside a secret what a text holds would not be told again, and a pattern is.
    """
    plain = _literal_of(pattern)
    if plain is not None and not secret:
        return plain
    said = _plainly(pattern)
    if said[:1] == "^" and said[-1:] == "$" and said[-2:] != "\\$":
        inner = said[1:-1]
        if inner[:3] == "(?:" and all(depth > 0 for depth in depths(inner)[:-1]) and not has_no_choice(inner[3:-1]):
            inner = inner[3:-1]  # the group that a choice needs
        if anchored(inner) == said:
            found = _python(inner)
            return None if found is None else f"it.matches({_raw(found)})"
    return f"it.has({_raw(found)})" if (found := _python(said)) is not None else None


_INSIDE = {"d": "0-9", "w": "A-Za-z0-9_"}


def _plainly(pattern: str) -> str:
    """The same expression with the classes of ECMA-262 that mean ASCII spelled out."""
    made, inside, at = "", False, 0
    while at < len(pattern):
        letter = pattern[at]
        if letter == "\\":
            pair = pattern[at : at + 2]
            held = _INSIDE.get(pair[1:])
            made += pair if held is None else held if inside else f"[{held}]"
            at += 2
            continue
        inside = letter == "[" or (inside and letter != "]")
        made += letter
        at += 1
    return made


def _literal_of(pattern: str) -> str | None:
    """The rule on what a text begins or ends with, or holds."""
    for before, after, word in (("^", "", "starts_with"), ("", "$", "ends_with"), ("", "", "contains")):
        if not (pattern.startswith(before) and pattern.endswith(after)):
            continue
        inner = pattern[len(before) : len(pattern) - len(after)]
        text = re.sub(r"\\(.)", r"\1", inner, flags=re.DOTALL)
        if text and escaped(text) == inner and (word != "contains" or not set("^$") & set(pattern[:1] + pattern[-1:])):
            return f"it.{word}({literal(text)})"
    return None


def _python(said: str) -> str | None:
    """The Python expression that is `said` when it is put into the words of ECMA-262."""
    candidates = [said]
    changed = re.sub(r"\(\?<([A-Za-z_]\w*)>", r"(?P<\1>", said)
    changed = re.sub(r"\\k<([A-Za-z_]\w*)>", r"(?P=\1)", changed)
    changed = _blanks_spelled(changed)
    for theirs, ours in _BACK:
        changed = changed.replace(theirs, ours)
    if said.endswith("$") and not said.endswith("\\$"):
        candidates.append(said[:-1] + r"\Z")
    candidates += [changed, re.sub(r"\(\?:(\\[1-9][0-9]*)\)", r"\1", changed)]
    for candidate in candidates:
        try:
            re.compile(candidate)
        except (re.error, OverflowError, RecursionError):
            continue
        told = ecma_pattern(candidate)
        if not isinstance(told, Unsaid) and _bare(told) == _bare(said):
            return candidate
    return None


def _blanks_spelled(said: str) -> str:
    """An expression with what ECMA-262 calls blank spelled out: Python has another idea of it."""
    made, inside, at = "", False, 0
    while at < len(said):
        pair = said[at : at + 2]
        if said.startswith(r"[\s\S]", at):
            made, at = made + r"[\s\S]", at + 6
            continue
        if pair[0] == "\\":
            spelled = {r"\S": f"[^{ECMA_BLANKS}]", r"\s": f"[{ECMA_BLANKS}]"}
            made += pair if inside else spelled.get(pair, pair)
            at += 2
            continue
        inside = pair[0] == "[" or (inside and pair[0] != "]")
        made += pair[0]
        at += 1
    return made


def _bare(said: str) -> str:
    """An expression without the escapes that it does not need: those of signs inside a class, of slash and hyphen."""
    made, inside, at = "", False, 0
    while at < len(said):
        pair = said[at : at + 2]
        if pair[0] == "\\" and len(pair) == 2:
            made += pair[1] if pair[1] in (".*+?(){}|/$[" if inside else "/-") else pair
            at += 2
            continue
        inside = pair[0] == "[" or (inside and pair[0] != "]")
        made += pair[0]
        at += 1
    return made


def _raw(pattern: str) -> str:
    plain = pattern.isprintable() and '"' not in pattern and not pattern.endswith("\\")
    return f'r"{pattern}"' if plain and "\\" in pattern else literal(pattern)
