"""Two documents walked side by side: each place where one says other than the other, and in which direction.

What is not flagged as narrowing is proved not to narrow: everything that the old document accepts, the new one does. So
whatever is not understood is flagged both ways.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from copy import copy
from typing import Any, Final

from ..document.declaring.disjoint import Apart
from ..document.declaring.meaning import Clause, Meaning, Part, Piece, TooMany, gathered, judging_pieces
from ..document.judging.keywords import contains_bounds
from ..gates.document import DocumentGate
from ..report.shown_values import shortened, visible
from .bounds import counted_changes, end_changes, number_changes, text_changes
from .changes import (
    ANY,
    KIND_WORDS,
    OF_ANY_KIND,
    OF_KIND,
    Change,
    Found,
    Lead,
    Option,
    Pair,
    Path,
    by_kind,
    kinds_in_words,
    listed,
    plain_kinds,
    without_kinds,
)
from .joined_schemas import clause_in_words, followed, holds_by_keys, is_near, only_refers, same_clause, subschema_part
from .members import (
    additional_of,
    dependent_names,
    dependent_schemas,
    head_count,
    is_closed,
    is_nothing,
    is_open,
    item_at,
    names_of,
    part_of_word,
    patterns_of,
    required_of,
    search_of,
)
from .same_schemas import are_same
from .unevaluated import UNEVALUATED, closes, left_alike

_MOST_STEPS: Final = 60_000
_MOST_OPTIONS: Final = 40
_MOST_CHANGES: Final = 2_000


class SideBySide:
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
        self._judges = judging_pieces(old._engine.judges), judging_pieces(new._engine.judges)
        self._apart = Apart(self._judges[0]), Apart(self._judges[1])

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
        return Pair(followed(old, self.old._engine.root), followed(new, self.new._engine.root), kinds, kinds_now)

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
        values = was.values(self._judges[0], in_all_forms=True)
        others = now.values(self._judges[1], in_all_forms=True)
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
            if before[0].part != old or after[0].part != new:  # the one that is left may name its few values
                yield Lead(self._pair(before[0].part, after[0].part))
            else:
                yield from self._facets(before[0], after[0])
            return
        if len(before) == 1:
            before = by_kind(before[0])
        if len(after) == 1:
            after = by_kind(after[0])
        yield from self._unions(before, after)

    def _never(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Change]:
        nothing, nothing_now = was.never or not was.kinds, now.never or not now.kinds
        if nothing != nothing_now:
            words = "admits no value any more" if nothing_now else "admitted no value before"
            yield Change(words, narrows=nothing_now, widens=nothing, old=old, new=new)

    def _constants(self, values: list[Any] | None, others: list[Any] | None, old: Part, new: Part) -> Iterator[Change]:
        """Where one of both names its few values, each can be asked."""
        gone = [each for each in values or () if not all(self._judges[1](piece, each) for piece in new)]
        come = [each for each in others or () if not all(self._judges[0](piece, each) for piece in old)]
        if values is not None and others is not None:
            if gone:
                yield Change(f"no longer {listed(gone)}", narrows=True, old=old, new=new, edges=gone)
            if come:
                yield Change(f"now also {listed(come)}", widens=True, old=old, new=new, edges=come)
        elif values is not None:
            words = f"was one of {listed(values)}, now {self._phrase(new)}"
            yield Change(words, narrows=bool(gone), widens=True, old=old, new=new, edges=gone)
        else:
            words = f"was {self._phrase(old)}, now one of {listed(others or [])}"
            yield Change(words, narrows=True, widens=bool(come), old=old, new=new, edges=come)

    def _phrase(self, part: Part) -> str:
        try:
            kinds = self._meaning(part).kinds
        except TooMany:
            return "something else"
        return " or ".join(KIND_WORDS[kind] for kind in kinds) if len(kinds) < 4 else "any value"

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
        # What was gathered stands here by itself: nothing is to lead to it again.
        base = tuple(
            piece.less("$ref", "allOf", *([clause.word] if piece.node is clause.node else []))
            for piece in meaning.pieces
            if not only_refers(piece)
        )
        parts = [(*base, Piece(subschema)) for subschema in subschemas]
        late = any(each.word in UNEVALUATED for each in meaning.clauses)  # two options evaluate more than each alone
        if (clause.word == "oneOf" or late) and self._apart[side].alike(parts):
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
                if set(plain_kinds(option.kinds)) & set(plain_kinds(other.kinds))
            }
            within = [number for number, pair in pairs.items() if not self._flags_of(pair)[0]]
            near = within or [number for number in pairs if is_near(option, after[number])]
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
                if set(plain_kinds(option.kinds)) & set(plain_kinds(other.kinds))
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
        return " or ".join(KIND_WORDS[kind] for kind in option.kinds)

    # What is asked of a value

    def _facets(self, before: Option, after: Option) -> Iterator[Found]:
        was, now, old, new = before.meaning, after.meaning, before.part, after.part
        gone = without_kinds(before.kinds, after.kinds)
        come = without_kinds(after.kinds, before.kinds)
        if gone and come and not set(plain_kinds(before.kinds)) & set(plain_kinds(after.kinds)):
            words = f"was {kinds_in_words(before.kinds)}, now {kinds_in_words(after.kinds)}"
            yield Change(words, narrows=True, widens=True, old=old, new=new)
            return
        if gone:
            edges = [value for kind in gone for value in OF_KIND[kind]]
            yield Change(f"no longer {kinds_in_words(gone)}", narrows=True, old=old, new=new, edges=edges)
        if come:
            edges = [value for kind in come for value in OF_KIND[kind]]
            yield Change(f"now also {kinds_in_words(come)}", widens=True, old=old, new=new, edges=edges)
        both = set(plain_kinds(before.kinds)) & set(plain_kinds(after.kinds))
        if was.strictly != now.strictly:
            words = "a whole number is no longer written with a point" if now.strictly else "3.0 is now a whole number"
            yield Change(words, narrows=now.strictly, widens=was.strictly, old=old, new=new, edges=[3.0])
        if "string" in both:
            yield from text_changes(was.texts, now.texts, old, new)
        if "number" in both:
            yield from number_changes(was.numbers, now.numbers, old, new)
        if "array" in both:
            yield from self._lists(was, now, old, new)
        if "object" in both:
            yield from self._records(was, now, old, new)
        yield from self._clauses(was, now, old, new)

    def _lists(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        yield from counted_changes("items", "minItems", "maxItems", was.lists, now.lists, old, new)
        unique, unique_now = (any(each.words.get("uniqueItems") for each in said) for said in (was.lists, now.lists))
        if unique != unique_now:
            words = "its items must now differ" if unique_now else "its items need no longer differ"
            yield Change(words, narrows=unique_now, widens=unique, old=old, new=new)
        heads, heads_now = head_count(was.lists), head_count(now.lists)
        for at in range(max(heads, heads_now)):
            yield Lead(self._pair(item_at(was.lists, at), item_at(now.lists, at)), str(at))
        yield Lead(self._pair(item_at(was.lists, None), item_at(now.lists, None)), ANY)
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
                yield from end_changes("items that it must hold", low, high, low_now, high_now, old, new, ())
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
        yield from counted_changes("keys", "minProperties", "maxProperties", was.records, now.records, old, new)
        closed, closed_now = is_closed(was), is_closed(now)
        required, required_now = required_of(was), required_of(now)
        names, names_now = names_of(was), names_of(now)
        for name in dict.fromkeys([*names, *names_now]):
            if name in names and name in names_now:
                yield Lead(self._pair(self._under(was, name), self._under(now, name)), name)
            elif name in names:
                yield from self._gone(was, now, name, old, new, required=name in required, closed=closed_now)
            else:
                yield from self._new(was, now, name, old, new, required=name in required_now, closed=closed)
        for name in sorted(required - required_now):
            if name in names_now:
                yield Change("may now be left out", widens=True, old=old, new=new, key=name).under(name)
        for name in sorted(required_now - required):
            if name in names:
                yield Change("must now be there", narrows=True, old=old, new=new, key=name).under(name)
        yield from self._others(was, now, old, new, closed=closed, closed_now=closed_now)
        yield from self._dependencies(was, now, old, new)

    def _gone(
        self, was: Meaning, now: Meaning, name: str, old: Part, new: Part, *, required: bool, closed: bool
    ) -> Iterator[Found]:
        held, further = self._under(was, name), self._under(now, name)
        if is_nothing(held):
            if further and not is_open(further):
                yield Lead(self._pair(held, further), name)
            elif self.undeclared:
                yield Change(
                    "no longer refused", widens=True, old=held, new=further, edges=OF_ANY_KIND, key=name
                ).under(name)
            if required:
                yield Change("may now be left out", widens=True, old=old, new=new, key=name).under(name)
            return
        if closed and is_nothing(further):
            yield Change("gone, and now refused", narrows=True, widens=required, old=held, new=(), key=name).under(name)
        elif further and not is_open(further):
            yield Lead(self._pair(held, further), name)
            if required:
                yield Change("may now be left out", widens=True, old=old, new=new, key=name).under(name)
        else:
            wide = required or (self.undeclared and not is_open(held))
            yield Change("gone", widens=wide, old=held, new=further, edges=OF_ANY_KIND, key=name).under(name)

    def _new(
        self, was: Meaning, now: Meaning, name: str, old: Part, new: Part, *, required: bool, closed: bool
    ) -> Iterator[Found]:
        before, held = self._under(was, name), self._under(now, name)
        if is_nothing(held):
            if before and not is_open(before):
                yield Lead(self._pair(before, held), name)
            elif self.undeclared:
                yield Change("now refused", narrows=True, old=before, new=held, edges=OF_ANY_KIND, key=name).under(name)
            if required:
                yield Change("must now be there", narrows=True, old=old, new=new, key=name).under(name)
            return
        if closed and is_nothing(before):
            words = "new, must be there" if required else "new, may be left out"
            yield Change(words, narrows=required, widens=True, old=(), new=held, key=name).under(name)
        elif before and not is_open(before):
            yield Lead(self._pair(before, held), name)
            if required:
                yield Change("must now be there", narrows=True, old=old, new=new, key=name).under(name)
        else:
            narrow = required or (self.undeclared and not is_open(held))
            words = "new, must be there" if required else "new, may be left out"
            yield Change(words, narrows=narrow, old=before, new=held, edges=OF_ANY_KIND, key=name).under(name)

    def _under(self, meaning: Meaning, name: str) -> Part:
        """What is asked of the value of a key."""
        found: list[Piece] = []
        for each in meaning.records:
            words, matched = each.words, False
            if name in words.get("properties", {}):
                found.append(Piece(each.node.subschema("properties", name)))
                matched = True
            for pattern in words.get("patternProperties", {}):
                if search_of(pattern)(name):
                    found.append(Piece(each.node.subschema("patternProperties", pattern)))
                    matched = True
            if not matched and isinstance(words.get("additionalProperties"), dict | bool):
                found.append(Piece(each.node.subschema("additionalProperties")))
        if not found and closes(meaning):
            piece = next(clause.piece for clause in meaning.clauses if clause.word == "unevaluatedProperties")
            found.append(Piece(piece.node.subschema("unevaluatedProperties")))
        return tuple(dict.fromkeys(found))

    def _others(
        self, was: Meaning, now: Meaning, old: Part, new: Part, *, closed: bool, closed_now: bool
    ) -> Iterator[Found]:
        """Keys that are not named."""
        patterns, patterns_now = patterns_of(was), patterns_of(now)
        for pattern in patterns.keys() & patterns_now.keys():
            yield Lead(self._pair(patterns[pattern], patterns_now[pattern]), ANY)
        if patterns.keys() != patterns_now.keys():
            words = f"keys by other patterns: {listed(sorted(patterns_now.keys() ^ patterns.keys()))}"
            yield Change(words, narrows=True, widens=True, old=old, new=new)
        if closed != closed_now:
            words = (
                "keys that nobody declared are now refused" if closed_now else "keys that nobody declared may now come"
            )
            edges = ({"nobody_declared_this": 1},)
            yield Change(words, narrows=closed_now, widens=closed, old=old, new=new, edges=edges)
        others, others_now = additional_of(was), additional_of(now)
        if not closed and not closed_now and (others or others_now):
            yield Lead(self._pair(others, others_now), ANY)
        named, named_now = part_of_word(was, "propertyNames"), part_of_word(now, "propertyNames")
        yield Lead(self._pair(named, named_now), prefix="its keys")

    def _dependencies(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        asked, asked_now = dependent_names(was), dependent_names(now)
        for given, wanted in sorted(asked_now - asked):
            yield Change(f"needs {wanted!r} when {given!r} comes", narrows=True, old=old, new=new, key=wanted)
        for given, wanted in sorted(asked - asked_now):
            yield Change(f"no longer needs {wanted!r} when {given!r} comes", widens=True, old=old, new=new, key=wanted)
        schemas, schemas_now = dependent_schemas(was), dependent_schemas(now)
        for name in sorted(schemas.keys() | schemas_now.keys()):
            yield Lead(self._pair(schemas.get(name, ()), schemas_now.get(name, ())), prefix=f"when {name!r} comes")

    # What joins schemas

    def _clauses(self, was: Meaning, now: Meaning, old: Part, new: Part) -> Iterator[Found]:
        left, left_now = list(was.clauses), list(now.clauses)
        for clause in list(left):
            if clause.word in UNEVALUATED:
                continue
            twin = next((each for each in left_now if same_clause(clause, each)), None)
            if twin is not None:
                left.remove(clause)
                left_now.remove(twin)
        left = [each for each in left if each.word not in UNEVALUATED]
        left_now = [each for each in left_now if each.word not in UNEVALUATED]
        for word in UNEVALUATED:
            yield from self._unevaluated(was, now, word, old, new)
        if len(left) == 1 and len(left_now) == 1 and left[0].word == left_now[0].word:
            paired = self._paired(left[0], left_now[0])
            if paired is not None:
                yield from paired
                return
        for clause in left:
            wide = not self._holds_anyway(clause, now)
            yield Change(f"no longer asks for {clause_in_words(clause)}", widens=wide, old=old, new=new)
        for clause in left_now:
            narrow = not self._holds_anyway(clause, was)
            yield Change(f"now asks for {clause_in_words(clause)}", narrows=narrow, old=old, new=new)

    def _unevaluated(self, was: Meaning, now: Meaning, word: str, old: Part, new: Part) -> Iterator[Change]:
        """Where what nothing evaluates is asked otherwise, refused keys apart, which are told already."""
        sides = [any(clause.word == word for clause in each.clauses) for each in (was, now)]
        if not any(sides) or left_alike(was, now, word):
            return
        if word == "unevaluatedProperties" and all(
            closes(each) or not has for each, has in zip((was, now), sides, strict=True)
        ):
            return
        words = f"{word} may leave other {'keys' if word == 'unevaluatedProperties' else 'items'} to be judged"
        yield Change(words, narrows=sides[1], widens=sides[0], old=old, new=new)

    def _holds_anyway(self, clause: Clause, meaning: Meaning) -> bool:
        """Whether what a keyword asks holds for every record of the other version, by the keys that it declares."""
        if self.undeclared or meaning.kinds != ("object",) or patterns_of(meaning) or additional_of(meaning):
            return False
        held = {clause.word: clause.node.raw[clause.word]}
        return holds_by_keys(held, frozenset(names_of(meaning)), frozenset(required_of(meaning))) is True

    def _paired(self, clause: Clause, twin: Clause) -> list[Lead] | None:
        """What changed within a `not` or an `if`; None where that tells nothing."""
        node, other = clause.node, twin.node
        if clause.word == "not":
            pair = self._pair((Piece(node.subschema("not")),), (Piece(other.subschema("not")),))
            return [Lead(pair, prefix="what must not be", turned=True)]
        if clause.word == "if" and are_same(node.subschema("if"), other.subschema("if")):
            return [
                Lead(self._pair(subschema_part(node, word), subschema_part(other, word)), prefix=prefix)
                for word, prefix in (
                    ("then", "where its condition holds"),
                    ("else", "where its condition does not hold"),
                )
            ]
        return None


__all__ = ["ANY", "Change", "SideBySide"]
