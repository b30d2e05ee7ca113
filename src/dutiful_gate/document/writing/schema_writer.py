"""Shapes to JSON Schema 2020-12."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from itertools import chain, starmap
from typing import Any

from ...declare.constants import no_json
from ...declare.embedded import Embedded
from ...declare.facts import Facts, LengthUnit, Unsaid
from ...declare.field_access import Path
from ...declare.json_pointer import escaped, unescaped
from ...declare.kinds import Text
from ...declare.kinds.decimal import as_json, finer_than_doubles
from ...declare.kinds.formed import Formed
from ...declare.records import RecordCheck, RecordRule
from ...declare.rules import Contains, Distinct, Equal, Holds, Length, OneOf, Rule
from ...declare.rules.contains import escaped as escaped_text
from ...declare.sources import Reading
from ...declare.steps import NO_BLANKS_AND_NOT_EMPTY, Step, in_utc, trimmed
from ...regex.overlap import may_share, without
from ...regex.search import ecma_search
from ...shape.final_forms import comes_final, is_settled, keeps_form, survives
from ...shape.known_defaults import ITS_DEFAULT, known_default
from ...shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Entries,
    Field,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Sealing,
    Shape,
    Use,
    spellings,
)
from ...shape.stages import stages_of
from ...shape.to_json import plain, plain_fallback
from ...shape.walk import holds_secret, part_of, uses_of
from ..beside_types import BesideType
from ..dialects import DRAFT_2020_12, Dialect
from ..document import Unstated
from .field_presence import RecordStanding
from .format_patterns import spelled_out

Keywords = dict[str, Any]
_NEIGHBOURS = frozenset(["items", "prefixItems", "properties", "patternProperties", "additionalProperties"])
_COUNTED = frozenset(["contains", "minContains", "maxContains", "$ref"])
_LEFT_OVER = frozenset(["unevaluatedItems", "unevaluatedProperties"])
_STANDS_IN = "Anything else is admitted too: a value stands in for it."
_NOT_TOLD = "what a secret is compared with is not told"
_SPELLED_TWICE = Unsaid("different keys can stand for equal values, and a repeat is refused by value")
_DECIMAL = r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?"
_JSON_TYPES: dict[type, str] = {
    str: "string",
    bool: "boolean",
    int: "integer",
    float: "number",
    type(None): "null",
}


def written(
    shape: Shape,
    *,
    refuse_unknown: bool = False,
    of: str = "send",
    formats: str = "name",
    dialect: Dialect = DRAFT_2020_12,
    loose: frozenset[str] = frozenset(),
) -> Unfinished:
    """The document in the words of 2020-12: of what a client should send, in final form; or of what is released.

    `dialect` is what it will be put into: for OpenAPI a union by a tag says so. `loose` are the places of unions that
    are unambiguous by rules which a document cannot state.
    """
    writer = SchemaWriter(shape, refuse_unknown=refuse_unknown, of=of, formats=formats, dialect=dialect, loose=loose)
    root = plainer(writer.use(shape.root, "", shape.name))
    definitions = {key: plainer(writer.record(record)) for key, record in shape.records.items()}
    definitions |= {key: plainer(writer.use(use, f"/$defs/{escaped(key)}", key)) for key, use in shape.aliases.items()}
    content: Keywords = {**root}
    every, definitions = definitions, _reached(root, definitions)
    left = {f"/$defs/{escaped(key)}" for key in every.keys() - definitions.keys()}
    unstated = [rule for rule in writer.unstated if "/".join(rule.pointer.split("/")[:3]) not in left]
    definitions |= {uri: held for uri, held in writer.embedded.items() if uri not in definitions}
    if definitions:
        content["$defs"] = definitions
    return Unfinished(content, unstated, writer.names, writer.one_alone)


def _reached(root: Keywords, definitions: Keywords) -> Keywords:
    """The definitions that something refers to: a variant leaves some behind."""
    reached: set[str] = set()
    waiting: list[Any] = [root]
    while waiting:
        held = waiting.pop()
        if isinstance(held, list):
            waiting += held
        elif isinstance(held, dict):
            lead = held.get("$ref")
            if isinstance(lead, str) and lead.startswith("#/$defs/"):
                key = unescaped(lead.removeprefix("#/$defs/"))
                if key in definitions and key not in reached:
                    reached.add(key)
                    waiting.append(definitions[key])
            waiting += held.values()
    return {key: held for key, held in definitions.items() if key in reached}


class Unfinished:
    """A document on its way: its content in 2020-12, what it leaves unstated, and the field at each pointer.

    `one_alone` are the places of its unions of which one option alone may accept a value, with the shape of each.
    """

    __slots__ = ("content", "names", "one_alone", "unstated")

    def __init__(
        self, content: Keywords, unstated: list[Unstated], names: dict[str, str], one_alone: Mapping[str, Shape]
    ) -> None:
        self.content = content
        self.unstated = unstated
        self.names = names
        self.one_alone = one_alone

    def loosened(self, rules: Iterable[Unstated]) -> frozenset[str]:
        """The places of those of which some option would accept more than it should, for want of one of the rules."""
        told = [rule.pointer for rule in rules if rule.rule != ITS_DEFAULT]

        def is_inside(pointer: str, at: str, shape: Shape) -> bool:
            homes = (f"/$defs/{escaped(key)}" for key in (*shape.records, *shape.aliases))
            return any(f"{pointer}/".startswith(f"{home}/") for home in (f"{at}/oneOf", *homes))

        return frozenset(
            at for at, shape in self.one_alone.items() if any(is_inside(pointer, at, shape) for pointer in told)
        )


class SchemaWriter:
    """Writes one document, and keeps the list of what it could not say."""

    def __init__(
        self, shape: Shape, *, refuse_unknown: bool, of: str, formats: str, dialect: Dialect, loose: frozenset[str]
    ) -> None:
        self.shape = shape
        self.refuse_unknown = refuse_unknown
        self.released = of == "release"
        self.spelled = formats == "spell-out"
        self.dialect = dialect
        self.discriminators = "discriminator" in dialect.keywords
        self.unstated: list[Unstated] = []
        self.names: dict[str, str] = {}
        self.embedded: Keywords = {}
        self.hidden = False
        self.loose = loose
        self.one_alone: dict[str, Shape] = {}

    def record(self, record: Record) -> Keywords:
        """A record under `$defs`."""
        at = f"/$defs/{escaped(record.key)}"
        self.names[at] = record.name
        said: Keywords = {"title": record.name}
        if record.text:
            said["description"] = record.text
        said["type"] = "object"
        fields = [field for field in record.fields if not self.released or field.goes_out(secrets=False)]
        said["properties"] = {
            field.wire: self.field(field, f"{at}/properties/{escaped(field.wire)}", record) for field in fields
        }
        if self.released:
            for field in record.computed:
                if field.goes_out(secrets=False):
                    told = self.field(field, f"{at}/properties/{escaped(field.wire)}", record)
                    said["properties"][field.wire] = {**told, "readOnly": True}
        required = [field.wire for field in fields if (not field.may_lack if self.released else field.required)]
        required += [field.wire for field in record.computed if self.released and field.goes_out(secrets=False)]
        if required:
            said["required"] = required
        if not self.released:
            self.other_names(fields, said)
        gathers = [rest for rest in record.rests if not (self.released and rest.use.secret)]
        if gathers:
            said |= self.gathered(record, gathers, list(said["properties"]), at)
        elif record.unknown == "refuse" or (self.refuse_unknown and not record.unknown):
            said["additionalProperties"] = False
        if said.get("additionalProperties") is False and not self.released:
            # What goes out may come back: it is passed over, and no unknown key.
            said["properties"].update({field.wire: {"readOnly": True} for field in record.computed})
        root = self.shape.root.node
        shut = said.get("additionalProperties", {}) != {} or "propertyNames" in said
        shut = shut and record.unknown != "refuse"
        if shut and not self.released and isinstance(root, Link) and root.key == record.key:
            said["properties"].setdefault("$schema", {})  # what a data file has for its editor is never unknown
            if "propertyNames" in said:
                said["propertyNames"]["anyOf"][0] = {"enum": list(said["properties"])}
        for document in record.fits:
            if self.released:
                self.leave(at, record.name, document, Unsaid("it judges what came, and that changes on the way"))
            else:
                self.embed(said, document, at, record.name)
        self.record_rules(record, said, at, {field.attribute for field in fields})
        return said

    def gathered(self, record: Record, rests: list[Field], wires: list[str], at: str) -> Keywords:
        """What holds for the keys that fields gather: keys told by a pattern, then all others."""
        patterns: Keywords = {}
        earlier: list[str] = []
        for rest in rests:
            name = f"{record.name}.{rest.attribute}"
            assert isinstance(rest.use.node, Entries)  # the record was made so
            for part in rest.use.parts:
                self.leave(at, record.name, part, Unsaid("a document looks at all keys, not at the gathered ones"))
            names = self.keys(rest.use.node.key, f"{at}/propertyNames", f"{name} keys")
            if list(names) != ["pattern"]:
                said = {word: held for word, held in self.use(rest.use, f"{at}/additionalProperties", name).items()
                        if word in ("additionalProperties", "propertyNames")}  # fmt: skip
                if "propertyNames" in said:  # of what is gathered, not of the fields
                    said["propertyNames"] = {"anyOf": [{"enum": wires}, said["propertyNames"]]}
                others = any(not each.rests for each in self.shape.records.values())
                if self.refuse_unknown and others:
                    said.setdefault("additionalProperties", {})  # open, beside others that are not
                return {**({"patternProperties": patterns} if patterns else {}), **said}
            pattern = names["pattern"]
            barred = [each for each in earlier if may_share(each, pattern)]
            barred += [f"^{escaped_text(wire)}$" for wire in wires if ecma_search(pattern)(wire) is not None]
            earlier.append(pattern)
            whole = without(pattern, barred)
            place = f"{at}/patternProperties/{escaped(whole)}"
            patterns[whole] = self.use(rest.use.node.value, place, f"{name} values")
        return {"patternProperties": patterns, "additionalProperties": False}

    def other_names(self, fields: list[Field], said: Keywords) -> None:
        """Fields that may come under another name: under one of them, and no other."""
        for field in fields:
            for name in field.also:
                said["properties"][name] = {**said["properties"][field.wire], "deprecated": True}
            if not field.also:
                continue
            names = [field.wire, *field.also]
            there = [{"required": [name]} for name in names]
            if field.required:
                said["required"] = [name for name in said["required"] if name != field.wire]
                if not said["required"]:
                    del said["required"]
                join(said, {"oneOf": there})
            else:
                pairs = [[one, two] for at, one in enumerate(names) for two in names[at + 1 :]]
                for pair in pairs:
                    join(said, {"not": {"required": pair}})

    def record_rules(self, record: Record, said: Keywords, at: str, there: set[str]) -> None:
        """What the fields must be to each other."""
        standing = RecordStanding(self.shape, record, released=self.released)
        for rule in record.rules:
            told = rule.keywords(standing)
            secret = any(use.secret for path in rule.paths for use in standing.paths.uses(record, path))
            if secret and not rule.asks_presence_only:
                names = ", ".join(rule.fields)
                why = Unsaid(_NOT_TOLD)
                self.leave(at, f"{record.name}.{rule.fields[0]}", f"a rule of {names}", why, *_codes(rule))
                continue
            if not set(rule.fields) <= there or (rule.counts_keys and len(there) < len(record.fields)):
                told = Unsaid("a field that it mentions is not released")
            elif self.released and any(self.is_withheld(record, path) for path in rule.paths):
                told = Unsaid("what it mentions is not released")
            elif record.mends and not rule.of_whole:
                # Judged only when every field it mentions was sent: what was not sent stays as it is.
                told = told if isinstance(told, Unsaid) else {"allOf": [_when_sent(standing.wire, rule.fields, told)]}
            if isinstance(told, Unsaid):
                self.leave(at, f"{record.name}.{rule.fields[0]}" if rule.fields else record.name, rule, told)
            elif list(told) == ["allOf"]:
                for each in told["allOf"]:  # type: ignore[attr-defined]
                    join(said, each)
            else:
                join(said, told)
        if record.runs_own:
            self.leave(at, record.name, "its own constructor", Unsaid("what it checks is not known"), "check")
        for check in record.checks:
            why = Unsaid("what a function of one's own admits is not known")
            self.leave(at, record.name, check, why)

    def is_withheld(self, record: Record, path: Path) -> bool:
        """Whether something on the way to a path's end does not go out."""
        standing = RecordStanding(self.shape, record, released=True)
        return any(use.secret for use in standing.paths.uses(record, path))

    def field(self, field: Field, at: str, record: Record) -> Keywords:
        """One field among `properties`."""
        said = self.use(field.use, at, f"{record.name}.{field.attribute}")
        if self.released or field.required or field.may_lack or _converts(field.use):
            return said
        if holds_secret(field.use, self.shape.guarded):
            return said
        known = known_default(self.shape, field)
        if known is MISSING:
            makes = getattr(field.factory, "__name__", "a function")
            why = f"what {makes} makes is not known before it is called: if_absent(...) declares a value"
            self.leave(at, f"{record.name}.{field.attribute}", ITS_DEFAULT, Unsaid(why), "absent")
            return said
        default = self.plain(field.use, known)
        return said if no_json(default) else {**said, "default": default}

    def plain(self, use: Use, value: object) -> Any:
        """A default as plain JSON data; a Decimal that no double holds as the nearest one."""
        return as_json(plain(use, value, self.shape))

    def use(self, use: Use, at: str, name: str) -> Keywords:
        """What a use holds: what is said of it, its node, its rules."""
        self.names.setdefault(at, name)
        about = use.about
        said: Keywords = {}
        if about.title is not None:
            said["title"] = about.title
        if about.text is not None:
            said["description"] = about.text
        hidden, self.hidden = self.hidden, self.hidden or use.secret
        if self.released:
            said |= self.released_use(use, at, name)
        else:
            said |= self.sent_use(use, at, name)
        self.hidden = hidden
        hides = hidden or holds_secret(use, self.shape.guarded)
        if about.examples and not hides and (not self.released or not _converts(use)):
            said["examples"] = list(about.examples)
        for word, marked in (
            ("deprecated", about.deprecated),
            ("readOnly", about.read_only),
            ("writeOnly", use.secret or about.write_only),
        ):
            if marked:
                said[word] = True
        return said

    def sent_use(self, use: Use, at: str, name: str) -> Keywords:
        """What a client should send there."""
        said: Keywords = {}
        if use.fallback is not MISSING:
            self.leave(at, name, "otherwise(...)", Unsaid("anything will do, since something stands in for it"))
            text = use.about.text
            said["description"] = f"{text} {_STANDS_IN}" if text else _STANDS_IN
        stages = stages_of(use, Reading.PLAIN)
        if stages.split:
            said["type"] = "string"
            self.leave(
                at, name, f"split_on({stages.split!r})", Unsaid("JSON Schema cannot look at the parts of a text")
            )
        elif stages.via is not None:
            said |= self.use(stages.via, at, name)
            self.leave(at, name, "what is read from it", Unsaid("JSON Schema judges what came, not what is made of it"))
        else:
            said |= self.node(use, at, name)
            self.parts(said, use, at, name)
        for document in stages.fits:
            if comes_final(use, self.shape.aliases):
                self.embed(said, document, at, name)
            else:
                self.leave(at, name, document, Unsaid("it judges what came, and a document speaks of final forms"))
        return said

    def embed(self, said: Keywords, document: Embedded, at: str, name: str) -> None:
        """A document beside a type: its keywords, or a reference to it."""
        reason = document.reason(self.dialect) if isinstance(document, BesideType) else ""
        if self.hidden and isinstance(document, BesideType) and document.names_values:
            reason = _NOT_TOLD
        if reason:
            self.leave(at, name, document, Unsaid(reason))
            return
        told = dict(document.keywords())
        differs = any(word in said and said[word] != held for word, held in told.items())
        # Keywords that look at what their neighbours left must not get new neighbours.
        meddles = bool(_NEIGHBOURS & told.keys() and _NEIGHBOURS & said.keys()) or bool(_LEFT_OVER & told.keys())
        join(said, {"allOf": [told]} if differs or meddles else told)
        held = document.resource() if isinstance(document, BesideType) else None
        if held is not None:
            self.embedded[held[0]] = held[1]

    def released_use(self, use: Use, at: str, name: str) -> Keywords:
        """What comes out there."""
        if use.making is not None:
            self.leave(at, name, use.making, Unsaid("what a function of one's own makes is not known"))
            return {}
        said = self.node(use, at, name)
        self.parts(said, use, at, name)
        for document in use.fits:
            if not keeps_form(use, self.shape.aliases):
                self.leave(at, name, document, Unsaid("it judges what came, and that changes on the way"))
                continue
            self.embed(said, document, at, name)
        if use.fallback is not MISSING:
            try:
                instead = {"const": as_json(plain_fallback(use, self.shape))}
            except (TypeError, ValueError, AttributeError, StopIteration):
                instead = {}
            said = {"anyOf": [said, instead]}
        return said

    def node(self, use: Use, at: str, name: str) -> Keywords:
        """The keywords of a node alone."""
        match use.node:
            case Scalar(kind):
                if reason := kind.unsaid():
                    self.leave(at, name, kind.facts.phrase, Unsaid(reason))
                return dict(kind.keywords())
            case Nothing():
                return {"type": "null"}
            case Choice(wire=wire):
                if self.hidden:
                    self.leave(at, name, "one of a few values", Unsaid(_NOT_TOLD), "choice")
                    return _types_of(wire)
                return _choice(wire)
            case Items(item, into):
                held = self.use(item, f"{at}/items", f"{name}[]")
                said = {"type": "array", **({"items": held} if held else {})}
                if into not in ("set", "frozenset"):
                    return said
                self.note_repeats(item, "no item twice", at, name)
                if self.released and self.hides(item):
                    self.leave(at, name, "no item twice", Unsaid("what tells items apart may be withheld"))
                    return said
                return {**said, "uniqueItems": True}
            case Fixed():
                return self.fixed(use.node, at, name)
            case Entries(key, value):
                return self.entries(key, value, at, name)
            case Branches():
                return self.branches(use.node, at, name)
            case Sealing(inner):
                return self.use(inner, at, name)
            case Nullable(inner):
                return _or_null(self.use(inner, at, name))
            case Link(key) | Alias(key):
                return {"$ref": f"#/$defs/{escaped(key)}"}

    def branches(self, node: Branches, at: str, name: str) -> Keywords:
        """One of several shapes; for OpenAPI with the tag that tells which."""
        if node.held:
            return self.beside(node, at, name)
        told_apart = node.alone and not node.tag and at not in self.loose and not self._reads_lightly(node)
        word = "oneOf" if told_apart else "anyOf"
        options = [self.use(option, f"{at}/{word}/{n}", name) for n, option in enumerate(node.options)]
        if node.tag:
            options = [self.tagged(option, told, node.tag) for option, told in zip(node.options, options, strict=True)]
        if told_apart:
            self.one_alone[at] = part_of(self.shape, Use(node))
            return {"oneOf": options}
        if node.alone and not node.tag:
            why = Unsaid("what tells its options apart cannot be said, so that several may accept a value")
            self.leave(at, name, "unambiguous", why, "branch")
        if not node.tag and all(list(told) == ["type"] for told in options):
            kinds = [
                kind
                for told in options
                for kind in (told["type"] if isinstance(told["type"], list) else [told["type"]])
            ]
            # Every whole number is a number.
            kept = [kind for kind in dict.fromkeys(kinds) if kind != "integer" or "number" not in kinds]
            return {"type": kept if len(kept) > 1 else kept[0]}
        said: Keywords = {"anyOf": options}
        links = [option.node.key for option in node.options if isinstance(option.node, Link)]
        hidden = any(
            field.use.secret for key in links for field in self.shape.records[key].fields if field.wire == node.tag
        )
        if self.discriminators and node.tag and len(links) == len(node.options) and not hidden:
            mapping = {
                str(tag): f"#/$defs/{escaped(key)}"
                for key, tags in zip(links, node.tags, strict=True)
                for tag in tags
                if isinstance(tag, str)
            }
            said["discriminator"] = {"propertyName": node.tag, "mapping": mapping}
        return said

    def _reads_lightly(self, node: Branches) -> bool:
        """Whether something in a union is read leniently, so that more of its options fit than a document tells."""
        return any(
            held.lenient if isinstance(held, Choice) else isinstance(held, Scalar) and held.kind.strict is not held.kind
            for held in (use.node for use in uses_of(part_of(self.shape, Use(node))))
        )

    def tagged(self, option: Use, told: Keywords, tag: str) -> Keywords:
        """An option of a union whose tag must be there, also where the record alone has a default for it."""
        fields = self.shape.records[option.node.key].fields if isinstance(option.node, Link) else ()
        sure = self.released or any(field.wire == tag and field.required for field in fields)
        return told if sure else {**told, "required": [tag]}

    def beside(self, node: Branches, at: str, name: str) -> Keywords:
        """A union whose tag stands beside its data."""
        options: list[Keywords] = []
        for number, (option, tags) in enumerate(zip(node.options, node.tags, strict=True)):
            inner = f"{at}/anyOf/{number}/properties/{escaped(node.held)}"
            properties = {node.tag: _choice(tags), node.held: self.use(option, inner, name)}
            options.append(
                {
                    "type": "object",
                    "properties": properties,
                    "required": [node.tag, node.held],
                    "additionalProperties": False,
                }
            )
        return {"anyOf": options}

    def fixed(self, node: Fixed, at: str, name: str) -> Keywords:
        """A tuple: its first items one by one, and those after them."""
        items, said = node.items, Keywords(type="array")
        if items:
            each = [self.use(item, f"{at}/prefixItems/{n}", f"{name}[{n}]") for n, item in enumerate(items)]
            said["prefixItems"] = each
        if node.more is None:
            return {**said, "minItems": len(items), "maxItems": len(items)}
        more = self.use(node.more, f"{at}/items", f"{name}[{len(items)}]")
        return {**said, **({"items": more} if more else {}), **({"minItems": len(items)} if items else {})}

    def entries(self, key: Use, value: Use, at: str, name: str) -> Keywords:
        """A dict: what holds for its keys, as text, and for its values."""
        said: Keywords = {"type": "object"}
        names = self.keys(key, f"{at}/propertyNames", f"{name} keys")
        if names:
            said["propertyNames"] = names
        held = self.use(value, f"{at}/additionalProperties", f"{name} values")
        return {**said, "additionalProperties": held} if held else said

    def keys(self, key: Use, at: str, name: str) -> Keywords:
        """What the keys may be, as text."""
        names = self.use(key, at, name)
        node = key.node
        plain = isinstance(node, Scalar) and type(node.kind) is Text and is_canonical(key)
        if not plain and not isinstance(node, Choice) and not self.released:
            self.leave(at, name, "no key twice", _SPELLED_TWICE, "repeat")
        if isinstance(node, Choice):
            texts = list(starmap(spellings, zip(node.wire, node.values, strict=True)))
            if self.released:
                return {"enum": list(dict.fromkeys(each[0] for each in texts))}
            if any(len(each) > 1 for each in texts):
                self.leave(at, name, "no key twice", _SPELLED_TWICE, "repeat")
            return {"enum": list(dict.fromkeys(chain.from_iterable(texts)))}
        if isinstance(node, Scalar) and (pattern := node.kind.key_pattern):
            for part in key.parts:
                self.leave(at, name, part, Unsaid("a key is text to JSON Schema"))
            if node.kind.facts.number and not node.kind.strict.one_form:
                why = Unsaid("a pattern cannot say how large a number is")
                self.leave(at, name, node.kind.facts.phrase, why, "reading", "size")
            return {"pattern": f"^(?:{pattern})$"}
        names.pop("type", None)
        return names

    def parts(self, said: Keywords, use: Use, at: str, name: str) -> None:
        """Steps and rules, as what holds for a value in its final form."""
        facts: Facts = use.node.facts
        converted = False
        if facts.open and (types := _judged_types(use.parts)) is not None:
            join(said, _types(types))
            if types == ("string",):
                facts = Text().facts
        for number, part in enumerate(use.parts):
            later = use.parts[number + 1 :]
            if not (self.released or converted) and _may_be_read_lightly(use.node) and part.takes() is not None:
                why = Unsaid("an option that reads leniently may have made another kind of the value")
                self.leave(at, name, part, why, "kind", *_codes(part))
            if isinstance(part, Rule):
                told = Unsaid("it judges what a function of one's own made") if converted else part.keywords(facts)
                if not converted and not survives(part, later):
                    told = Unsaid("a later step changes what it judged")
                if self.hidden and part.tells_values:
                    self.leave(at, name, part.named(hidden=True), Unsaid(_NOT_TOLD), *_codes(part))
                    continue
            else:
                told = part.keywords()
                if part == in_utc and isinstance(use.node, Scalar) and isinstance(use.node.kind, Formed):
                    told = use.node.kind.in_utc
                facts = part.suits(facts)
                converted = converted or not part.normalising
                if is_settled(part, later):
                    continue
                if part == trimmed and _forbids_empty(later):
                    told = {"pattern": NO_BLANKS_AND_NOT_EMPTY}
            if isinstance(told, Unsaid):
                self.leave(at, name, part, told)
                continue
            if isinstance(part, Equal | OneOf | Contains) and not has_one_form(use, part, released=self.released):
                self.leave(at, name, part, Unsaid("equal values may be written in several ways"))
                if not isinstance(part, Equal) or part.wanted:
                    continue
            if isinstance(part, Distinct) and isinstance(use.node, Items):
                if self.released and self.hides(use.node.item):
                    self.leave(at, name, part, Unsaid("what tells items apart may be withheld"))
                    continue
                self.note_repeats(use.node.item, str(part), at, name)
            if self.spelled and isinstance(told.get("format"), str):
                join(said, {"format": told["format"]})
                told = spelled_out(told)
            if held := finer_than_doubles(told):
                self.leave(at, name, part, Unsaid(f"no double stands for {held}"))
                continue
            plainly = {word: self.constant(use, held) for word, held in told.items()}
            if held := no_json(plainly):
                self.leave(at, name, part, Unsaid(f"JSON has no value such as {held}"))
                continue
            join(said, plainly)
        if self.spelled and isinstance(said.get("format"), str) and "pattern" not in said:
            join(said, spelled_out({"format": said["format"]}))

    def hides(self, use: Use, seen: frozenset[str] = frozenset()) -> bool:
        """Whether something in a value is not released, so that what differs may come out alike."""
        if use.secret:
            return True
        match use.node:
            case Link(key) if key not in seen:
                record = self.shape.records[key]
                fields = (*record.fields, *record.rests)
                return any(field.only_given or self.hides(field.use, seen | {key}) for field in fields)
            case Alias(key) if key not in seen:
                return self.hides(self.shape.aliases[key], seen | {key})
            case Items(item) | Nullable(item) | Sealing(item):
                return self.hides(item, seen)
            case Fixed():
                return any(self.hides(item, seen) for item in use.node.every)
            case Branches(items):
                return any(self.hides(item, seen) for item in items)
            case Entries(_, value):
                return self.hides(value, seen)
            case _:
                return False

    def note_repeats(self, item: Use, rule: str, at: str, name: str) -> None:
        """Put down where `uniqueItems`, which compares what is sent, is not all: equal values may be written twice."""
        if not is_canonical(item) and not self.released:
            why = Unsaid("different data can stand for equal values, and a repeat is refused by value")
            self.leave(at, name, rule, why, "repeat")

    def constant(self, use: Use, held: Any) -> Any:
        """A constant of a rule as plain JSON data."""
        if isinstance(held, list):
            return [self.constant(use, each) for each in held]
        if isinstance(held, dict):
            return {word: self.constant(use, each) for word, each in held.items()}
        if isinstance(held, str | int | float) or held is None:
            return held
        if isinstance(held, Decimal):
            return as_json(held)
        try:
            return plain(Use(use.node), held, self.shape)
        except Exception:  # no value of it equals such a constant
            return held

    def leave(self, at: str, name: str, rule: object, why: Unsaid, *codes: str) -> None:
        """Put down that a rule is not in the document."""
        self.unstated.append(Unstated(at, name, str(rule), why.reason, codes or _codes(rule)))


