"""A file of settings to fill in: every key with its text, type, rules and default."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from random import Random
from typing import TYPE_CHECKING, Any

from ..document.rules_in_words import rules_in_words
from ..report.fault import Path, dotted
from ..sample.payloads import CannotSample, Payloads
from ..shape.nodes import MISSING, Choice, Entries, Field, Items, Link, Nothing, Nullable, Record, Use, default_of
from ..shape.to_json import plain
from ..shape.walk import part_of
from .as_declared import SCHEMA
from .names import Names, prefix_of, variable
from .written import CannotHold, env_line, in_json, in_variables, toml_key, toml_value, yaml_text, yaml_value

if TYPE_CHECKING:
    from .settings import Settings

_DEEPEST = 8


@dataclass(frozen=True, slots=True)
class Entry:
    """One setting of a template: its path, its field, whether it must be set, and what may stand there."""

    path: Path
    field: Field
    needed: bool
    record: Record | None
    value: Any

    @property
    def use(self) -> Use:
        """Where its type is used."""
        return self.field.use

    def words(self, names: Names) -> list[str]:
        """What is said of it: its text, then its type with its rules, and its default or that it must be set."""
        about = self.use.about
        title = f"{about.title}. " if about.title else ""
        told = [line.strip() for line in f"{title}{about.text or ''}".splitlines() if line.strip()]
        if self.record is not None and not about.text and self.record.text:
            told += [line.strip() for line in self.record.text.splitlines() if line.strip()][:1]
        kind = kind_in_words(self.use, names)
        last = ["needed"] if self.needed else [] if self.record is not None else [f"default: {self._default()}"]
        last += ["secret"] if self.use.secret else []
        last += ["deprecated"] if about.deprecated else []
        return [*told, "; ".join([*kind, *last])]

    def _default(self) -> str:
        if self.use.secret:
            return "a hidden value"
        return "none" if self.value is None else yaml_value(self.value, self.path)


def kind_in_words(use: Use, names: Names) -> list[str]:
    """What kind of value stands at a use, and its rules; a rule that says the kind as well stands alone."""
    kind, rules = type_in_words(use, names), rules_in_words(_inside(use))
    return rules if any(rule.startswith(kind) for rule in rules) else [kind, *rules]


def type_in_words(use: Use, names: Names) -> str:
    """What kind of value stands at a use, as operators read it."""
    inner = _inside(use)
    node = names.node(inner)
    null = ", or nothing" if isinstance(use.node, Nullable | Nothing) else ""
    match node:
        case Choice(wire=wire) if not use.secret:
            return "one of " + ", ".join(_told(each) for each in wire) + null
        case Items(item):
            separated = f", text split at {inner.split!r} too" if inner.split else ""
            behind = ", put behind those of earlier layers" if use.appended or inner.appended else ""
            return f"a list, each item {type_in_words(item, names)}{separated}{behind}{null}"
        case Entries(_, value):
            return f"values by name, each {type_in_words(value, names)}{null}"
        case Link(key):
            return f"a record ({names.shape.records[key].name}){null}"
        case _:
            return inner.facts.phrase + null


def _told(each: Any) -> str:
    return each if isinstance(each, str) else json.dumps(each)


def _inside(use: Use) -> Use:
    while hasattr(use.node, "inner"):
        use = use.node.inner
    return use


def entries(settings: Settings[Any]) -> list[Entry]:
    """Every setting of a declaration, in order, each record before what is in it."""
    names = settings.names
    sample = _sample(settings)
    return list(_entries(names.shape.root, (), sample, names, needed=True, through=()))


def _sample(settings: Settings[Any]) -> Any:
    """Sound settings, made up: defaults where there are some."""
    makes = Payloads(settings.gate.shape, Random(5))
    try:
        made = [makes.make() for _ in range(4)]
    except (CannotSample, RecursionError):
        return {}
    whole = min(made, key=lambda each: len(str(each)))
    with_defaults = _with_defaults(whole, settings.gate.shape.root, settings.names)
    return with_defaults if settings.gate.accepts(with_defaults) else whole


def _with_defaults(made: Any, use: Use, names: Names) -> Any:
    """The same where every field that has a default has it."""
    records = list(names.records(use, made))
    if not isinstance(made, dict) or len(records) != 1:
        return made
    found = {}
    for field in records[0].fields:
        if not field.required:
            default = _default_of(field, names)
            if default is not MISSING:
                found[field.wire] = default
        elif field.wire in made:
            found[field.wire] = _with_defaults(made[field.wire], field.use, names)
    return found


def _default_of(field: Field, names: Names) -> Any:
    if field.factory is None and field.default is MISSING:
        return MISSING
    try:
        return plain(field.use, default_of(field), names.shape)
    except Exception:  # a default that only a program can make
        return MISSING


def _entries(
    use: Use, path: Path, sample: Any, names: Names, *, needed: bool, through: tuple[str, ...]
) -> Iterator[Entry]:
    node = names.node(use)
    if not isinstance(node, Link) or len(path) > _DEEPEST or node.key in through:
        return
    for field in names.shape.records[node.key].fields:
        if field.only_given:
            continue
        here = (*path, field.wire)
        record = _opened(field.use, (*through, node.key), names) if len(here) <= _DEEPEST else None
        held = _default_of(field, names) if not field.required else MISSING
        given = sample.get(field.wire, MISSING) if isinstance(sample, dict) else MISSING
        value = given if held is MISSING else held
        if value is MISSING:
            value = _made_up(field.use, names)
        examples = field.use.about.examples
        if field.required and examples:
            value = examples[0]
        yield Entry(here, field, needed and field.required, record, value)
        if record is not None:
            below = value if isinstance(value, dict) else _made_up(field.use, names)
            must = needed and field.required
            yield from _entries(field.use, here, below, names, needed=must, through=(*through, node.key))


def _opened(use: Use, through: tuple[str, ...], names: Names) -> Record | None:
    """The record of which each field is a setting of its own; none for a secret, or for one inside of itself."""
    node = names.node(use)
    if not isinstance(node, Link) or use.secret or node.key in through:
        return None
    record = names.shape.records[node.key]
    return None if record.form == "tuple" else record


def _made_up(use: Use, names: Names) -> Any:
    makes = Payloads(part_of(names.shape, _inside(use)), Random(5))
    try:
        return min((makes.make() for _ in range(3)), key=lambda made: len(str(made)))
    except (CannotSample, RecursionError):
        return None


def template(settings: Settings[Any], format: str, *, schema: str) -> str:
    """The text of a template; see `Settings.template`."""
    writer = {"toml": _toml, "yaml": _yaml, "json": _json, "env": _env, "markdown": _markdown}[format]
    lines = list(writer(settings, entries(settings), schema))
    return "\n".join(lines).strip("\n") + "\n"


def _opening(settings: Settings[Any], how: str) -> list[str]:
    node = settings.names.node(settings.names.shape.root)
    assert isinstance(node, Link)
    record = settings.names.shape.records[node.key]
    told = [f"# {line}".rstrip() for line in (record.text or record.name).strip().splitlines()]
    return [*told, "#", f"# {how}", ""]


_UNCOMMENT = "Settings stand behind a # without a blank: take it away to set one. What is called needed must be set."


def _toml(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    yield from _opening(settings, _UNCOMMENT)
    if schema:
        yield from (f'"{SCHEMA}" = {toml_value(schema, ())}', "")
    yield from _toml_table(settings.names, every, (), needed=True)


def _toml_table(names: Names, every: list[Entry], path: Path, *, needed: bool) -> Iterator[str]:
    own = [entry for entry in every if entry.path[:-1] == path]
    for entry in own:
        if entry.record is None:
            yield from (f"# {line}" for line in entry.words(names))
            key = toml_key(str(entry.path[-1]))
            try:
                yield f"#{key} = {toml_value(entry.value, entry.path)}"
            except CannotHold:
                yield f"# {key} = (a value that TOML has no form for: leave it out)"
            yield ""
    for entry in own:
        if entry.record is not None:
            yield from (f"# {line}" for line in entry.words(names))
            mark = "" if entry.needed else "#"
            yield f"{mark}[{'.'.join(toml_key(str(step)) for step in entry.path)}]"
            yield from _toml_table(names, every, entry.path, needed=entry.needed)


def _yaml(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    yield from _opening(settings, _UNCOMMENT)
    if schema:
        yield from (f"{SCHEMA}: {yaml_text(schema, ())}", "")
    for entry in every:
        indent = "  " * (len(entry.path) - 1)
        yield from (f"# {indent}{line}" for line in entry.words(settings.names))
        key = f"#{indent}{yaml_text(str(entry.path[-1]), ())}:"
        yield key if entry.record is not None else f"{key} {yaml_value(entry.value, entry.path)}"
        if entry.record is None:
            yield ""


def _json(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    whole: dict[str, Any] = {SCHEMA: schema} if schema else {}
    for entry in every:
        level = whole
        for step in entry.path[:-1]:
            level = level.setdefault(step, {})
        level[str(entry.path[-1])] = {} if entry.record is not None else entry.value
    yield in_json(whole)


def _env(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    names, prefix = settings.names, prefix_of(settings.layers)
    yield from _opening(settings, _UNCOMMENT)
    for entry in every:
        if entry.record is not None:
            continue
        yield from (f"# {line}" for line in entry.words(names))
        nested: Any = entry.value
        for step in reversed(entry.path):
            nested = {step: nested}
        try:
            for name, text in in_variables(nested, names, prefix).items():
                yield f"#{env_line(name, text)}"
        except CannotHold:
            yield f"# {variable(prefix, entry.path)} (a value that no variable holds)"
        yield ""


def _markdown(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    names, prefix = settings.names, prefix_of(settings.layers)
    yield "| setting | variable | type and rules | default | |"
    yield "|---|---|---|---|---|"
    for entry in every:
        if entry.record is not None:
            continue
        kind = "; ".join(kind_in_words(entry.use, names))
        default = "**needed**" if entry.needed else "hidden" if entry.use.secret else _code(entry)
        about = entry.use.about
        text = " ".join(f"{about.title + '. ' if about.title else ''}{about.text or ''}".split())
        marks = [text, *(["secret"] if entry.use.secret else []), *(["deprecated"] if about.deprecated else [])]
        told = "; ".join(filter(None, marks))
        word = variable(prefix, entry.path)
        yield f"| `{dotted(entry.path)}` | `{word}` | {_cell(kind)} | {default} | {_cell(told)} |"


def _code(entry: Entry) -> str:
    told = "none" if entry.value is None else yaml_value(entry.value, entry.path)
    return f"`{_cell(told)}`" if "`" not in told else _cell(told)


def _cell(text: str) -> str:
    return text.replace("|", "\\|").replace("<", "&lt;").replace("\n", " ")
