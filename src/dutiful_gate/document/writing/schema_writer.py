"""Shapes to JSON Schema 2020-12."""

from __future__ import annotations

from decimal import Decimal
from itertools import chain, starmap
from typing import Any

from ...declare.constants import no_json
from ...declare.embedded import Embedded
from ...declare.facts import Facts, LengthUnit, Unsaid
from ...declare.json_pointer import escaped
from ...declare.kinds import Text
from ...declare.kinds.decimal import as_json, finer_than_doubles
from ...declare.kinds.formed import Formed
from ...declare.records import RecordCheck, RecordRule
from ...declare.rules import Contains, Distinct, Equal, OneOf, Rule
from ...declare.sources import Reading
from ...declare.steps import NO_BLANKS_AND_NOT_EMPTY, in_utc, trimmed
from ...shape.final_forms import comes_final, is_settled, keeps_form, survives
from ...shape.nodes import (
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Scalar,
    Sealing,
    Turned,
    spellings,
)
from ...shape.shape import Shape
from ...shape.stages import stages_of
from ...shape.to_json import WayBack, plain, plain_fallback, way_back
from ...shape.uses import MISSING, Use
from ...shape.walk import holds_secret, part_of, uses_of
from ..beside_types import BesideType
from ..dialects import Dialect
from ..document import Unstated
from ..rules_in_words import rule_in_words
from .format_patterns import spelled_out
from .joining import _LEFT_OVER, _NEIGHBOURS, Keywords, join, or_null
from .value_forms import (
    choice_words,
    converts,
    forbids_empty,
    has_one_form,
    is_canonical,
    judged_types,
    may_be_withheld,
    types_of_choice,
    types_words,
)