def _codes(rule: object) -> tuple[str, ...]:
    if isinstance(rule, Holds | RecordCheck):
        return ("check",)
    if isinstance(rule, RecordRule):
        return ("agreement", "count", "absent")
    if isinstance(rule, Length):
        return ("length", "count")
    if isinstance(rule, Rule):
        faces = rule.faces(
            "value", Facts("a value", "value", measured=LengthUnit.ITEMS, text=True, number=True), _named
        )
        return tuple(dict.fromkeys(face.code for face in faces))
    return ()


def _named(constant: object, hint: str) -> str:
    return hint


def _when_sent(wire: Mapping[str, str], fields: tuple[str, ...], told: Mapping[str, Any]) -> Keywords:
    return {"if": {"required": [wire[name] for name in dict.fromkeys(fields)]}, "then": dict(told)}


def is_canonical(use: Use) -> bool:
    """Whether each value has one form in JSON only, as far as JSON Schema compares."""
    if use.has_steps or not use.comes_straight:
        return False
    match use.node:
        case Scalar(kind):
            return kind.one_form
        case Nothing():
            return True
        case Choice(values=values, lenient=lenient):
            return not lenient and len(set(values)) == len(values)  # to a set 1 and True are one
        case Items(item, into):
            return into in ("list", "tuple") and is_canonical(item)
        case Fixed():
            return all(map(is_canonical, use.node.every))
        case Nullable(inner) | Sealing(inner):
            return is_canonical(inner)
        case Branches(options=options):
            kinds = [option.node.kind for option in options if isinstance(option.node, Scalar)]
            both = any(kind.comes_as == {bool} for kind in kinds) and any(kind.facts.number for kind in kinds)
            return not both and all(map(is_canonical, options))
        case _:
            return False


