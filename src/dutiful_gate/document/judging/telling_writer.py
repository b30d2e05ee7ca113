"""The source of a function that tells every fault of a value by one schema, and what such functions call."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from ...declare.equality import all_differ, too_alike
from ...report.fault import Path
from .causes import Keyword, numbered
from .findings import Finding, Found, Route
from .function_writer import FunctionWriter, Here
from .keywords import Scope
from .library import Subschema

Teller = Callable[[Any, Scope, Path, Route, Found], None]
"""Tells of a value, in a scope, at a path, come by on a route through the document, into what has been found."""
_SPARE_LEVELS = 8


class Unsettled(Exception):
    """More is at fault, or data nests deeper, than these functions count: the interpreter tells it word for word."""


def refused(found: Found, path: Path, keyword: Keyword, given: Any, route: Route) -> None:
    """Note that a keyword refuses. Raises Unsettled where there is no more room."""
    if len(found) >= found.most:
        raise Unsettled
    found.append(Finding(path, keyword, given, route))


def refused_for(found: Found, path: Path, keyword: Keyword, given: Any, route: Route, got: str) -> None:
    """The same, with words for what came."""
    if len(found) >= found.most:
        raise Unsettled
    found.append(Finding(path, keyword, given, route, (), got))


class TellingWriter(FunctionWriter):
    """Writes a function that notes each keyword that refuses, and goes on."""

    tells = True

    def unless(
        self,
        test: str,
        here: Here,
        node: Subschema,
        says: str,
        *steps: str | int,
        at: str = "",
        given: str = "",
        got: str = "",
    ) -> None:
        """Note it, and go on."""
        keyword = self.bind(self.compiler.keywords.at(node, says, *steps), "KEYWORD")
        path = f"(*{here.path}, {at})" if at else here.path
        told = given or ("None" if at else here.value)
        told = f"{told}, {here.route}, str({got})" if got else f"{told}, {here.route}"
        note = self.bind(refused_for if got else refused, "refused")
        line = f"{note}(found, {path}, {keyword}, {told})"
        self.write(line if test == "False" else f"if not {test}: {line}")

    @contextmanager
    def within(self, most: int, here: Here, node: Subschema) -> Iterator[None]:
        """A list or record past the limit is told, and not looked into."""
        self.unless(f"len({here.value}) <= {most}", here, node, "too many")
        with self.block("else:"):
            yield

    def bounds(self, size: str, low: str, high: str, here: Here, node: Subschema, words: dict[str, Any]) -> None:
        """Each of the two is told by itself."""
        if words.get(low):
            self.unless(f"{size} >= {self.bind(words[low], 'LEAST')}", here, node, low)
        if words.get(high) is not None:
            self.unless(f"{size} <= {self.bind(words[high], 'MOST')}", here, node, high)

    def beside(self, node: Subschema, here: Here, *steps: str | int) -> None:
        """Told by a function of its own, where what judges says no."""
        judged = self.judge(node, here.value)
        if judged != "True":
            there = self.through(here, *steps) if steps else here
            tell = f"{self.compiler.teller(node)}({there.value}, scope, {there.path}, {there.route}, found)"
            # Most of many are sound: they are spared the making of their path.
            self.write(f"if not {judged}: {tell}" if here.many and judged != "False" else tell)

    def alternatives(self, node: Subschema, word: str, options: list[str], here: Here) -> None:
        """With what each of them refuses."""
        many = self.bind(Alternatives(self.compiler.teller_of, self.compiler.keywords.at(node, word)), "BRANCH")
        call = f"{many}(found, {here.path}, {here.value}, {here.route}, scope"
        if word == "anyOf":
            self.write(f"if not ({' or '.join(options)}): {call})")
            return
        fits = self.writer.variable("fits")
        self.write(f"{fits} = [{', '.join(f'bool({option})' for option in options)}]")
        several = self.bind(self.compiler.keywords.at(node, "several fit", "oneOf"), "KEYWORD")
        self.write(f"if {fits}.count(True) != 1: {call}, {several}, {fits})")

    def dynamic(self, node: Subschema, word: str, here: Here, lead: Callable[..., Subschema]) -> None:
        """Told by the schema that it leads to from here."""
        call = self.bind(self.compiler.dynamic_call(lead), "DYNAMIC")
        tell = self.bind(lambda scope: self.compiler.teller_of(lead(scope)), "TELLER")
        there = self.through(here, word)
        told = f"{tell}(scope)({there.value}, scope, {there.path}, {there.route}, found)"
        self.write(f"if not {call}({here.value}, scope): {told}")

    def evaluated(self, node: Subschema, here: Here) -> None:
        """The interpreter follows what others looked at."""
        tell = self.bind(_Interpreted(self.compiler.interpreter.tell, node), "EVALUATED")
        self.write(f"{tell}({here.value}, scope, {here.path}, {here.route}, found)")

    def differ(self, node: Subschema, here: Here) -> None:
        """Items that are too alike to be compared are told so."""
        keywords = self.compiler.keywords
        alike = self.bind(keywords.at(node, "too alike", "uniqueItems"), "KEYWORD")
        several = self.bind(keywords.at(node, "uniqueItems"), "KEYWORD")
        which = f"{alike} if {self.bind(too_alike, 'too_alike')}({here.value}) else {several}"
        with self.block(f"if not {self.bind(all_differ, 'all_differ')}({here.value}):"):
            self.write(f"{self.bind(refused, 'refused')}(found, {here.path}, {which}, {here.value}, {here.route})")

    def names(self, node: Subschema, here: Here) -> None:
        """What is at fault is the key."""
        key = self.writer.variable("key")
        judged = self.judge(node, key)
        if judged == "True":
            return
        tell = self.bind(_told_of_key, "told_of_key")
        with self.block(f"for {key} in {here.value}:"):
            there = self.through(here, "propertyNames")
            call = f"{tell}({self.compiler.teller(node)}, {key}, scope, {there.path}, {there.route}, found)"
            self.write(call if judged == "False" else f"if not {judged}: {call}")

    def inside(self, node: Subschema, step: str, item: str, here: Here, *steps: str | int) -> Here:
        """Its path, and the way to what is said of it."""
        many = here.many or steps[0] != "properties"
        return Here(item, f"(*{here.path}, {step})", self.through(here, *steps).route, many)

    def items(self, node: Subschema, rest: Subschema, start: int, here: Here, depth: int) -> None:
        """With their numbers."""
        item, number = self.writer.variable("item"), self.writer.variable("number")
        which = f"{here.value}[{start}:], {start}" if start else here.value
        with self.block(f"for {number}, {item} in enumerate({which}):"):
            self.part(node, rest, number, item, here, depth + 1)

    def through(self, here: Here, *steps: str | int) -> Here:
        """The way goes on."""
        way = f"({here.route}, {self.bind(steps, 'STEPS')})"
        return here._replace(route=way)

    def opening(self, most_deep: int) -> None:
        """What a function begins with: data that may nest too deep is not for it."""
        deep = self.bind(unsettled, "unsettled")
        self.write(f"if len(path) > {most_deep - _SPARE_LEVELS}: {deep}()")


def unsettled() -> None:
    """Leave it to the interpreter."""
    raise Unsettled


class Alternatives:
    """Tells that none of several alternatives fits, with what each refuses; or that several do of which one should."""

    __slots__ = ("keyword", "subschemas", "teller_of")

    def __init__(self, teller_of: Callable[[Subschema], Teller], keyword: Keyword) -> None:
        self.teller_of = teller_of
        self.keyword = keyword
        node = keyword.node
        self.subschemas = [node.subschema(keyword.says, number) for number in range(len(keyword.held))]

    def __call__(
        self,
        found: Found,
        path: Path,
        value: Any,
        route: Route,
        scope: Scope,
        several: Keyword | None = None,
        fits: Sequence[bool] = (),
    ) -> None:
        """Note what is found; `fits` tells of each alternative whether it admits the value."""
        if several is not None and any(fits):
            which = [number for number, fit in enumerate(fits) if fit]
            refused_for(found, path, several, value, route, numbered(which))
            return
        branches = []
        for number, subschema in enumerate(self.subschemas):
            inner = Found(found.most)
            self.teller_of(subschema)(value, scope, path, (route, (self.keyword.says, number)), inner)
            branches.append(inner)
        refused(found, path, self.keyword, value, route)
        found[-1].branches = branches


class _Interpreted:
    """A schema that the interpreter tells of."""

    __slots__ = ("node", "tell")

    def __init__(self, tell: Callable[..., None], node: Subschema) -> None:
        self.node = node
        self.tell = tell

    def __call__(self, value: Any, scope: Scope, path: Path, route: Route, found: Found) -> None:
        self.tell(self.node, value, scope, path, route, found)
        if found.lost:
            raise Unsettled


def _told_of_key(tell: Teller, key: str, scope: Scope, path: Path, route: Route, found: Found) -> None:
    """What is said of a name of a property."""
    inner = Found(found.most)
    tell(key, scope, (*path, key), route, inner)
    for finding in inner:
        if len(found) >= found.most:
            raise Unsettled
        found.append(finding.told_of_key())
