"""Check constraints to rules: comparisons, `BETWEEN`, `IN`, lengths, `IS NOT NULL`, joined by AND; others are told.

A constraint is SQL in text, or an expression of SQLAlchemy, which is turned to such text first.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from datetime import date, datetime
from decimal import Decimal
from typing import Any, Final

from sqlalchemy import CheckConstraint, Table
from sqlalchemy.exc import SQLAlchemyError

from ..declare.subjects import it
from ..declare.this import this

_TOKEN: Final = re.compile(
    r"\s*(?:(?P<number>[0-9]+(?:\.[0-9]+)?)|(?P<text>'(?:[^']|'')*')|(?P<name>\"[^\"]+\"|[A-Za-z_][\w.]*)"
    r"|(?P<sign><=|>=|<>|!=|=|<|>|\(|\)|,|-))"
)
_MOST: Final = 10_000
_TURNED: Final = {"<": ">", ">": "<", "<=": ">=", ">=": "<=", "=": "=", "<>": "<>", "!=": "!="}
_LENGTHS: Final = ("length", "char_length", "character_length", "len")
Parsed = tuple[str, Any]
"""("column", name), ("length", name) or ("value", a constant)."""


class _NotPlain(Exception):
    """A constraint of another kind."""


def check_constraints(table: Table) -> Iterator[str]:
    """The check constraints of a table as SQL: its own, and those that stand in its columns.

    An Enum or a Boolean may bring one, which its type says already.
    """
    for constraint in (*table.constraints, *(each for column in table.columns for each in column.constraints)):
        if not isinstance(constraint, CheckConstraint) or getattr(constraint, "_type_bound", False):
            continue
        try:
            words = str(constraint.sqltext.compile(compile_kwargs={"literal_binds": True}))
        except (SQLAlchemyError, NotImplementedError):
            words = str(constraint.sqltext)
        yield words.replace(f"{table.name}.", "")


class Checks:
    """What the check constraints of a table say.

    `by_column`  the rules of single columns, by the name of the column
    `together`   rules of several columns, with those columns
    `unread`     constraints of other kinds, as SQL
    """

    def __init__(self, table: Table, attributes: Mapping[str, str] | None = None) -> None:
        """`attributes` are those of a mapped class, by the names of its columns, where they are others."""
        self._attributes = attributes or {}
        self.by_column: dict[str, list[Any]] = {}
        self.together: list[tuple[Any, frozenset[str]]] = []
        self.unread: list[str] = []
        columns = {column.name: column for column in table.columns}
        for words in check_constraints(table):
            try:
                self._take(_Parser(words, columns).conditions(), columns)
            except _NotPlain:
                self.unread.append(words)

    def _take(self, conditions: list[tuple[Parsed, str, Any]], columns: Mapping[str, Any]) -> None:
        rules: list[tuple[str, Any]] = []
        together: list[tuple[Any, frozenset[str]]] = []
        for subject, sign, held in conditions:
            what, name = subject
            if sign == "not null":
                continue  # the column says it
            if sign in ("between", "in"):
                on = it.length if what == "length" else it
                values = [_constant(each, columns[name], of_length=what == "length") for each in held]
                rules.append((name, on.between(*values) if sign == "between" else it.one_of(*values)))
                if sign == "in" and what == "length":
                    raise _NotPlain
            elif held[0] == "column":
                if what != "column":
                    raise _NotPlain
                keys = [self._attributes.get(each, str(columns[each].key)) for each in (name, held[1])]
                together.append((_compared(getattr(this, keys[0]), sign, getattr(this, keys[1])), frozenset(keys)))
            elif held[0] == "value":
                value = _constant(held, columns[name], of_length=what == "length")
                rules.append((name, _compared(it.length if what == "length" else it, sign, value)))
            else:
                raise _NotPlain
        for name, rule in rules:
            self.by_column.setdefault(name, []).append(rule)
        self.together += together


class _Parser:
    """Reads the conditions of one constraint."""

    def __init__(self, words: str, columns: Mapping[str, Any]) -> None:
        if len(words) > _MOST:
            raise _NotPlain
        self.columns = columns
        self.tokens: list[tuple[str, str]] = []
        at = 0
        while words[at:].strip():
            found = _TOKEN.match(words, at)
            if found is None or found.lastgroup is None:
                raise _NotPlain
            self.tokens.append((found.lastgroup, found[found.lastgroup]))
            at = found.end()

    def conditions(self) -> list[tuple[Parsed, str, Any]]:
        """All conditions, which are joined by AND."""
        made = self._joined()
        if self.tokens:
            raise _NotPlain
        return made

    def _joined(self) -> list[tuple[Parsed, str, Any]]:
        made = self._condition()
        while self._word("and"):
            made += self._condition()
        return made

    def _word(self, word: str) -> bool:
        if self.tokens and self.tokens[0][0] in ("name", "sign") and self.tokens[0][1].lower() == word:
            self.tokens.pop(0)
            return True
        return False

    def _need(self, word: str) -> None:
        if not self._word(word):
            raise _NotPlain

    def _condition(self) -> list[tuple[Parsed, str, Any]]:
        if self._word("("):
            made = self._joined()
            self._need(")")
            return made
        subject = self._operand()
        if self._word("between"):
            low = self._operand()
            self._need("and")
            return [(self._subject(subject), "between", (low, self._operand()))]
        if self._word("in"):
            self._need("(")
            held = [self._operand()]
            while self._word(","):
                held.append(self._operand())
            self._need(")")
            return [(self._subject(subject), "in", tuple(held))]
        if self._word("is"):
            self._need("not")
            self._need("null")
            return [(self._subject(subject), "not null", None)]
        if not self.tokens or self.tokens[0][1] not in _TURNED:
            raise _NotPlain
        sign = self.tokens.pop(0)[1]
        other = self._operand()
        if subject[0] == "value":
            subject, sign, other = other, _TURNED[sign], subject
        return [(self._subject(subject), sign, other)]

    def _subject(self, held: Parsed) -> Parsed:
        if held[0] == "value":
            raise _NotPlain
        return held

    def _operand(self) -> Parsed:
        if self._word("-"):
            what, held = self._operand()
            if what != "value" or not isinstance(held, Decimal):
                raise _NotPlain
            return "value", -held
        if not self.tokens:
            raise _NotPlain
        sort, words = self.tokens.pop(0)
        if sort == "number":
            return "value", Decimal(words)
        if sort == "text":
            return "value", words[1:-1].replace("''", "'")
        if sort != "name":
            raise _NotPlain
        if words.lower() in _LENGTHS and self._word("("):
            what, name = self._operand()
            self._need(")")
            if what != "column":
                raise _NotPlain
            return "length", name
        name = words.rpartition(".")[2].strip('"')
        found = name if name in self.columns else {each.lower(): each for each in self.columns}.get(name.lower())
        if found is None:
            raise _NotPlain
        return "column", found


def _compared(subject: Any, sign: str, held: Any) -> Any:
    made: dict[str, Callable[[], Any]] = {
        "<": lambda: subject < held,
        "<=": lambda: subject <= held,
        ">": lambda: subject > held,
        ">=": lambda: subject >= held,
        "=": lambda: subject == held,
        "<>": lambda: subject != held,
        "!=": lambda: subject != held,
    }
    return made[sign]()


def turned(rule: Any) -> str:
    """A comparison of two columns as it is written the other way round; anything else as it is."""
    sign = getattr(rule, "sign", "")
    return f"{rule.right} {_TURNED.get(sign, sign)} {rule.left}" if sign in (*_TURNED, "==") else str(rule)


def _constant(held: Parsed, column: Any, *, of_length: bool) -> Any:
    """A constant as the Python type of its column has it."""
    if held[0] != "value":
        raise _NotPlain
    value = held[1]
    try:
        wanted = int if of_length else column.type.python_type
    except NotImplementedError:
        raise _NotPlain from None
    if isinstance(value, Decimal):
        if wanted in (int, float) and value == int(value):
            return int(value)
        if wanted in (float, Decimal):
            return wanted(value)
        raise _NotPlain
    try:
        if wanted in (date, datetime):
            return wanted.fromisoformat(value)
    except ValueError:
        raise _NotPlain from None
    if wanted is not str:
        raise _NotPlain
    return value