def has_one_form(use: Use, rule: Rule, *, released: bool) -> bool:
    """Whether what a rule compares with its constants is written in one way, so that a document can compare it."""
    match use.node:
        case Scalar(kind):
            return kind.has_one_form(released=released) or kind.facts.text or kind.facts.open
        case Items(item) if isinstance(rule, Contains):
            return has_one_form(item, rule, released=released)
        case Nullable(inner) | Sealing(inner):
            return has_one_form(inner, rule, released=released)
        case Branches(options=options):
            return all(has_one_form(option, rule, released=released) for option in options)
        case Alias():  # one that leads back to itself, by several kinds
            return False
        case _:
            return True


def _converts(use: Use) -> bool:
    """Whether the typed value is not what a client would send: its default cannot be told in the document."""
    return use.bare.making is not None or use.bare.is_reread


def _choice(wire: tuple[object, ...]) -> Keywords:
    types = list(dict.fromkeys(_JSON_TYPES[type(value)] for value in wire if type(value) in _JSON_TYPES))
    if len(wire) == 1:
        return {"const": wire[0]}
    if len(types) == 1:
        return {"type": types[0], "enum": list(wire)}
    return {"enum": list(wire)}


def _types_of(wire: tuple[object, ...]) -> Keywords:
    types = list(dict.fromkeys(_JSON_TYPES[type(value)] for value in wire if type(value) in _JSON_TYPES))
    return {"type": types[0] if len(types) == 1 else types}