_STANDS_IN = "Anything else is admitted too: a value stands in for it."
NOT_TOLD = "what a secret is compared with is not told"
_SPELLED_TWICE = Unsaid("different keys can stand for equal values, and a repeat is refused by value")
_DECIMAL = r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?"


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
        self.exclusive_unions: dict[str, Shape] = {}

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
        if about.examples and not hides and (not self.released or not converts(use)):
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
            why = Unsaid("anything will do, since something stands in for it")
            self.leave(at, name, "otherwise(...)", why, words="something stands in for what is refused")
            text = use.about.text
            said["description"] = f"{text} {_STANDS_IN}" if text else _STANDS_IN
        stages = stages_of(use, Reading.PLAIN)
        if stages.split:
            said["type"] = "string"
            why = Unsaid("JSON Schema cannot look at the parts of a text")
            self.leave(at, name, f"split_on({stages.split!r})", why, words=f"items between {stages.split!r}")
        elif stages.via is not None:
            said |= self.use(stages.via, at, name)
            self.leave(at, name, "what is read from it", Unsaid("JSON Schema judges what came, not what is made of it"))
        else:
            said |= self.node(use, at, name)
            self.parts(said, use, at, name)
        for document in stages.documents:
            if comes_final(use, self.shape.aliases):
                self.embed(said, document, at, name)
            else:
                self.leave(at, name, document, Unsaid("it judges what came, and a document speaks of final forms"))
        return said

    def embed(self, said: Keywords, document: Embedded, at: str, name: str) -> None:
        """A document beside a type: its keywords, or a reference to it."""
        reason = document.reason(self.dialect) if isinstance(document, BesideType) else ""
        if self.hidden and isinstance(document, BesideType) and document.names_values:
            reason = NOT_TOLD
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
        turned = way_back(use, self.shape)
        if turned is not None:
            return self.turned(turned, use, at, name)
        if use.making is not None:
            self.leave(at, name, use.making, Unsaid("what a function of one's own makes is not known"))
            return {}
        said = self.node(use, at, name)
        self.parts(said, use, at, name)
        for document in use.documents:
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

    def turned(self, turned: WayBack, use: Use, at: str, name: str) -> Keywords:
        """What comes out where a value goes out as it came."""
        said = self.released_use(turned.inner, at, name)
        for part in use.after_making or ():
            if isinstance(part, Rule):
                self.leave(at, name, part, Unsaid("it judges what was made of what came"))
        if use.is_reread:
            self.leave(at, name, "what is read from it", Unsaid("JSON Schema judges what came, not what is made of it"))
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
                    self.leave(at, name, "one of a few values", Unsaid(NOT_TOLD), "choice")
                    return types_of_choice(wire)
                return choice_words(wire)
            case Items(item, into):
                held = self.use(item, f"{at}/items", f"{name}[]")
                said = {"type": "array", **({"items": held} if held else {})}
                if into not in ("set", "frozenset"):
                    return said
                self.note_repeats(item, "no item twice", at, name)
                if self.released and may_be_withheld(item, self.shape):
                    self.leave(at, name, "no item twice", Unsaid("what tells items apart may be withheld"))
                    return said
                return {**said, "uniqueItems": True}
            case Fixed():
                return self.fixed(use.node, at, name)
            case Entries(key, value):
                return self.entries(key, value, at, name)
            case Branches():
                return self.branches(use.node, at, name)
            case Sealing(inner) | Turned(inner):
                return self.use(inner, at, name)
            case Nullable(inner):
                return or_null(self.use(inner, at, name))
            case Link(key) | Alias(key):
                return {"$ref": f"#/$defs/{escaped(key)}"}

    def branches(self, node: Branches, at: str, name: str) -> Keywords:
        """One of several shapes; for OpenAPI with the tag that tells which."""
        if node.held:
            return self.beside(node, at, name)
        told_apart = node.alone and not node.tag and at not in self.loose and not self._reads_lightly(node)
        word = "oneOf" if told_apart else "anyOf"
        options = [self.use(option, f"{at}/{word}/{n}", name) for n, option in enumerate(node.options)]
        discriminated = self._is_discriminated(node) and all(list(told) == ["$ref"] for told in options)
        if node.tag and not discriminated:
            options = [self.tagged(option, told, node.tag) for option, told in zip(node.options, options, strict=True)]
        if told_apart:
            self.exclusive_unions[at] = part_of(self.shape, Use(node))
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
        if discriminated:
            # The options stand as references alone, as code generators look for them: the tag is needed by all.
            if any(self.tagged(option, {}, node.tag) for option in node.options):
                said["required"] = [node.tag]
            mapping = {
                str(tag): f"#/$defs/{escaped(option.node.leads_to)}"
                for option, tags in zip(node.options, node.tags, strict=True)
                for tag in tags
                if isinstance(tag, str)
            }
            said["discriminator"] = {"propertyName": node.tag, "mapping": mapping}
        return said

    def _is_discriminated(self, node: Branches) -> bool:
        """Whether a union is one of records that OpenAPI knows by a tag in them."""
        links = [option.node.key for option in node.options if isinstance(option.node, Link)]
        hidden = any(
            field.use.secret for key in links for field in self.shape.records[key].fields if field.wire == node.tag
        )
        told = self.discriminators and node.tag and not node.held
        return bool(told) and len(links) == len(node.options) and not hidden and node.others < 0

    def _reads_lightly(self, node: Branches) -> bool:
        """Whether something in a union is read leniently, so that more of its options fit than a document tells."""
        return any(use.node.is_lenient for use in uses_of(part_of(self.shape, Use(node))))

    def tagged(self, option: Use, told: Keywords, tag: str) -> Keywords:
        """An option of a union whose tag must be there, also where the record alone has a default for it."""
        record = self.shape.record_of(option)
        fields = record.fields if record is not None else ()
        sure = self.released or any(field.wire == tag and field.required for field in fields)
        return told if sure else {**told, "required": [tag]}

    def beside(self, node: Branches, at: str, name: str) -> Keywords:
        """A union whose tag stands beside its data."""
        options: list[Keywords] = []
        for number, (option, tags) in enumerate(zip(node.options, node.tags, strict=True)):
            inner = f"{at}/anyOf/{number}/properties/{escaped(node.held)}"
            properties = {node.tag: choice_words(tags), node.held: self.use(option, inner, name)}
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
        if node.tail is None:
            return {**said, "minItems": len(items), "maxItems": len(items)}
        more = self.use(node.tail, f"{at}/items", f"{name}[{len(items)}]")
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
        if facts.open and (types := judged_types(use.parts)) is not None:
            join(said, types_words(types))
            if types == ("string",):
                facts = Text().facts
        for number, part in enumerate(use.parts):
            later = use.parts[number + 1 :]
            if isinstance(part, Rule):
                told = Unsaid("it judges what a function of one's own made") if converted else part.keywords(facts)
                if not converted and not survives(part, later):
                    told = Unsaid("a later step changes what it judged")
                if self.hidden and part.tells_values:
                    self.leave(at, name, part.named(hidden=True), Unsaid(NOT_TOLD), *codes_of(part))
                    continue
            else:
                told = part.keywords()
                if part == in_utc and isinstance(use.node, Scalar) and isinstance(use.node.kind, Formed):
                    told = use.node.kind.in_utc
                facts = part.suits(facts)
                converted = converted or not part.normalising
                if is_settled(part, later):
                    continue
                if part == trimmed and forbids_empty(later):
                    told = {"pattern": NO_BLANKS_AND_NOT_EMPTY}
            if isinstance(told, Unsaid):
                self.leave(at, name, part, told)
                continue
            if isinstance(part, Equal | OneOf | Contains) and not has_one_form(use, part, released=self.released):
                self.leave(at, name, part, Unsaid("equal values may be written in several ways"))
                if not isinstance(part, Equal) or part.wanted:
                    continue
            if isinstance(part, Distinct) and isinstance(use.node, Items):
                if self.released and may_be_withheld(use.node.item, self.shape):
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

    def leave(self, at: str, name: str, rule: object, why: Unsaid, *codes: str, words: str = "") -> None:
        """Put down that a rule is not in the document; `words` say it to clients."""
        words = words or (rule_in_words(rule) if isinstance(rule, Rule) and not self.hidden else str(rule))
        self.unstated.append(Unstated(at, name, str(rule), why.reason, codes or codes_of(rule), words))


def codes_of(rule: object) -> tuple[str, ...]:
    """The codes of the faults that a rule can tell."""
    if isinstance(rule, RecordCheck):
        return ("check",)
    if isinstance(rule, RecordRule):
        return ("agreement", "count", "absent")
    if isinstance(rule, Rule) and rule.measures_size:
        return ("length", "count")
    if isinstance(rule, Rule):
        faces = rule.faces(
            "value", Facts("a value", "value", measured=LengthUnit.ITEMS, text=True, number=True), _named
        )
        return tuple(dict.fromkeys(face.code for face in faces))
    return ()


def _named(constant: object, hint: str) -> str:
    return hint
