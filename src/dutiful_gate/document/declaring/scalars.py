"""Single values, and what is said of the length of others: keywords to types and rules."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from typing import Any

from ...codegen.literals import literal
from ...declare.formats.table import JUDGES
from ...declare.kinds import LocalMoment, UtcMoment
from ...declare.kinds.texts import written_kinds
from ...declare.rules import Rule
from ..judging.keywords import number_bounds
from .patterns import pattern_rule

_EXACT = "int | float"
"""Numbers of which whole ones keep all their digits, which a float loses past 2**53."""
_BASES = {"string": "str", "integer": "int", "number": "float", "boolean": "bool"}
_TYPED = {"date-time": ("datetime", "datetime"), "date": ("datetime", "date"), "uuid": ("uuid", "UUID")}
_KINDS = {"Email": "email", "Hostname": "hostname"}
LENGTHS = {
    "string": frozenset(["minLength", "maxLength"]),
    "array": frozenset(["minItems", "maxItems"]),
    "object": frozenset(["minProperties", "maxProperties"]),
}
"""The keywords on how long values of a kind are."""
_JUDGING = frozenset(["minLength", "maxLength", "pattern", "enum", "const", "not", "allOf"])
_OF_TEXT = frozenset(["WebUrl", "Slug"])
_WEB = {"format": "uri", "pattern": "^[Hh][Tt][Tt][Pp][Ss]?://[^/?#:]"}
_SLUG = {"pattern": "^[a-z0-9]+(?:-[a-z0-9]+)*$"}


class SaidOfScalar:
    """A type, the rules beside it, what must be imported for them, the keywords that are left, and formats that nobody
    knows, which ask nothing."""

    __slots__ = ("base", "imports", "left", "rules", "unknown")

    def __init__(self, base: str) -> None:
        self.base = base
        self.rules: list[str] = []
        self.imports: list[tuple[str, str]] = []
        self.left: dict[str, Any] = {}
        self.unknown: list[str] = []


def scalar(
    kind: str, words: dict[str, Any], *, formats: bool, secret: bool = False, beside: Iterable[str] = ()
) -> SaidOfScalar:
    """The type and rules for the keywords of one kind of value, which may be a secret.

    `beside` names the keywords that further schemas say of the same value.
    """
    said = SaidOfScalar(_EXACT if kind == "number" and _needs_digits(words) else _BASES.get(kind, ""))
    left = dict(words)
    if kind == "string" and formats:
        _text(said, left, judged=not (_JUDGING | {"format"}).isdisjoint(beside))
    _rules(said, kind, left, secret=secret)
    said.left = left
    return said


def further(kind: str, words: dict[str, Any], *, secret: bool = False) -> SaidOfScalar:
    """The rules for keywords that hold beside a type that is settled."""
    said, left = SaidOfScalar(""), dict(words)
    _rules(said, kind, left, secret=secret)
    said.left = left
    return said


def _text(said: SaidOfScalar, left: dict[str, Any], *, judged: bool) -> None:
    """The kinds that are written as text; `judged` tells that further rules on the text stand beside them."""
    for keywords, module, name in _written():
        if name not in _OF_TEXT and (judged or _JUDGING & left.keys() - keywords.keys()):
            continue  # rules on its text have no sense beside such a type
        if all(left.get(word) == held for word, held in keywords.items()):
            said.base = name
            said.imports.append((module, name))
            _drop(left, keywords)
            return
    if not judged and all(left.get(word) == held for word, held in _plain(UtcMoment().keywords()).items()):
        said.base = "Annotated[datetime, utc_only]"
        said.imports += [("datetime", "datetime"), ("dutiful_gate", "utc_only"), ("typing", "Annotated")]
        _drop(left, UtcMoment().keywords())
        return
    if not judged and all(left.get(word) == held for word, held in _plain(LocalMoment().keywords()).items()):
        said.base = "Annotated[datetime, without_offset]"
        said.imports += [("datetime", "datetime"), ("dutiful_gate", "without_offset"), ("typing", "Annotated")]
        _drop(left, LocalMoment().keywords())
        return
    form = left.get("format")
    if form in _TYPED and not judged and not _JUDGING & left.keys():
        module, said.base = _TYPED[form]
        said.imports.append((module, said.base))
        del left["format"]
    for name, known in _KINDS.items():
        if form == known:
            said.base = name
            said.imports.append(("dutiful_gate", name))
            del left["format"]


def _written() -> list[tuple[dict[str, Any], str, str]]:
    """Keywords, and the type that says just these, the most telling first."""
    found: list[tuple[dict[str, Any], str, str]] = [(_WEB, "dutiful_gate", "WebUrl"), (_SLUG, "dutiful_gate", "Slug")]
    for held, kind in written_kinds().items():
        keywords = _plain(kind.keywords())
        if keywords and not kind.unsaid() and keywords != {"format": "uuid"}:
            # Some interpreters keep these in rooms of their own, such as pathlib._local.
            found.append((keywords, held.__module__.partition("._")[0], held.__name__))
    return sorted(found, key=lambda each: -len(each[0]))


def _plain(keywords: Any) -> dict[str, Any]:
    return {word: held for word, held in keywords.items() if word != "type"}


def _drop(left: dict[str, Any], keywords: Any) -> None:
    for word in _plain(keywords):
        left.pop(word, None)


def _rules(said: SaidOfScalar, kind: str, left: dict[str, Any], *, secret: bool) -> None:
    """Rules for the keywords that have one; these are taken out."""
    for rule in reversed(Rule.read_back):  # a rule that came later may say more of the same keywords
        if (told := rule.said_by(kind, left)) is not None:
            words, constants = told
            said.rules.append(words.format(*map(literal, constants)))
    if kind in LENGTHS:
        _length(said, left, *sorted(LENGTHS[kind], reverse=True))
    if kind in ("integer", "number"):
        _bounds(said, left)
    if kind == "string":
        if isinstance(left.get("pattern"), str):
            said.rules.append(pattern_rule(left.pop("pattern"), secret=secret))
        if left.get("format") in JUDGES and said.base in ("str", ""):
            said.rules.append(f"it.of_format({literal(left.pop('format'))})")
        elif left.get("format") is not None and left["format"] not in JUDGES:
            said.unknown.append(left.pop("format"))
    if kind in _BASES and kind != "boolean" and said.base in ("str", "int", "float", _EXACT, ""):
        _constants(said, left, kind)


def _constants(said: SaidOfScalar, left: dict[str, Any], kind: str) -> None:
    if "enum" in left and all(_is_of(kind, each) for each in left["enum"]):
        said.rules.append(f"it.one_of({', '.join(map(literal, left.pop('enum')))})")
    if "const" in left and _is_of(kind, left["const"]):
        said.rules.append(f"it == {literal(left.pop('const'))}")
    barred = left.get("not")
    if isinstance(barred, dict) and list(barred) == ["const"] and _is_of(kind, barred["const"]):
        said.rules.append(f"it != {literal(left.pop('not')['const'])}")


def _length(said: SaidOfScalar, left: dict[str, Any], low: str, high: str) -> None:
    least, most = left.pop(low, None), left.pop(high, None)
    if least is not None and most is not None:
        said.rules.append(f"it.length == {least}" if least == most else f"it.length.between({int(least)}, {int(most)})")
        if least > most:
            said.rules.pop()
            left[low], left[high] = least, most
    elif least is not None:
        said.rules.append(f"it.length >= {int(least)}")
    elif most is not None:
        said.rules.append(f"it.length <= {int(most)}")
    barred = left.get("not")
    if isinstance(barred, dict) and barred.keys() == {low, high} and barred[low] == barred[high]:
        said.rules.append(f"it.length != {barred[low]}")
        del left["not"]


def _bounds(said: SaidOfScalar, left: dict[str, Any]) -> None:
    if _is_empty(left):
        return  # nothing lies between: that is for a document to say
    for word, sign in (("minimum", ">="), ("exclusiveMinimum", ">"), ("maximum", "<="), ("exclusiveMaximum", "<")):
        if word in left and not isinstance(left[word], bool):
            strict = left.get(f"exclusive{word.capitalize()}")
            if isinstance(strict, bool):  # draft-04
                del left[f"exclusive{word.capitalize()}"]
                sign = sign.removesuffix("=") if strict else sign
            said.rules.append(f"it {sign} {literal(left.pop(word))}")
    if "multipleOf" in left:
        said.rules.append(f"it.multiple_of({literal(left.pop('multipleOf'))})")


def _needs_digits(words: dict[str, Any]) -> bool:
    """Whether whole numbers past 2**53 obey other rules than the floats next to them."""
    step = words.get("multipleOf")
    bounds = [bound for _, bound in number_bounds(words)]
    return any(abs(bound) >= 2**53 for bound in bounds) or (step is not None and (Fraction(str(step)) ** -1) % 1 != 0)


def _is_empty(left: dict[str, Any]) -> bool:
    """Whether bounds leave nothing between them."""
    bounds = number_bounds(left)
    lows = [(bound, sign == ">") for sign, bound in bounds if sign.startswith(">")]
    highs = [(bound, sign == "<") for sign, bound in bounds if sign.startswith("<")]
    return any(low > high or (low == high and (over or under)) for low, over in lows for high, under in highs)


def _is_of(kind: str, value: Any) -> bool:
    if isinstance(value, bool):
        return False
    if kind == "string":
        return isinstance(value, str)
    return isinstance(value, int) if kind == "integer" else isinstance(value, int | float)