def _may_be_read_lightly(node: object) -> bool:
    """Whether an option of a union takes, leniently, what another one would leave as it is."""
    return (
        isinstance(node, Branches)
        and node.facts.open
        and any(isinstance(use.node, Scalar) and use.node.kind.strict is not use.node.kind for use in node.options)
    )


def _forbids_empty(parts: Sequence[Step | Rule]) -> bool:
    """Whether a length that holds to the end leaves no empty text."""
    return any(
        isinstance(part, Length) and bool(part.floor) and survives(part, parts[number + 1 :])
        for number, part in enumerate(parts)
    )


def _judged_types(parts: Sequence[Step | Rule]) -> tuple[str, ...] | None:
    """The types of JSON that all can judge which stand beside an open type, up to where one makes another value."""
    left: tuple[str, ...] | None = None
    for part in parts:
        takes = part.takes()
        if takes is not None:
            left = tuple(each for each in takes.types if left is None or each in left)
        if isinstance(part, Step) and not part.normalising:
            break
    return left


def _types(types: tuple[str, ...]) -> Keywords:
    """What JSON has of the values that every rule beside them can judge."""
    if not types:
        return {"not": {}}
    return {"type": types[0] if len(types) == 1 else list(types)}


def _or_null(inner: Keywords) -> Keywords:
    """What is inside, or null, in the shortest words that say so."""
    kinds = inner.get("type")
    if isinstance(kinds, str | list) and not {"enum", "const", "not", "allOf", "anyOf", "$ref"} & inner.keys():
        kinds = [kinds] if isinstance(kinds, str) else kinds
        return {**inner, "type": [*kinds, *(["null"] if "null" not in kinds else [])]}
    if "anyOf" in inner and inner.keys() <= {"anyOf", "title", "description", "deprecated"}:
        return {**inner, "anyOf": [*inner["anyOf"], {"type": "null"}]}
    return {"anyOf": [inner, {"type": "null"}]}


