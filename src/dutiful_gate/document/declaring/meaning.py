"""What schemas say of one value together: the kinds it may be of, and what is asked of each."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, Final

from ...declare.equality import keyed
from ..dialects import Dialect
from ..judging.keywords import LIST_WORDS, NUMBER_WORDS, RECORD_WORDS, TEXT_WORDS, active, types_of
from ..judging.library import Subschema
from .naming import words_of

KINDS: Final = ("object", "array", "string", "number", "boolean", "null")
SAID_OF: Final = words_of(
    "$schema $id id $anchor $comment $defs definitions title description default examples example deprecated readOnly "
    "writeOnly $dynamicAnchor $recursiveAnchor $vocabulary components externalDocs xml discriminator nullable"
)
"""Keywords that ask nothing of a value by themselves."""
_COUNTING: Final = words_of("minContains maxContains")
_LATE: Final = _COUNTING | {"then", "else"}
_TEXT, _NUMBER = frozenset(TEXT_WORDS), frozenset(NUMBER_WORDS)
_LIST, _RECORD = frozenset(LIST_WORDS), frozenset(RECORD_WORDS)
_OF_KIND: Final = {"string": _TEXT, "number": _NUMBER, "integer": _NUMBER}
_MOST_NODES = 200


class Piece:
    """A schema of which some keywords may be left aside."""

    __slots__ = ("node", "without")

    def __init__(self, node: Subschema, without: frozenset[str] = frozenset()) -> None:
        self.node = node
        self.without = without

    def words(self) -> dict[str, Any]:
        """Its keywords that ask something of a value."""
        if not isinstance(self.node.raw, dict):
            return {}
        held = active(self.node)
        return {word: each for word, each in held.items() if word not in SAID_OF and word not in self.without}

    def less(self, *words: str) -> Piece:
        """The same with further keywords left aside."""
        return Piece(self.node, self.without | set(words))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Piece) and self.node is other.node and self.without == other.without

    def __hash__(self) -> int:
        return hash((self.node, self.without))


def judging_pieces(judges: Callable[[Subschema, Any], bool]) -> Callable[[Piece, Any], bool]:
    """What judges values by pieces, from what judges by whole schemas; lessened schemas are made once."""
    lessened: dict[Piece, Subschema] = {}

    def judges_piece(piece: Piece, value: Any) -> bool:
        node = piece.node
        if piece.without:
            if piece not in lessened:
                lessened[piece] = node.document.library.without(node, piece.without)
            node = lessened[piece]
        return judges(node, value)

    return judges_piece


Part = tuple[Piece, ...]
"""Schemas that must all hold of one value."""


def part_of(*nodes: Subschema) -> Part:
    """The part that asks for all of some schemas."""
    return tuple(dict.fromkeys(Piece(node) for node in nodes))


class Clause:
    """Keywords of a schema that join other schemas, or have no form of their own."""

    __slots__ = ("piece", "word")

    def __init__(self, piece: Piece, word: str) -> None:
        self.piece = piece
        self.word = word

    @property
    def node(self) -> Subschema:
        """The schema in which it stands."""
        return self.piece.node

    def subschemas(self) -> list[Subschema]:
        """The schemas that it joins."""
        return [self.node.subschema(self.word, at) for at in range(len(self.node.raw[self.word]))]


class SaidOfValue:
    """The keywords of one schema on one kind of value."""

    __slots__ = ("node", "words")

    def __init__(self, node: Subschema, words: dict[str, Any]) -> None:
        self.node = node
        self.words = words


class Meaning:
    """What a part says.

    `kinds`      those of JSON that it admits, in the order of its `type`; "integer" for whole numbers
    `named`      whether a `type` names them
    `texts`, `numbers`, `lists`, `records`  what each of its schemas says of such values
    `constants`  the values of each `enum` and `const`
    `clauses`    what joins schemas, or has no form of its own
    `strictly`   whether a whole number must be written without a point, as draft-04 has it
    `pieces`     the schemas it was gathered from
    """

    __slots__ = (
        "clauses",
        "constants",
        "kinds",
        "lists",
        "named",
        "never",
        "numbers",
        "pieces",
        "records",
        "strictly",
        "texts",
    )

    def __init__(self) -> None:
        self.kinds: tuple[str, ...] = KINDS
        self.named = False
        self.never = False
        self.strictly = False
        self.texts: list[SaidOfValue] = []
        self.numbers: list[SaidOfValue] = []
        self.lists: list[SaidOfValue] = []
        self.records: list[SaidOfValue] = []
        self.constants: list[tuple[Subschema, list[Any]]] = []
        self.clauses: list[Clause] = []
        self.pieces: list[Piece] = []

    def of(self, kind: str) -> list[SaidOfValue]:
        """What is said of one kind of value."""
        return {
            "string": self.texts,
            "number": self.numbers,
            "integer": self.numbers,
            "array": self.lists,
            "object": self.records,
        }.get(kind, [])

    @property
    def is_open(self) -> bool:
        """Whether it asks for nothing but kinds, clauses aside."""
        return not (self.texts or self.numbers or self.lists or self.records or self.constants)

    def limit(self, kinds: Iterable[str], dialect: Dialect) -> None:
        """Admit only some kinds."""
        wanted = list(dict.fromkeys(kinds))
        if "number" in wanted:  # every whole number is one
            wanted = [kind for kind in wanted if kind != "integer"]
        if dialect.pointless and "integer" in wanted and "number" not in wanted:
            self.strictly = self.strictly or "number" in self.kinds or "integer" in self.kinds
        known = self.kinds if self.named else ()
        self.kinds = tuple(
            both for kind in (known or wanted) if (both := _both(kind, wanted if known else self.kinds)) is not None
        )
        self.named = True

    def drop(self, kind: str) -> None:
        """Admit a kind no longer."""
        self.kinds = tuple(each for each in self.kinds if each != kind)

    def values(self, judges: Callable[[Piece, Any], bool], *, in_all_forms: bool = False) -> list[Any] | None:
        """The few values that it admits; None where they are not told one by one.

        `in_all_forms` has a number twice where its form matters: to draft-04 1.0 equals 1, and is no integer.
        """
        if not self.constants:
            return None
        first = min((values for _, values in self.constants), key=len)
        pointless = in_all_forms and any(node.dialect.pointless for node, _ in self.constants)
        found: dict[Any, Any] = {}
        for value in (each for held in first for each in (_forms_of(held) if pointless else (held,))):
            if kind_of(value, self.kinds) and all(judges(piece, value) for piece in self.pieces):
                found.setdefault((keyed(value), repr(value)) if pointless else keyed(value), value)
        return list(found.values())


def _forms_of(value: Any) -> tuple[Any, ...]:
    """A constant as it stands, with its whole numbers without a point, and with one."""
    return value, _respelled(value, float, int), _respelled(value, int, float)


def _respelled(value: Any, came: Any, made: Any) -> Any:
    if isinstance(value, dict):
        return {key: _respelled(held, came, made) for key, held in value.items()}
    if isinstance(value, list):
        return [_respelled(held, came, made) for held in value]
    if type(value) is not came or abs(value) > 2**53 or value != int(value):
        return value
    return made(value)


def _both(kind: str, kinds: Iterable[str]) -> str | None:
    """What a kind has in common with some."""
    if kind in kinds:
        return kind
    if kind == "number" and "integer" in kinds:
        return "integer"
    return "integer" if kind == "integer" and "number" in kinds else None


def json_kind(value: Any) -> str:
    """The kind of JSON that a value is of; "integer" for whole numbers."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, int | float):
        return "integer" if isinstance(value, int) or value.is_integer() else "number"
    return "string" if isinstance(value, str) else "array" if isinstance(value, list) else "object"


