"""One walk over shapes: what is inside a use, where records lead, and what is secret."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

from .nodes import Alias, Branches, Entries, Link, Node
from .shape import Field, Record, Shape
from .uses import Use


def inside(use: Use) -> tuple[Use, ...]:
    """The uses that stand directly inside one, not looking into records."""
    return use.node.inside if use.via is None else (*use.node.inside, use.via)


def in_place_of(use: Use, aliases: Mapping[str, Use]) -> tuple[Use, ...]:
    """Those of which one stands where a use does, with nothing between: what is wrapped, options."""
    return (aliases[use.node.key],) if isinstance(use.node, Alias) else use.node.in_place


def standing(use: Use, aliases: Mapping[str, Use]) -> Iterator[Use]:
    """A use and all that may stand in its place."""
    yield use
    for each in in_place_of(use, aliases):
        yield from standing(each, aliases)


def every(use: Use) -> Iterator[Use]:
    """A use and all that are inside it, however deep, not looking into records."""
    waiting = [use]
    while waiting:
        each = waiting.pop()
        yield each
        waiting += reversed(inside(each))


def fields_of(record: Record) -> tuple[Field, ...]:
    """All fields of a record, the one that gathers the rest and those that are only computed among them."""
    return (*record.fields, *record.rests, *record.computed)


def uses_of(shape: Shape) -> list[Use]:
    """Every use of a node in a shape."""
    roots = [shape.root, *(use for uses in held_by(shape.records, shape.aliases).values() for use in uses)]
    return [each for root in roots for each in every(root)]


def named_uses(shape: Shape) -> Iterator[tuple[str, Use]]:
    """Every use of a node in a shape, with its name in lists of rules, as in `Booking.crates[]`."""
    yield from _named(shape.name, shape.root)
    for record in shape.records.values():
        for field in fields_of(record):
            yield from _named(f"{record.name}.{field.attribute}", field.use)
    for key, use in shape.aliases.items():
        yield from _named(key, use)


def _named(name: str, use: Use) -> Iterator[tuple[str, Use]]:
    yield name, use
    for behind, inner in use.node.named_inside():
        yield from _named(f"{name}{behind}", inner)


def part_of(shape: Shape, use: Use) -> Shape:
    """A part of a shape as one by itself: the use, and the records and aliases that it leads to."""
    reached: dict[str, None] = {}
    waiting = [use]
    while waiting:
        for key in links(waiting.pop()) - reached.keys():
            reached[key] = None
            waiting += [field.use for field in fields_of(shape.records[key])] if key in shape.records else []
            waiting += [shape.aliases[key]] if key in shape.aliases else []
    return shape.replace(
        root=use,
        records={key: record for key, record in shape.records.items() if key in reached},
        aliases={key: alias for key, alias in shape.aliases.items() if key in reached},
        recursive=shape.recursive & reached.keys(),
        guarded=shape.guarded & reached.keys(),
    )


def nodes(use: Use) -> list[Node]:
    """All nodes of a use, not looking into records."""
    return [each.node for each in every(use)]


def held_by(records: Mapping[str, Record], aliases: Mapping[str, Use]) -> dict[str, list[Use]]:
    """The uses that each record and each alias is made of."""
    held = {key: [field.use for field in fields_of(record)] for key, record in records.items()}
    return held | {key: [use] for key, use in aliases.items()}


def links(use: Use) -> set[str]:
    """The keys of all records and aliases that a use leads to, not looking into them."""
    return {node.leads_to for node in nodes(use)} - {""}


def leads(held: Mapping[str, Iterable[Use]]) -> dict[str, set[str]]:
    """The records and aliases that each one leads to directly."""
    return {key: {link for use in uses for link in links(use)} for key, uses in held.items()}


def recursive_of(leads_to: Mapping[str, Iterable[str]]) -> frozenset[str]:
    """The records and aliases that can hold themselves: those on a circle (Tarjan's way, without recursion)."""
    order: dict[str, int] = {}
    low: dict[str, int] = {}
    held: list[str] = []
    on_stack: set[str] = set()
    found: set[str] = set()
    work: list[tuple[str, Iterator[str]]] = []

    def enter(key: str) -> None:
        order[key] = low[key] = len(order)
        held.append(key)
        on_stack.add(key)
        work.append((key, iter(leads_to[key])))

    def leave(key: str) -> None:
        work.pop()
        if work:
            above = work[-1][0]
            low[above] = min(low[above], low[key])
        if low[key] != order[key]:
            return
        circle = held[held.index(key) :] if key in leads_to[key] or held[-1] != key else []
        while held[-1] != key:
            on_stack.discard(held.pop())
        on_stack.discard(held.pop())
        found.update(circle)

    for start in leads_to:
        if start not in order:
            enter(start)
        while work:
            key, following = work[-1]
            for each in following:
                if each not in order:
                    enter(each)
                    break
                if each in on_stack:
                    low[key] = min(low[key], order[each])
            else:
                leave(key)
    return frozenset(found)


def guarded_of(held: Mapping[str, Iterable[Use]], leads_to: Mapping[str, Iterable[str]]) -> frozenset[str]:
    """The records and aliases that hold a secret, however deep."""
    behind: dict[str, set[str]] = {key: set() for key in held}
    for key, following in leads_to.items():
        for each in following:
            behind[each].add(key)
    waiting = [key for key, uses in held.items() if any(each.secret for use in uses for each in every(use))]
    found = set(waiting)
    while waiting:
        new = behind[waiting.pop()] - found
        found |= new
        waiting += new
    return frozenset(found)


def holds_secret(use: Use, guarded: frozenset[str]) -> bool:
    """Whether a value is a secret, or has one in it: then what came in its place is not shown either."""
    return any(each.secret or each.node.leads_to in guarded for each in every(use))


def holds_secrets(node: Node) -> bool:
    """Whether a node is made of secrets: a list of them is one."""
    return any(use.secret for use in node.inside)


def declared_part(shape: Shape, path: tuple[object, ...]) -> tuple[object, ...]:
    """A path as far as its steps are numbers or declared names: past that they come from data, and may be secret."""
    uses = [shape.root]
    for at, step in enumerate(path):
        opened = [each for use in uses for each in _opened(shape, use)]
        told = [use for use in opened if not (use.secret and isinstance(use.node, Entries))]
        uses = [each for use in told for each in _under(shape, use, step)]
        if not uses:
            return path[:at]
    return path


def undeclared_step(shape: Shape, path: Sequence[str | int]) -> tuple[int, frozenset[str]] | None:
    """The first step of a path to which no value of a shape can have anything, by its number, with the names that are
    declared there; None where all may lead somewhere."""
    uses = [shape.root]
    for at, step in enumerate(path):
        opened = [each for use in uses for each in _opened(shape, use)]
        if any(_may_hold_more(shape, use) for use in opened):
            return None
        uses = [each for use in opened for each in _under(shape, use, step)]
        if not uses:
            return at, frozenset(name for use in opened for name in _names_under(shape, use))
    return None


def _under(shape: Shape, use: Use, step: object) -> Iterator[Use]:
    """What may stand under a step from a use: an item, or a value under a name as the data has it."""
    yield from use.node.under(step)
    record = shape.record_of(use)
    if record is not None:
        yield from (field.use for field in (*record.fields, *record.computed) if field.comes_under(step))


def _names_under(shape: Shape, use: Use) -> Iterator[str]:
    match use.node:
        case Branches(tag=tag, held=held) if held:
            yield from (tag, held)
        case Link(key):
            yield from (field.wire for field in (*shape.records[key].fields, *shape.records[key].computed))


def _may_hold_more(shape: Shape, use: Use) -> bool:
    """Whether there may be something under names that nobody declared."""
    kind, record = use.node.single, shape.record_of(use)
    if use.making is not None or (kind is not None and dict in kind.comes_as):
        return True
    return record is not None and bool(record.rests)


def _opened(shape: Shape, use: Use) -> Iterator[Use]:
    """A use and all that may stand in its place, or that it is read from."""
    yield use
    for each in (*([] if use.via is None else [use.via]), *in_place_of(use, shape.aliases)):
        yield from _opened(shape, each)


def rebuilt(use: Use, change: Callable[[Use], Use]) -> Use:
    """A use in which every use, the inmost first, is what `change` makes of it; records are not looked into."""
    return change(rebuilt_inside(use, change))


def rebuilt_inside(use: Use, change: Callable[[Use], Use]) -> Use:
    """The same, the use itself left as it is."""
    before = use.node.inside
    after = tuple(rebuilt(each, change) for each in before)
    if any(new is not old for new, old in zip(after, before, strict=True)):
        use = use.replace(node=use.node.with_inside(after))
    if use.via is not None and (via := rebuilt(use.via, change)) is not use.via:
        use = use.replace(via=via)
    return use


def rebuilt_shape(shape: Shape, change: Callable[[Use], Use]) -> Shape:
    """A shape in which every use, the inmost first, is what `change` makes of it."""
    return shape.replace(
        root=rebuilt(shape.root, change),
        records=rebuilt_records(shape.records, change),
        aliases={key: rebuilt(use, change) for key, use in shape.aliases.items()},
    )


def rebuilt_records(records: Mapping[str, Record], change: Callable[[Use], Use]) -> dict[str, Record]:
    """The records with every use of their fields rebuilt."""

    def field(held: Field) -> Field:
        use = rebuilt(held.use, change)
        return held if use is held.use else held.replace(use=use)

    made: dict[str, Record] = {}
    for key, record in records.items():
        fields = tuple(map(field, record.fields))
        rests = tuple(map(field, record.rests))
        computed = tuple(map(field, record.computed))
        same = all(new is old for new, old in zip((*fields, *rests, *computed), fields_of(record), strict=True))
        made[key] = record if same else record.replace(fields=fields, rests=rests, computed=computed)
    return made