def plainer(said: Any) -> Any:
    """A schema without an `allOf` of one, where that one can stand beside the other keywords as well."""
    if isinstance(said, list):
        return [plainer(each) for each in said]
    if not isinstance(said, dict) or "$schema" in said:
        return said
    made = {
        word: held if word in ("const", "enum", "default", "examples", "mapping") else plainer(held)
        for word, held in said.items()
    }
    only = made.get("allOf")
    if isinstance(only, list) and len(only) == 1 and isinstance(only[0], dict):
        rest = {word: held for word, held in made.items() if word != "allOf"}
        conditions = {"if", "then", "else"}
        clash = rest.keys() & only[0].keys() or (conditions & rest.keys() and conditions & only[0].keys())
        meddles = (_NEIGHBOURS | _LEFT_OVER | _COUNTED) & only[0].keys()
        if not clash and not meddles:
            return {**rest, **only[0]}
    return made


def join(said: Keywords, more: Mapping[str, Any]) -> None:
    """Add keywords; one that is there already with another value goes into `allOf`."""
    if set(more) == {"allOf"}:
        said["allOf"] = [*said.get("allOf", []), *more["allOf"]]
        return
    if "if" in more and "if" in said:  # what belongs together stays so
        said["allOf"] = [*said.get("allOf", []), dict(more)]
        return
    clash = {word: held for word, held in more.items() if word in said and said[word] != held}
    said.update({word: held for word, held in more.items() if word not in clash})
    if clash:
        said.setdefault("allOf", []).append(clash)
