"""Patterns of documents as rules, in exactly their words."""

from __future__ import annotations

import re
from collections.abc import Callable

from ...codegen.literals import literal, raw_literal
from ...declare.facts import Unsaid
from ...declare.formats.table import JUDGES
from ...declare.rules.contains import escaped
from ...declare.rules.pattern import in_ecma, may_run_away
from ...regex.from_ecma import NoPattern
from ...regex.to_ecma import anchored, depths, has_no_choice
from ...regex.white_space import ECMA_BLANKS, PYTHON_BLANKS
from ..judging.library import Subschema as LibrarySubschema
from .meaning import Piece

_DEEPEST = 20

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


def pattern_rule(pattern: str, *, secret: bool = False) -> str:
    """The rule of ours that says a pattern in exactly these words: of Python's expressions where one means the same.

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
            return _rule("matches", _python(inner), pattern)
    return _rule("has", _python(said), pattern)


def _rule(word: str, found: str | None, pattern: str) -> str:
    """The rule in Python's words, or in those of ECMA-262; these where Python's could run away, of which it warns."""
    if found is None or may_run_away(found) or any(blanks in found for blanks in (ECMA_BLANKS, PYTHON_BLANKS)):
        return f"it.has(ecma({raw_literal(pattern)}))"
    return f"it.{word}({raw_literal(found)})"


_NEEDS_NONE = ".*+?(){}|/$["
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
    if re.search(r"\\u[dD][89a-fA-F]", said):
        return None  # two halves of a pair are one character to ECMA-262
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
        told = in_ecma(candidate)
        if not isinstance(told, Unsaid) and _bare(told) == _bare(said):
            return candidate
    return None


def _blanks_spelled(said: str) -> str:
    """An expression with what ECMA-262 calls blank spelled out: Python has another idea of it."""
    spelled = {r"\S": f"[^{ECMA_BLANKS}]", r"\s": f"[{ECMA_BLANKS}]"}
    return _respelled(said, lambda pair, inside: pair if inside else spelled.get(pair, pair))


def _bare(said: str) -> str:
    """An expression without the escapes that it does not need: those of signs inside a class, of slash and hyphen."""
    return _respelled(said, lambda pair, inside: pair[1:] if pair[-1] in (_NEEDS_NONE if inside else "/-") else pair)


def _respelled(said: str, escape: Callable[[str, bool], str]) -> str:
    """An expression with its escapes written another way, which may hang on whether they stand in a class."""
    made, inside, at = "", False, 0
    while at < len(said):
        pair = said[at : at + 2]
        if pair[0] == "\\":
            made += escape(pair, inside)
        else:
            pair = pair[0]
            inside = pair == "[" or (inside and pair != "]")
            made += pair
        at += len(pair)
    return made


def pattern_of(node: LibrarySubschema, depth: int = 0) -> str:
    """One expression that finds just the texts that a schema accepts. Raises NoPattern where there is none."""
    if node.raw is True:
        return ""
    if node.raw is False or depth > _DEEPEST:
        raise NoPattern("no text at all" if node.raw is False else "too deep")
    words = Piece(node).words()
    asked = words.pop("type", "string")
    if "string" not in ([asked] if isinstance(asked, str) else asked):
        raise NoPattern("no text at all")
    if words.get("format") not in JUDGES:
        words.pop("format", None)
    found: list[str] = []
    if "enum" in words or "const" in words:
        values = words.pop("enum") if "enum" in words else [words.pop("const")]
        texts = [escaped(each) for each in values if isinstance(each, str)]
        found.append(f"^(?:{'|'.join(texts)})$" if texts else "(?!)")
    if "pattern" in words:
        found.append(words.pop("pattern"))
    least, most = words.pop("minLength", 0), words.pop("maxLength", None)
    if most is not None and least > most:
        raise NoPattern("no text at all")
    if least or most is not None:
        found.append(f"^[\\s\\S]{{{int(least)},{'' if most is None else int(most)}}}$")
    if "$ref" in words:
        found.append(pattern_of(node.document.library.target(node, words.pop("$ref")), depth + 1))
    for word in ("allOf", "anyOf", "oneOf"):
        subschemas = [pattern_of(node.subschema(word, at), depth + 1) for at in range(len(words.pop(word, [])))]
        if word == "oneOf" and len(subschemas) > 1:
            raise NoPattern("one of several")
        found += (
            subschemas if word == "allOf" else ["|".join(f"(?:{each})" for each in subschemas)] if subschemas else []
        )
    if "not" in words:
        found.append(f"^(?![\\s\\S]*(?:{pattern_of(node.subschema('not'), depth + 1)}))")
        del words["not"]
    if words:
        raise NoPattern(f"{next(iter(words))} says something else")
    return every_of(found) if found else ""


def every_of(patterns: list[str]) -> str:
    """An expression that is found where all of some are."""
    if len(patterns) == 1:
        return patterns[0]
    return "^" + "".join(f"(?=[\\s\\S]*(?:{each}))" for each in patterns)