def kind_of(value: Any, kinds: Iterable[str]) -> str:
    """Which of some kinds a value is of, "" where of none."""
    kind = json_kind(value)
    if kind in kinds:
        return kind
    return "number" if kind == "integer" and "number" in kinds else ""


class TooMany(Exception):
    """More schemas stand together than can be told as one."""


def gathered(part: Part) -> Meaning:
    """What a part says, references and `allOf` followed. Raises TooMany where that comes to too much."""
    meaning = Meaning()
    seen: set[Piece] = set()
    waiting = list(part)
    while waiting:
        piece = waiting.pop(0)
        if piece in seen:
            continue
        seen.add(piece)
        if len(seen) > _MOST_NODES:
            raise TooMany
        meaning.pieces.append(piece)
        node = piece.node
        if node.raw is False:
            meaning.never = True
        words = piece.words()
        waiting += _take(meaning, piece, words)
    return meaning


def _take(meaning: Meaning, piece: Piece, words: Mapping[str, Any]) -> list[Piece]:
    """Put down what one schema says; gives back those that hold beside it."""
    node, beside = piece.node, []
    if "type" in words:
        meaning.limit(types_of(node, dict(words)), node.dialect)
    for word, wanted in (("string", _TEXT), ("number", _NUMBER)):
        if held := {each: words[each] for each in words if each in wanted}:
            meaning.of(word).append(SaidOfValue(node, held))
    lists = {each: words[each] for each in words if each in _LIST or each in _COUNTING}
    if not lists.keys() <= _COUNTING:
        meaning.lists.append(SaidOfValue(node, lists))
    if records := {each: words[each] for each in words if each in _RECORD}:
        meaning.records.append(SaidOfValue(node, records))
    for word, held in words.items():
        if word == "$ref":
            beside.append(Piece(node.document.library.target(node, held)))
        elif word == "allOf":
            beside += [Piece(node.subschema("allOf", at)) for at in range(len(held))]
        elif word in ("enum", "const"):
            meaning.constants.append((node, list(held) if word == "enum" else [held]))
        elif word not in _KNOWN:
            meaning.clauses.append(Clause(piece, word))
    return beside


_KNOWN = _TEXT | _NUMBER | _LIST | _RECORD | _LATE | {"type"}
