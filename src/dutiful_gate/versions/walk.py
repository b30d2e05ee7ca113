"""Two documents walked side by side: each place where one says other than the other, and in which direction.

What is not flagged as narrowing is proved not to narrow: everything that the old document accepts, the new one does. So
whatever is not understood is flagged both ways.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from copy import copy
from fractions import Fraction
from json import dumps
from typing import Any, Final, NamedTuple

from ..declare.equality import keyed
from ..document.declaring.disjoint import Apart
from ..document.declaring.meaning import SAID_OF, Clause, Meaning, Part, Piece, Said, TooMany, gathered
from ..document.judging.keywords import contains_bounds, list_parts, number_bounds
from ..document.judging.library import Subschema
from ..gates.document import DocumentGate
from ..regex.search import ecma_search
from ..report.shown_values import shortened, visible
from .same_schemas import are_same

Path = tuple[str, ...]
ANY: Final = "*"
"""In a path: any item of a list, or any key that is not named."""
_MOST_STEPS: Final = 60_000
_MOST_OPTIONS: Final = 40
_MOST_CHANGES: Final = 2_000
_MOST_REFERENCES: Final = 50


class Change:
    """A place where two versions say different things.

    `path`      of the value in the data, ANY for any item or key
    `words`     what changed, for people
    `narrows`, `widens`  whether the new version may refuse what the old one accepts, and the other way round
    `old`, `new`  the schemas of the value in each version, () where it has none
    `edges`     values that may show it, for the place
    `key`       the key that may be left out, or may stand beside, to show it; "" for none
    """

    __slots__ = ("edges", "key", "narrows", "new", "old", "path", "widens", "words")

    def __init__(
        self,
        words: str,
        *,
        narrows: bool = False,
        widens: bool = False,
        old: Part = (),
        new: Part = (),
        path: Path = (),
        edges: Sequence[Any] = (),
        key: str = "",
    ) -> None:
        self.path = path
        self.words = words
        self.narrows = narrows
        self.widens = widens
        self.old = old
        self.new = new
        self.edges = tuple(edges)
        self.key = key

    def under(self, step: str) -> Change:
        """The same as seen from one step further up; where it is about a key, that key is the step."""
        made = copy(self)
        made.path = (step, *self.path)
        return made


class Pair(NamedTuple):
    """The schemas of one value in both versions; where kinds are named, as far as values are of these."""

    old: Part
    new: Part
    kinds: tuple[str, ...] | None = None
    kinds_now: tuple[str, ...] | None = None


class Lead(NamedTuple):
    """What was found of a value hangs on another pair: of what stands a step further in, or of the same value.

    `prefix` says, in words, that its changes are those of a part of what is asked of this value; `turned`, that what
    must not hold is compared, so that the directions turn round.
    """

    pair: Pair
    step: str = ""
    prefix: str = ""
    turned: bool = False


Found = Change | Lead


class Option(NamedTuple):
    """One of several things that a value may be: schemas, as far as values are of some kinds (None: of all theirs)."""

    part: Part
    meaning: Meaning
    kinds: tuple[str, ...]
    is_part: bool = False

    @property
    def restricted(self) -> tuple[str, ...] | None:
        """Its kinds, where its schemas have more."""
        return self.kinds if self.is_part else None


class Walk:
    """Walks two documents side by side.

    Every pair of schemas that is met is taken to say the same until something is found, and looked at again when what
    it hangs on turns out otherwise: so schemas that lead back to themselves come to an end, and each pair is told once.
    With `undeclared`, keys that a version does not declare, and does not refuse, count as sent.
    """

    def __init__(self, old: DocumentGate, new: DocumentGate, *, undeclared: bool = False) -> None:
        self.old, self.new = old, new
        self.undeclared = undeclared
        self._found: dict[Pair, list[Found]] = {}
        self._flags: dict[Pair, tuple[bool, bool]] = {}
        self._hanging: dict[Pair, set[Pair]] = {}
        self._waiting: dict[Pair, None] = {}
        self._at: Pair | None = None
        self._same: dict[tuple[Part, Part], bool] = {}
        self._meanings: dict[Part, Meaning] = {}
        self._apart = (Apart(_judge_of(old)), Apart(_judge_of(new)))

    def changes(self) -> list[Change]:
        """What changed, from the outside in; nothing where both say the same."""
        root = self._pair((Piece(self.old._engine.root),), (Piece(self.new._engine.root),))
        self._waiting[root] = None
        steps = 0
        while self._waiting:
            pair = next(iter(self._waiting))
            del self._waiting[pair]
            steps += 1
            if steps > _MOST_STEPS:
                words = "too much at once to be told apart"
                return [Change(words, narrows=True, widens=True, old=root.old, new=root.new)]
            self._look_at(pair)
        return self._told(root)

    def _look_at(self, pair: Pair) -> None:
        """Find what is said otherwise of a pair, by what is known of the others now."""
        self._at = pair
        try:
            found = [] if self._are_same(pair) else list(self._compared(pair))
        except TooMany:
            found = [Change("too many schemas at once", narrows=True, widens=True, old=pair.old, new=pair.new)]
        except RecursionError:
            found = [Change("nested too deep to be told", narrows=True, widens=True, old=pair.old, new=pair.new)]
        self._found[pair] = found
        narrows = widens = False
        for each in found:
            if isinstance(each, Change):
                narrows, widens = narrows or each.narrows, widens or each.widens
            else:
                flags = self._flags_of(each.pair)
                narrows, widens = narrows or flags[each.turned], widens or flags[not each.turned]
        before = self._flags.get(pair, (False, False))
        self._flags[pair] = (narrows or before[0], widens or before[1])
        if self._flags[pair] != before:
            self._waiting.update(dict.fromkeys(self._hanging.get(pair, ())))

    def _flags_of(self, pair: Pair) -> tuple[bool, bool]:
        """Whether a pair narrows, and whether it widens, as far as that is known; the one at hand hangs on it."""
        if self._at is not None:
            self._hanging.setdefault(pair, set()).add(self._at)
        if pair not in self._flags:
            self._flags[pair] = (False, False)
            self._waiting[pair] = None
        return self._flags[pair]

    def _told(self, root: Pair) -> list[Change]:
        """All changes that can be reached, each once, by the shortest path."""
        told: list[Change] = []
        seen: set[tuple[Pair, str, bool]] = set()
        waiting: deque[tuple[Pair, Path, str, bool]] = deque([(root, (), "", False)])
        while waiting and len(told) < _MOST_CHANGES:
            pair, path, prefix, turned = waiting.popleft()
            if (pair, prefix, turned) in seen:
                continue
            seen.add((pair, prefix, turned))
            for each in self._found.get(pair, ()):
                if isinstance(each, Lead):
                    further = (*path, each.step) if each.step and not prefix else path
                    waiting.append((each.pair, further, prefix or each.prefix, turned != each.turned))
                    continue
                change = copy(each)
                change.path = (*path, *each.path) if not prefix else path
                if prefix:
                    change.words, change.old, change.new, change.key = f"{prefix}: {each.words}", (), (), ""
                if turned:
                    change.narrows, change.widens = each.widens, each.narrows
                told.append(change)
        return told

    def _pair(
        self,
        old: Part,
        new: Part,
        kinds: tuple[str, ...] | None = None,
        kinds_now: tuple[str, ...] | None = None,
    ) -> Pair:
        """A pair, by the schemas that say something, and not those that only refer to them."""
        return Pair(_followed(old, self.old._engine.root), _followed(new, self.new._engine.root), kinds, kinds_now)

    def _are_same(self, pair: Pair) -> bool:
        if pair.kinds is not None or pair.kinds_now is not None:
            return False
        old, new = pair.old, pair.new
        if (old, new) not in self._same:
            plain = len(old) == len(new) and all(one.without == two.without for one, two in zip(old, new, strict=True))
            self._same[old, new] = plain and all(
                are_same(one.node, two.node) for one, two in zip(old, new, strict=True)
            )
        return self._same[old, new]

    def _meaning(self, part: Part) -> Meaning:
        """What a part says. Raises TooMany."""
        if part not in self._meanings:
            self._meanings[part] = gathered(part)
        return self._meanings[part]

    # A value

    def _compared(self, pair: Pair) -> Iterator[Found]:
        old, new = pair.old, pair.new
        was, now = self._meaning(old), self._meaning(new)
        if was.never or now.never or not was.kinds or not now.kinds:
            yield from self._never(was, now, old, new)
            return
        values, others = was.values(_judge_of(self.old)), now.values(_judge_of(self.new))
        if values is not None or others is not None:
            yield from self._constants(values, others, old, new)
            return
        if pair.kinds is not None or pair.kinds_now is not None:
            yield from self._facets(
                Option(old, was, pair.kinds or was.kinds), Option(new, now, pair.kinds_now or now.kinds)
            )
            return
        before, after = self._options(was, old, 0), self._options(now, new, 1)
        if len(before) == 1 and len(after) == 1:
            yield from self._facets(before[0], after[0])
            return
        if len(before) == 1:
            before = _by_kind(before[0])
        if len(after) == 1:
            after = _by_kind(after[0])
        yield from self._unions(before, after)

    def _never(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Change]:
        nothing, nothing_now = was.never or not was.kinds, now.never or not now.kinds
        if nothing != nothing_now:
            words = "admits no value any more" if nothing_now else "admitted no value before"
            yield Change(words, narrows=nothing_now, widens=nothing, old=old, new=new)

    def _constants(self, values: list[Any] | None, others: list[Any] | None, old: Part, new: Part) -> Iterator[Change]:
        """Where one of both names its few values, each can be asked."""
        gone = [each for each in values or () if not _accepts(self.new, new, each)]
        come = [each for each in others or () if not _accepts(self.old, old, each)]
        if values is not None and others is not None:
            if gone:
                yield Change(f"no longer {_listed(gone)}", narrows=True, old=old, new=new, edges=gone)
            if come:
                yield Change(f"now also {_listed(come)}", widens=True, old=old, new=new, edges=come)
        elif values is not None:
            words = f"was one of {_listed(values)}, now {self._phrase(new)}"
            yield Change(words, narrows=bool(gone), widens=True, old=old, new=new, edges=gone)
        else:
            words = f"was {self._phrase(old)}, now one of {_listed(others or [])}"
            yield Change(words, narrows=True, widens=bool(come), old=old, new=new, edges=come)

    def _phrase(self, part: Part) -> str:
        try:
            kinds = self._meaning(part).kinds
        except TooMany:
            return "something else"
        return " or ".join(_KIND_WORDS[kind] for kind in kinds) if len(kinds) < 4 else "any value"

    # Several things that a value may be

    def _options(self, meaning: Meaning, part: Part, side: int) -> list[Option]:
        """What a value may be by its `anyOf`, or by a `oneOf` whose options exclude each other."""
        unions = [clause for clause in meaning.clauses if clause.word in ("anyOf", "oneOf")]
        if len(unions) != 1:
            return [Option(part, meaning, meaning.kinds)]
        clause = unions[0]
        subschemas = clause.subschemas()
        if len(subschemas) > _MOST_OPTIONS:
            return [Option(part, meaning, meaning.kinds)]
        base = tuple(
            piece.less(clause.word) if piece.node is clause.node else piece
            for piece in meaning.pieces
            if not _only_refers(piece)
        )
        parts = [(*base, Piece(subschema)) for subschema in subschemas]
        if clause.word == "oneOf" and self._apart[side].alike(parts):
            return [Option(part, meaning, meaning.kinds)]
        made = []
        for each in parts:
            try:
                inner = self._meaning(each)
            except TooMany:
                return [Option(part, meaning, meaning.kinds)]
            if not inner.never and inner.kinds:
                made.append(Option(each, inner, inner.kinds))
        return made or [Option(part, meaning, meaning.kinds)]

    def _unions(self, before: list[Option], after: list[Option]) -> Iterator[Found]:
        """Each old option must lie within a new one, and the other way round; else the nearest is told."""
        taken: set[int] = set()
        for at, option in enumerate(before):
            pairs = {
                number: self._pair(option.part, other.part, option.restricted, other.restricted)
                for number, other in enumerate(after)
                if set(_plain(option.kinds)) & set(_plain(other.kinds))
            }
            within = [number for number, pair in pairs.items() if not self._flags_of(pair)[0]]
            near = within or [number for number in pairs if _is_near(option, after[number])]
            if not near:
                yield Change(f"no longer {self._named(option)}", narrows=True, old=option.part, new=self._all(after))
                continue
            number = min(near, key=lambda each: self._distance(at, option, each, after[each], pairs[each]))
            taken.add(number)
            yield Lead(pairs[number])
        for number, other in enumerate(after):
            if number in taken:
                continue
            pairs_of = [
                self._pair(option.part, other.part, option.restricted, other.restricted)
                for option in before
                if set(_plain(option.kinds)) & set(_plain(other.kinds))
            ]
            if not any(not self._flags_of(pair)[1] for pair in pairs_of):
                yield Change(f"now also {self._named(other)}", widens=True, old=self._all(before), new=other.part)

    def _distance(self, at: int, option: Option, number: int, other: Option, pair: Pair) -> tuple[bool, bool, bool]:
        """How far an option is from one of the other version: what says the same is nearest, then what is called so."""
        return any(self._flags_of(pair)), self._named(option) != self._named(other), at != number

    def _all(self, options: list[Option]) -> Part:
        return options[0].part if len(options) == 1 else ()

    def _named(self, option: Option) -> str:
        for piece in reversed(option.part):
            raw = piece.node.raw
            if isinstance(raw, dict):
                if isinstance(raw.get("title"), str):
                    return visible(shortened(raw["title"]))
                if isinstance(raw.get("$ref"), str):
                    return visible(shortened(raw["$ref"].rpartition("/")[2]))
        return " or ".join(_KIND_WORDS[kind] for kind in option.kinds)

    # What is asked of a value

    def _facets(self, before: Option, after: Option) -> Iterator[Found]:
        was, now, old, new = before.meaning, after.meaning, before.part, after.part
        gone = _without_kinds(before.kinds, after.kinds)
        come = _without_kinds(after.kinds, before.kinds)
        if gone and come and not set(_plain(before.kinds)) & set(_plain(after.kinds)):
            words = f"was {_kinds(before.kinds)}, now {_kinds(after.kinds)}"
            yield Change(words, narrows=True, widens=True, old=old, new=new)
            return
        if gone:
            edges = [value for kind in gone for value in _OF_KIND[kind]]
            yield Change(f"no longer {_kinds(gone)}", narrows=True, old=old, new=new, edges=edges)
        if come:
            edges = [value for kind in come for value in _OF_KIND[kind]]
            yield Change(f"now also {_kinds(come)}", widens=True, old=old, new=new, edges=edges)
        both = set(_plain(before.kinds)) & set(_plain(after.kinds))
        if was.strictly != now.strictly:
            words = "a whole number is no longer written with a point" if now.strictly else "3.0 is now a whole number"
            yield Change(words, narrows=now.strictly, widens=was.strictly, old=old, new=new, edges=[3.0])
        if "string" in both:
            yield from _texts(was.texts, now.texts, old, new)
        if "number" in both:
            yield from _numbers(was.numbers, now.numbers, old, new)
        if "array" in both:
            yield from self._lists(was, now, old, new)
        if "object" in both:
            yield from self._records(was, now, old, new)
        yield from self._clauses(was, now, old, new)

    def _lists(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        yield from _bounded("items", "minItems", "maxItems", was.lists, now.lists, old, new)
        unique, unique_now = (any(each.words.get("uniqueItems") for each in said) for said in (was.lists, now.lists))
        if unique != unique_now:
            words = "its items must now differ" if unique_now else "its items need no longer differ"
            yield Change(words, narrows=unique_now, widens=unique, old=old, new=new)
        heads, heads_now = _heads(was.lists), _heads(now.lists)
        for at in range(max(heads, heads_now)):
            yield Lead(self._pair(_item(was.lists, at), _item(now.lists, at)), str(at))
        yield Lead(self._pair(_item(was.lists, None), _item(now.lists, None)), ANY)
        yield from self._contained(was, now, old, new)

    def _contained(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Change]:
        asked, asked_now = (
            [
                (Piece(each.node.subschema("contains")), contains_bounds(each.words))
                for each in said
                if "contains" in each.words
            ]
            for said in (was.lists, now.lists)
        )
        if len(asked) == 1 and len(asked_now) == 1:
            (piece, (low, high)), (piece_now, (low_now, high_now)) = asked[0], asked_now[0]
            if are_same(piece.node, piece_now.node):
                yield from _ends("items that it must hold", low, high, low_now, high_now, old, new, ())
                return
        if not asked and not asked_now:
            return
        words = "other items must be among its items"
        if not asked:
            words = "some items must now be among its items"
        elif not asked_now:
            words = "no items must be among its items any more"
        yield Change(words, narrows=bool(asked_now), widens=bool(asked), old=old, new=new)

    # Records

    def _records(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        yield from _bounded("keys", "minProperties", "maxProperties", was.records, now.records, old, new)
        closed, closed_now = _is_closed(was), _is_closed(now)
        required, required_now = _required(was), _required(now)
        names, names_now = _names(was), _names(now)
        for name in dict.fromkeys([*names, *names_now]):
            if name in names and name in names_now:
                yield Lead(self._pair(self._under(was, name), self._under(now, name)), name)
            elif name in names:
                yield from self._gone(was, now, name, old, new, required=name in required, closed=closed_now)
            else:
                yield from self._new(was, now, name, old, new, required=name in required_now, closed=closed)
        for name in sorted(required - required_now):
            if name in names_now or name not in names:
                yield Change("may now be left out", widens=True, old=old, new=new, key=name).under(name)
        for name in sorted(required_now - required):
            if name in names or name not in names_now:
                yield Change("must now be there", narrows=True, old=old, new=new, key=name).under(name)
        yield from self._others(was, now, old, new, closed=closed, closed_now=closed_now)
        yield from self._dependencies(was, now, old, new)

    def _gone(
        self, was: Meaning, now: Meaning, name: str, old: Part, new: Part, *, required: bool, closed: bool
    ) -> Iterator[Found]:
        held = self._under(was, name)
        if _is_nothing(held):
            return
        further = self._under(now, name)
        if closed and _is_nothing(further):
            yield Change("gone, and now refused", narrows=True, widens=required, old=held, new=(), key=name).under(name)
        elif further and not _is_open(further):
            yield Lead(self._pair(held, further), name)
            if required:
                yield Change("may now be left out", widens=True, old=old, new=new, key=name).under(name)
        else:
            wide = required or (self.undeclared and not _is_open(held))
            yield Change("gone", widens=wide, old=held, new=further, edges=_OF_ANY_KIND, key=name).under(name)

    def _new(
        self, was: Meaning, now: Meaning, name: str, old: Part, new: Part, *, required: bool, closed: bool
    ) -> Iterator[Found]:
        held = self._under(now, name)
        if _is_nothing(held):
            return
        before = self._under(was, name)
        if closed and _is_nothing(before):
            words = "new, must be there" if required else "new, may be left out"
            yield Change(words, narrows=required, widens=True, old=(), new=held, key=name).under(name)
        elif before and not _is_open(before):
            yield Lead(self._pair(before, held), name)
            if required:
                yield Change("must now be there", narrows=True, old=old, new=new, key=name).under(name)
        else:
            narrow = required or (self.undeclared and not _is_open(held))
            words = "new, must be there" if required else "new, may be left out"
            yield Change(words, narrows=narrow, old=before, new=held, edges=_OF_ANY_KIND, key=name).under(name)

    def _under(self, meaning: Meaning, name: str) -> Part:
        """What is asked of the value of a key."""
        found: list[Piece] = []
        for each in meaning.records:
            words, matched = each.words, False
            if name in words.get("properties", {}):
                found.append(Piece(each.node.subschema("properties", name)))
                matched = True
            for pattern in words.get("patternProperties", {}):
                if ecma_search(pattern)(name):
                    found.append(Piece(each.node.subschema("patternProperties", pattern)))
                    matched = True
            if not matched and isinstance(words.get("additionalProperties"), dict | bool):
                found.append(Piece(each.node.subschema("additionalProperties")))
        if not found and _clause(meaning, "unevaluatedProperties") is False:
            piece = next(clause.piece for clause in meaning.clauses if clause.word == "unevaluatedProperties")
            found.append(Piece(piece.node.subschema("unevaluatedProperties")))
        return tuple(dict.fromkeys(found))

    def _others(
        self, was: Meaning, now: Meaning, old: Part, new: Part, *, closed: bool, closed_now: bool
    ) -> Iterator[Found]:
        """Keys that are not named."""
        patterns, patterns_now = _patterns(was), _patterns(now)
        for pattern in patterns.keys() & patterns_now.keys():
            yield Lead(self._pair(patterns[pattern], patterns_now[pattern]), ANY)
        if patterns.keys() != patterns_now.keys():
            words = f"keys by other patterns: {_listed(sorted(patterns_now.keys() ^ patterns.keys()))}"
            yield Change(words, narrows=True, widens=True, old=old, new=new)
        if closed != closed_now:
            words = (
                "keys that nobody declared are now refused" if closed_now else "keys that nobody declared may now come"
            )
            edges = ({"nobody_declared_this": 1},)
            yield Change(words, narrows=closed_now, widens=closed, old=old, new=new, edges=edges)
            return
        others, others_now = _additional(was), _additional(now)
        if not closed and (others or others_now):
            yield Lead(self._pair(others, others_now), ANY)
        named, named_now = _of_word(was, "propertyNames"), _of_word(now, "propertyNames")
        yield Lead(self._pair(named, named_now), prefix="its keys")

    def _dependencies(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        asked, asked_now = _dependent(was), _dependent(now)
        for given, wanted in sorted(asked_now - asked):
            yield Change(f"needs {wanted!r} when {given!r} comes", narrows=True, old=old, new=new, key=wanted)
        for given, wanted in sorted(asked - asked_now):
            yield Change(f"no longer needs {wanted!r} when {given!r} comes", widens=True, old=old, new=new, key=wanted)
        schemas, schemas_now = _dependent_schemas(was), _dependent_schemas(now)
        for name in sorted(schemas.keys() | schemas_now.keys()):
            yield Lead(self._pair(schemas.get(name, ()), schemas_now.get(name, ())), prefix=f"when {name!r} comes")

    # What joins schemas

    def _clauses(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        left, left_now = list(was.clauses), list(now.clauses)
        for clause in list(left):
            twin = next((each for each in left_now if _same_clause(clause, each)), None)
            if twin is not None:
                left.remove(clause)
                left_now.remove(twin)
        left = [each for each in left if not _is_closing(each)]
        left_now = [each for each in left_now if not _is_closing(each)]
        if len(left) == 1 and len(left_now) == 1 and left[0].word == left_now[0].word:
            paired = self._paired(left[0], left_now[0])
            if paired is not None:
                yield from paired
                return
        for clause in left:
            wide = not self._holds_anyway(clause, now)
            yield Change(f"no longer asks for {_clause_words(clause)}", widens=wide, old=old, new=new)
        for clause in left_now:
            narrow = not self._holds_anyway(clause, was)
            yield Change(f"now asks for {_clause_words(clause)}", narrows=narrow, old=old, new=new)

    def _holds_anyway(self, clause: Clause, meaning: Meaning) -> bool:
        """Whether what a keyword asks holds for every record of the other version, by the keys that it declares."""
        if self.undeclared or meaning.kinds != ("object",) or _patterns(meaning) or _additional(meaning):
            return False
        held = {clause.word: clause.node.raw[clause.word]}
        return _by_keys(held, frozenset(_names(meaning)), frozenset(_required(meaning))) is True

    def _paired(self, clause: Clause, twin: Clause) -> list[Lead] | None:
        """What changed within a `not` or an `if`; None where that tells nothing."""
        node, other = clause.node, twin.node
        if clause.word == "not":
            pair = self._pair((Piece(node.subschema("not")),), (Piece(other.subschema("not")),))
            return [Lead(pair, prefix="what must not be", turned=True)]
        if clause.word == "if" and are_same(node.subschema("if"), other.subschema("if")):
            return [
                Lead(self._pair(_subschema(node, word), _subschema(other, word)), prefix=prefix)
                for word, prefix in (
                    ("then", "where its condition holds"),
                    ("else", "where its condition does not hold"),
                )
            ]
        return None


def _subschema(node: Subschema, word: str) -> Part:
    return (Piece(node.subschema(word)),) if word in node.raw else ()


def _followed(part: Part, root: Subschema) -> Part:
    """A part in which what only refers to a schema is that schema."""
    return tuple(dict.fromkeys(_target_of(piece, root) for piece in part))


def _target_of(piece: Piece, root: Subschema) -> Piece:
    for _ in range(_MOST_REFERENCES):
        node = piece.node
        words = piece.words()
        if len(words) != 1 or node.dialect.nullable:
            return piece
        ((word, held),) = words.items()
        if word == "$ref":
            piece = Piece(_target(node, held))
        elif word in ("$dynamicRef", "$recursiveRef") and _is_anchored(root, word, held):
            piece = Piece(root)  # the outermost resource that has the anchor, and so the whole document
        else:
            return piece
    return piece


def _is_anchored(root: Subschema, word: str, reference: Any) -> bool:
    """Whether a reference that goes by the way it was reached leads to the document as a whole."""
    if not isinstance(root.raw, dict):
        return False
    if word == "$recursiveRef":
        return root.raw.get("$recursiveAnchor") is True
    return bool(f"#{root.raw.get('$dynamicAnchor')}" == reference)


def _judge_of(gate: DocumentGate) -> Any:
    engine = gate._engine
    return lambda piece, value: engine.judges(piece.node, value)


def _accepts(gate: DocumentGate, part: Part, value: Any) -> bool:
    return all(gate._engine.judges(piece.node, value) for piece in part)


_KIND_WORDS: Final = {
    "object": "a record", "array": "a list", "string": "text", "number": "a number", "integer": "a whole number",
    "boolean": "true or false", "null": "null",
}  # fmt: skip
_OF_KIND: Final[dict[str, tuple[Any, ...]]] = {
    "object": ({},), "array": ([],), "string": ("", "x"), "number": (0.5, 1.5), "integer": (0, 1),
    "boolean": (True, False), "null": (None,),
}  # fmt: skip

_OF_ANY_KIND: Final = tuple(value for values in _OF_KIND.values() for value in values)


def _kinds(kinds: Sequence[str]) -> str:
    return " or ".join(_KIND_WORDS[kind] for kind in kinds)


def _plain(kinds: Sequence[str]) -> list[str]:
    return ["number" if kind == "integer" else kind for kind in kinds]


def _without_kinds(kinds: Sequence[str], others: Sequence[str]) -> list[str]:
    """The kinds that others lack: a number that need not be whole is one that whole numbers lack."""
    return [kind for kind in kinds if kind not in others and not (kind == "integer" and "number" in others)]


def _by_kind(option: Option) -> list[Option]:
    return [Option(option.part, option.meaning, (kind,), is_part=True) for kind in option.kinds]


def _is_near(option: Option, other: Option) -> bool:
    """Whether two options may be one in two versions: of the same kinds, and not told apart by a tag."""
    if set(_plain(option.kinds)) != set(_plain(other.kinds)):
        return False
    tags, tags_now = _tags(option.meaning), _tags(other.meaning)
    return all(tags[name] & tags_now[name] for name in tags.keys() & tags_now.keys())


def _tags(meaning: Meaning) -> dict[str, set[Any]]:
    found: dict[str, set[Any]] = {}
    for each in meaning.records:
        for name, schema in each.words.get("properties", {}).items():
            if isinstance(schema, dict) and ("const" in schema or "enum" in schema):
                values = [schema["const"]] if "const" in schema else schema["enum"]
                found[name] = set(map(keyed, values))
    return found


def _only_refers(piece: Piece) -> bool:
    """Whether all that a schema says is said by what it refers to, which stands beside it."""
    return set(piece.words()) <= {"$ref", "allOf"}


# Text and numbers


def _texts(was: list[Said], now: list[Said], old: Part, new: Part) -> Iterator[Change]:
    yield from _bounded("characters", "minLength", "maxLength", was, now, old, new)
    for word, told in (
        ("pattern", "the pattern"), ("format", "the format"), ("contentEncoding", "the encoding"),
        ("contentMediaType", "the content"),
    ):  # fmt: skip
        before, after = (
            list(dict.fromkeys(each.words[word] for each in said if word in each.words)) for said in (was, now)
        )
        gone = [each for each in before if each not in after]
        come = [each for each in after if each not in before]
        if gone and come:
            words = f"{told} was {_listed(gone)}, now {_listed(come)}"
        elif gone:
            words = f"{told} {_listed(gone)} is no longer asked for"
        elif come:
            words = f"{told} {_listed(come)} is now asked for"
        else:
            continue
        yield Change(words, narrows=bool(come), widens=bool(gone), old=old, new=new, edges=("", "x", "QLP", "1", " x"))


def _bounded(
    unit: str, low: str, high: str, was: list[Said], now: list[Said], old: Part, new: Part
) -> Iterator[Change]:
    lows = [max((each.words[low] for each in said if low in each.words), default=0) for said in (was, now)]
    highs = [min((each.words[high] for each in said if high in each.words), default=None) for said in (was, now)]
    edges = [*_long(unit, lows, highs)]
    yield from _ends(unit, lows[0], highs[0], lows[1], highs[1], old, new, edges)


def _long(unit: str, lows: list[Any], highs: list[Any]) -> Iterator[Any]:
    if unit != "characters":
        return
    for end in (*lows, *highs):
        if end is not None and end <= 10_000:
            yield from ("x" * max(0, int(end) + more) for more in (-1, 0, 1))


def _ends(
    unit: str, low: Any, high: Any, low_now: Any, high_now: Any, old: Part, new: Part, edges: Sequence[Any]
) -> Iterator[Change]:
    if low != low_now:
        words = f"at least {low_now:,} {unit}, was {low:,}" if low else f"at least {low_now:,} {unit}, was any number"
        words = words if low_now else f"any number of {unit}, was at least {low:,}"
        yield Change(words, narrows=low_now > low, widens=low_now < low, old=old, new=new, edges=edges)
    if high != high_now:
        if high_now is None:
            words = f"any number of {unit}, was at most {high:,}"
        else:
            words = f"at most {high_now:,} {unit}, was {'any number' if high is None else f'{high:,}'}"
        narrows = high_now is not None and (high is None or high_now < high)
        yield Change(words, narrows=narrows, widens=not narrows, old=old, new=new, edges=edges)


def _numbers(was: list[Said], now: list[Said], old: Part, new: Part) -> Iterator[Change]:
    before, after = _bounds(was), _bounds(now)
    ends = [end for pair in (*before, *after) if pair is not None for end in [pair[0]]]
    edges = [value for end in ends for value in (end, end - 1, end + 1, end + 0.5, end - 0.5)]
    for at, (told, more) in enumerate((("at least", "above"), ("at most", "below"))):
        low, low_now = before[at], after[at]
        if low == low_now:
            continue
        narrows = low_now is not None and (low is None or _is_tighter(low_now, low, at))
        words = f"{_bound(low_now, told, more)}, was {_bound(low, told, more)}"
        yield Change(words, narrows=narrows, widens=not narrows, old=old, new=new, edges=edges)
    steps, steps_now = (
        list(dict.fromkeys(each.words["multipleOf"] for each in said if "multipleOf" in each.words))
        for said in (was, now)
    )
    narrows = not all(any(_divides(step, other) for other in steps) for step in steps_now)
    widens = not all(any(_divides(step, other) for other in steps_now) for step in steps)
    if narrows or widens:
        words = f"a multiple of {_listed(steps_now)}" if steps_now else "a multiple of nothing"
        words = f"{words}, was {f'of {_listed(steps)}' if steps else 'any number'}"
        multiples = [step * factor for step in (*steps, *steps_now) for factor in (1, 2, 3, 7)]
        yield Change(words, narrows=narrows, widens=widens, old=old, new=new, edges=[1, 0.5, *multiples])


Bound = tuple[Any, bool]


def _bounds(said: list[Said]) -> tuple[Bound | None, Bound | None]:
    """The tightest floor and ceiling, each with whether it is excluded."""
    bounds = [bound for each in said for bound in number_bounds(each.words)]
    lows = [(bound, sign == ">") for sign, bound in bounds if sign.startswith(">")]
    highs = [(bound, sign == "<") for sign, bound in bounds if sign.startswith("<")]
    low = max(lows, key=lambda each: (each[0], each[1]), default=None)
    high = min(highs, key=lambda each: (each[0], not each[1]), default=None)
    return low, high


def _is_tighter(one: Bound, other: Bound, at: int) -> bool:
    if one[0] == other[0]:
        return one[1] and not other[1]
    return bool(one[0] > other[0] if at == 0 else one[0] < other[0])


def _bound(bound: Bound | None, told: str, more: str) -> str:
    return "unbounded" if bound is None else f"{more if bound[1] else told} {bound[0]:,}"


def _divides(step: Any, other: Any) -> bool:
    """Whether all multiples of another are multiples of a step."""
    try:
        return (Fraction(str(other)) / Fraction(str(step))).denominator == 1
    except (ValueError, ZeroDivisionError):
        return bool(step == other)


# Parts of lists and records


def _heads(said: list[Said]) -> int:
    return max((len(list_parts(each.node, each.words)[0]) for each in said), default=0)


def _item(said: list[Said], at: int | None) -> Part:
    found = []
    for each in said:
        heads, more = list_parts(each.node, each.words)
        held = heads[at] if at is not None and at < len(heads) else more
        if held is not None:
            found.append(Piece(held))
    return tuple(dict.fromkeys(found))


def _names(meaning: Meaning) -> dict[str, None]:
    return dict.fromkeys(name for each in meaning.records for name in each.words.get("properties", {}))


def _required(meaning: Meaning) -> set[str]:
    return {
        name
        for each in meaning.records
        if isinstance(each.words.get("required"), list)
        for name in each.words["required"]
    }


def _is_closed(meaning: Meaning) -> bool:
    """Whether keys that are not named are refused."""
    if _clause(meaning, "unevaluatedProperties") is False:
        return True
    return any(
        each.words.get("additionalProperties") is False and "patternProperties" not in each.words
        for each in meaning.records
    )


def _clause(meaning: Meaning, word: str) -> Any:
    return next((clause.node.raw[word] for clause in meaning.clauses if clause.word == word), None)


def _is_closing(clause: Clause) -> bool:
    return clause.word == "unevaluatedProperties" and clause.node.raw[clause.word] is False


def _additional(meaning: Meaning) -> Part:
    return _of_word(meaning, "additionalProperties")


def _of_word(meaning: Meaning, word: str) -> Part:
    return tuple(
        dict.fromkeys(
            Piece(each.node.subschema(word))
            for each in meaning.records
            if isinstance(each.words.get(word), dict | bool)
        )
    )


def _patterns(meaning: Meaning) -> dict[str, Part]:
    found: dict[str, list[Piece]] = {}
    for each in meaning.records:
        for pattern in each.words.get("patternProperties", {}):
            found.setdefault(pattern, []).append(Piece(each.node.subschema("patternProperties", pattern)))
    return {pattern: tuple(pieces) for pattern, pieces in found.items()}


def _dependent(meaning: Meaning) -> set[tuple[str, str]]:
    return {
        (given, wanted)
        for each in meaning.records
        for word in ("dependentRequired", "dependencies")
        for given, names in each.words.get(word, {}).items()
        if isinstance(names, list)
        for wanted in names
    }


def _dependent_schemas(meaning: Meaning) -> dict[str, Part]:
    found: dict[str, list[Piece]] = {}
    for each in meaning.records:
        for word in ("dependentSchemas", "dependencies"):
            for name, held in each.words.get(word, {}).items():
                if not isinstance(held, list):
                    found.setdefault(name, []).append(Piece(each.node.subschema(word, name)))
    return {name: tuple(pieces) for name, pieces in found.items()}


def _same_clause(clause: Clause, other: Clause) -> bool:
    """Whether two keywords, which join schemas, say the same."""
    if clause.word != other.word:
        return False
    node, twin = clause.node, other.node
    held, also = node.raw[clause.word], twin.raw[other.word]
    if clause.word == "if":
        for word in ("then", "else"):
            if (word in node.raw) != (word in twin.raw):
                return False
            if word in node.raw and not are_same(node.subschema(word), twin.subschema(word)):
                return False
    if clause.word in ("$dynamicRef", "$recursiveRef"):
        return bool(held == also) and are_same(_target(node, held), _target(twin, also))
    if isinstance(held, list):
        if len(held) != len(also):
            return False
        return all(are_same(node.subschema(clause.word, at), twin.subschema(other.word, at)) for at in range(len(held)))
    if isinstance(held, dict | bool) and isinstance(also, dict | bool):
        return are_same(node.subschema(clause.word), twin.subschema(other.word))
    return bool(keyed(held) == keyed(also))


def _target(node: Subschema, reference: str) -> Subschema:
    return node.document.library.target(node, reference)


def _by_keys(schema: Any, declared: frozenset[str], required: frozenset[str]) -> bool | None:
    """Whether a schema that asks for keys holds, where some are always there and others never; None where that hangs on
    more than keys."""
    if isinstance(schema, bool):
        return schema
    if not isinstance(schema, dict):
        return None
    answers: list[bool | None] = []
    for word, held in schema.items():
        if word == "required" and isinstance(held, list):
            answers.append(False if not declared.issuperset(held) else True if required.issuperset(held) else None)
        elif word == "not":
            inner = _by_keys(held, declared, required)
            answers.append(None if inner is None else not inner)
        elif word in ("anyOf", "allOf", "oneOf") and isinstance(held, list):
            answers.append(_joined(word, [_by_keys(each, declared, required) for each in held]))
        elif word not in SAID_OF:
            answers.append(None)
    return _joined("allOf", answers)


def _joined(word: str, answers: list[bool | None]) -> bool | None:
    if word == "allOf":
        return False if False in answers else None if None in answers else True
    if word == "anyOf":
        return True if True in answers else None if None in answers else False
    return None if None in answers else answers.count(True) == 1


def _clause_words(clause: Clause) -> str:
    held = clause.node.raw.get(clause.word)
    return f"{clause.word} {visible(shortened(dumps(held, ensure_ascii=False, default=str), 60))}"


def _is_open(part: Part) -> bool:
    """Whether a part asks for nothing."""
    return all(piece.node.raw is True or (piece.node.raw is not False and not piece.words()) for piece in part)


def _is_nothing(part: Part) -> bool:
    """Whether nothing may stand there."""
    return any(piece.node.raw is False for piece in part)


def _listed(values: Sequence[Any]) -> str:
    told = [visible(shortened(dumps(each, ensure_ascii=False, default=str), 60)) for each in values[:8]]
    more = f" and {len(values) - 8:,} more" if len(values) > 8 else ""
    return ", ".join(told) + more


__all__ = ["ANY", "Change", "Walk"]
