"""A file of settings to fill in: every key with its text, type, rules and default."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from random import Random
from typing import TYPE_CHECKING, Any

from ..declare.facts import Stop
from ..declare.sources import Source
from ..document.rules_in_words import rules_in_words
from ..engine.engine import Engine
from ..engine.plan import Plan
from ..report.fault import Path, dotted
from ..report.markdown import code_span, escaped
from ..report.shown_values import visible
from ..sample.cannot_sample import CannotSample
from ..sample.payloads import Payloads
from ..shape.known_defaults import is_unknown, known_default, without_makers
from ..shape.nodes import Choice, Entries, Items, Link, Nothing, Nullable
from ..shape.shape import Field, Record
from ..shape.to_json import plain
from ..shape.uses import MISSING, Use
from ..shape.walk import holds_secret, part_of
from .as_declared import SCHEMA
from .names import SettingNames, prefix_of, variable
from .written import CannotHold, env_line, in_json, in_variables, toml_key, toml_value, yaml_text, yaml_value

if TYPE_CHECKING:
    from .settings import Settings

_DEEPEST = 8
_DEEPEST_TYPE = 3
_TRIES, _ENOUGH = 32, 12


@dataclass(frozen=True, slots=True)
class Entry:
    """One setting of a template.

    `needed`   whether it must be set
    `record`   the record whose fields are settings of their own, if it is one; `stands` whether it may stand there
               with nothing in it
    `value`    what may stand there, as plain data; MISSING where nothing was found
    `offered`  whether it goes together with all other values that are offered
    `default`  what is there unless it is set, as plain data; MISSING where there is none
    `hides`    whether it is a secret or holds one: no value of it is shown, neither made up nor its default
    """

    path: Path
    field: Field
    needed: bool
    record: Record | None
    stands: bool
    value: Any
    offered: bool
    default: Any

    hides: bool

    @property
    def use(self) -> Use:
        """Where its type is used."""
        return self.field.use

    @property
    def left_out(self) -> str:
        """Why no value is offered, "" where one is: no file to fill in holds a secret that works."""
        if self.hides:
            return "set a secret of your own" if self.field.required else "set a secret of your own, or leave it out"
        return "leave it out" if self.value is MISSING else ""

    def words(self, names: SettingNames) -> list[str]:
        """What is said of it: its text, then its type with its rules, and its default or that it must be set."""
        about = self.use.about
        title = f"{about.title}. " if about.title else ""
        told = [line.strip() for line in f"{title}{about.text or ''}".splitlines() if line.strip()]
        if self.record is not None and not about.text and self.record.text:
            told += [line.strip() for line in self.record.text.splitlines() if line.strip()][:1]
        last = ["needed"] if self.needed else []
        if not self.needed and self.record is None and self.default is not MISSING:
            last.append(f"default: {self.default_told()}")
        if self.record is None and self.default is MISSING and self.field.has_default:
            last.append("default: one that the program makes")
        last += ["secret"] if self.use.secret else []
        last += ["deprecated"] if about.deprecated else []
        return [*told, "; ".join([*kind_in_words(self.use, names), *last])]

    def default_told(self) -> str:
        """The default as people read it."""
        if self.default is None:
            return "nothing"
        return "a hidden value" if self.hides else yaml_value(self.default, self.path)


def kind_in_words(use: Use, names: SettingNames) -> list[str]:
    """What kind of value stands at a use, and its rules; a rule that says the kind as well stands alone."""
    kind, rules = type_in_words(use, names), rules_in_words(_inside(use), of_secrets=True)
    return rules if any(rule.startswith(kind) for rule in rules) else [kind, *rules]


def type_in_words(use: Use, names: SettingNames, deep: int = 0) -> str:
    """What kind of value stands at a use, as operators read it."""
    inner = _inside(use)
    node = names.node(inner) if deep < _DEEPEST_TYPE else None
    null = ", or nothing" if isinstance(use.node, Nullable | Nothing) else ""
    match node:
        case Choice(wire=wire) if not use.secret:
            return "one of " + ", ".join(each if isinstance(each, str) else json.dumps(each) for each in wire) + null
        case Items(item):
            separated = f", text split at {inner.split!r} too" if inner.split else ""
            behind = ", put behind those of earlier layers" if use.appended or inner.appended else ""
            return f"a list, each item {type_in_words(item, names, deep + 1)}{separated}{behind}{null}"
        case Entries(_, value):
            return f"values by name, each {type_in_words(value, names, deep + 1)}{null}"
        case Link(key):
            return f"a record ({names.shape.records[key].name}){null}"
        case _:
            return inner.facts.phrase + null


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
    """Sound settings, made up: examples and defaults where they are sound together."""
    shape = without_makers(settings.gate.shape)
    judge = Engine(Plan(shape, Source.MIXED, True, settings.limits))
    makes = Payloads(shape, Random(5))
    made: list[Any] = []
    for _ in range(_TRIES):
        with suppress(CannotSample, RecursionError):
            made.append(makes.make())
        if len(made) == _ENOUGH:
            break
    if not made:
        return {}
    made.sort(key=lambda each: len(str(each)))
    root, names = settings.gate.shape.root, settings.names
    for examples in (True, False):
        for whole in made:
            tried = _with_defaults(whole, root, names, examples=examples)
            if _accepts(judge, tried):
                return tried
    # Not all defaults are sound together: a rule asks for more. The others stay what they are.
    return max((_nearest(judge, whole, root, names) for whole in made), key=lambda kept: kept[0])[1]


def _nearest(judge: Engine, made: Any, root: Use, names: SettingNames) -> tuple[tuple[int, list[bool]], Any]:
    """Made settings with the defaults that they bear, one after the other; and how many these are, and which."""
    kept = []
    for path, default in _defaults_in(made, root, names, ()):
        tried = _set(made, path, default)
        kept.append(_accepts(judge, tried))
        made = tried if kept[-1] else made
    return (sum(kept), kept), made


def _accepts(judge: Engine, made: Any) -> bool:
    return judge.collect(made)[0].__class__ is not Stop


def _defaults_in(made: Any, use: Use, names: SettingNames, path: Path) -> Iterator[tuple[Path, Any]]:
    """The defaults of all fields in made settings, each with its path, those of a record before what is in it."""
    records = list(names.records(use, made))
    if not isinstance(made, dict) or len(records) != 1:
        return
    for field in records[0].fields:
        if (default := _default_of(field, names)) is not MISSING:
            yield (*path, field.wire), default
        elif field.wire in made:
            yield from _defaults_in(made[field.wire], field.use, names, (*path, field.wire))


def _set(made: Any, path: Path, value: Any) -> Any:
    """The same settings with one value set."""
    return {**made, path[0]: _set(made.get(path[0]), path[1:], value)} if path else value


def _with_defaults(made: Any, use: Use, names: SettingNames, *, examples: bool) -> Any:
    """The same where every field that has a default has it, or an example."""
    records = list(names.records(use, made))
    if not isinstance(made, dict) or len(records) != 1:
        return made
    found = {}
    for field in records[0].fields:
        default = _default_of(field, names)
        if default is not MISSING:
            found[field.wire] = default
        elif examples and field.required and field.use.about.examples:
            found[field.wire] = field.use.about.examples[0]
        elif field.wire in made and (field.required or not field.may_lack):
            held = made[field.wire]
            held = _made_up(field.use, names) if held is None else held
            found[field.wire] = _with_defaults(held, field.use, names, examples=examples)
        elif field.wire in made:
            found[field.wire] = made[field.wire]
    return found


def _default_of(field: Field, names: SettingNames) -> Any:
    if (known := known_default(names.shape, field)) is MISSING:
        return MISSING
    try:
        return plain(field.use, known, names.shape)
    except Exception:  # a default that only a program can make
        return MISSING


def _entries(
    use: Use, path: Path, sample: Any, names: SettingNames, *, needed: bool, through: tuple[str, ...]
) -> Iterator[Entry]:
    node = names.node(use)
    if not isinstance(node, Link) or len(path) > _DEEPEST or node.key in through:
        return
    for field in names.shape.records[node.key].fields:
        if field.only_given:
            continue
        here = (*path, field.wire)
        record = _opened(field.use, (*through, node.key), names) if len(here) <= _DEEPEST else None
        default = _default_of(field, names)
        value = sample.get(field.wire, MISSING) if isinstance(sample, dict) else MISSING
        offered = value is not MISSING
        if field.has_default and default is MISSING:  # one that only the program makes: nothing is made up beside it
            value, offered = MISSING, False
        elif not offered:
            value = default if field.has_default else _made_up(field.use, names)
        hides = record is None and holds_secret(field.use, names.shape.guarded)
        must = needed and field.required
        stands = record is not None and not field.use.nullable and (must or _may_be_empty(field.use, names))
        yield Entry(here, field, must, record, stands, value, offered or default is not MISSING, default, hides)
        if record is not None:
            below = value if isinstance(value, dict) else _made_up(field.use, names)
            yield from _entries(field.use, here, below, names, needed=must, through=(*through, node.key))


def _may_be_empty(use: Use, names: SettingNames) -> bool:
    """Whether a record with nothing in it is sound, but for what functions make."""
    made = Payloads(without_makers(part_of(names.shape, use)), Random(5))
    records = list(names.records(use, {}))
    try:
        stand = {
            field.wire: made.use(field.use, 0, "")
            for record in records
            for field in record.fields
            if is_unknown(names.shape, field)
        }
    except (CannotSample, RecursionError):
        return False
    return made.is_sound(use, stand)


def _opened(use: Use, through: tuple[str, ...], names: SettingNames) -> Record | None:
    """The record of which each field is a setting of its own; none for a secret, or for one inside of itself."""
    node = names.node(use)
    if not isinstance(node, Link) or use.secret or node.key in through:
        return None
    record = names.shape.records[node.key]
    return None if record.form == "tuple" else record


def _made_up(use: Use, names: SettingNames) -> Any:
    makes = Payloads(without_makers(part_of(names.shape, _inside(use))), Random(5))
    try:
        return min((makes.make() for _ in range(3)), key=lambda made: len(str(made)))
    except (CannotSample, RecursionError):
        return MISSING


def template(settings: Settings[Any], format: str, *, schema: str) -> str:
    """The text of a template; see `Settings.template`."""
    writer = {"toml": _toml, "yaml": _yaml, "json": _json, "env": _env, "markdown": _markdown}[format]
    lines = list(writer(settings, entries(settings), schema))
    return "\n".join(lines).strip("\n") + "\n"


def _comment(text: str) -> str:
    """Words that stand beside settings, on one line whatever is in them: they set nothing."""
    return f"## {visible(text)}".rstrip()


def _opening(settings: Settings[Any]) -> list[str]:
    record = settings.names.shape.record_inside(settings.names.shape.root)
    assert record is not None  # settings are a record
    told = (record.text or record.name).strip().splitlines()
    return [*(_comment(line) for line in (*told, "", *_HOW)), ""]


_HOW = (
    "Words stand behind ##, settings behind #: take the # away to set one. What is called needed must be set.",
    "The values are examples, or the defaults; secrets are yours to set.",
)


def _words(entry: Entry, names: SettingNames, indent: str = "") -> Iterator[str]:
    for line in entry.words(names):
        yield _comment(f"{indent}{line}")


def _line(entry: Entry, text: str) -> str:
    """A setting to be uncommented; where it may not go together with the others, it is told as an example."""
    return f"#{text}" if entry.offered or entry.needed else _comment(f"for example: {text.strip()}")


def _toml(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    yield from _opening(settings)
    if schema:
        yield from (f'"{SCHEMA}" = {toml_value(schema, ())}', "")
    yield from _toml_table(settings.names, every, ())


def _toml_table(names: SettingNames, every: list[Entry], path: Path) -> Iterator[str]:
    own = [entry for entry in every if entry.path[:-1] == path]
    for entry in own:
        if entry.record is None:
            yield from _words(entry, names)
            key = toml_key(str(entry.path[-1]))
            if entry.left_out:
                yield _comment(f"{key}: {entry.left_out}")
                yield ""
                continue
            try:
                yield _line(entry, f"{key} = {toml_value(entry.value, entry.path)}")
            except CannotHold as error:
                yield _comment(f"{error}: leave it out, or set one")
                with suppress(CannotHold):
                    if not entry.field.has_default:
                        yield _comment(f"for example: {key} = {toml_value(_made_up(entry.use, names), entry.path)}")
            yield ""
    for entry in own:
        if entry.record is not None:
            yield from _words(entry, names)
            header = f"[{'.'.join(toml_key(str(step)) for step in entry.path)}]"
            yield header if entry.stands else f"#{header}"
            yield from _toml_table(names, every, entry.path)


def _yaml(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    yield from _opening(settings)
    if schema:
        yield from (f"{SCHEMA}: {yaml_text(schema, ())}", "")
    closed: Path | None = None
    for entry in every:
        indent = "  " * (len(entry.path) - 1)
        yield from _words(entry, settings.names, indent)
        key = f"{indent}{yaml_text(str(entry.path[-1]), ())}:"
        if closed is not None and entry.path[: len(closed)] != closed:
            closed = None
        if entry.record is not None:
            if not entry.stands and closed is None:
                closed = entry.path  # all that is in it is commented out, and its own records too
            yield f"#{key}" if closed is not None else key
        elif entry.left_out:
            yield _comment(f"{key} {entry.left_out}")
        else:
            yield _line(entry, f"{key} {yaml_value(entry.value, entry.path)}")
        yield ""


def _json(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    whole: dict[str, Any] = {SCHEMA: schema} if schema else {}
    for entry in every:
        level: Any = whole
        for step in entry.path[:-1]:
            level = level.get(step) if isinstance(level, dict) else None
        if not isinstance(level, dict) or not (entry.offered or entry.needed) or entry.left_out:
            continue
        level[str(entry.path[-1])] = {} if entry.record is not None and isinstance(entry.value, dict) else entry.value
    yield in_json(whole)


def _env(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    names, prefix = settings.names, prefix_of(settings.layers)
    yield from _opening(settings)
    for entry in every:
        if entry.record is not None:
            continue
        yield from _words(entry, names)
        if entry.left_out:
            yield _comment(f"{variable(prefix, entry.path)}: {entry.left_out}")
            yield ""
            continue
        nested: Any = entry.value
        for step in reversed(entry.path):
            nested = {step: nested}
        try:
            for name, text in in_variables(nested, names, prefix).items():
                yield _line(entry, env_line(name, text))
        except CannotHold as error:
            yield _comment(f"{variable(prefix, entry.path)}: leave it out ({error})")
        yield ""


def _markdown(settings: Settings[Any], every: list[Entry], schema: str) -> Iterator[str]:
    names, prefix = settings.names, prefix_of(settings.layers)
    yield "| setting | variable | type and rules | default | |"
    yield "|---|---|---|---|---|"
    for entry in every:
        if entry.record is not None:
            continue
        kind = "; ".join(kind_in_words(entry.use, names))
        default = "**needed**" if entry.needed else "" if entry.default is MISSING else _code(entry)
        about = entry.use.about
        text = " ".join(f"{about.title + '. ' if about.title else ''}{about.text or ''}".split())
        marks = [text, *(["secret"] if entry.use.secret else []), *(["deprecated"] if about.deprecated else [])]
        told = "; ".join(filter(None, marks))
        word = variable(prefix, entry.path)
        yield f"| {code_span(dotted(entry.path))} | {code_span(word)} | {escaped(kind)} | {default} | {escaped(told)} |"


def _code(entry: Entry) -> str:
    told = entry.default_told()
    if entry.hides or entry.default is None:
        return escaped(told)
    return code_span(told)
