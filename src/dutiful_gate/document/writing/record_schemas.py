"""Records as schemas: their fields, the keys that nobody names, what fields must be to each other."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...declare.constants import no_json
from ...declare.facts import Unsaid
from ...declare.field_access import Path
from ...declare.json_pointer import escaped
from ...declare.kinds.decimal import as_json
from ...declare.rules.contains import escaped as escaped_text
from ...regex.overlap import may_share, without
from ...regex.search import ecma_search
from ...shape.known_defaults import ITS_DEFAULT, known_default
from ...shape.nodes import Entries
from ...shape.shape import Field, Record
from ...shape.to_json import plain
from ...shape.uses import MISSING, Use
from ...shape.walk import holds_secret
from ..rules_in_words import record_rule_in_words
from .field_presence import RecordStanding
from .joining import Keywords, join
from .schema_writer import NOT_TOLD, SchemaWriter, codes_of
from .value_forms import converts


class RecordSchemas:
    """Writes the records of a document, beside the writer of all that is in them."""

    def __init__(self, writer: SchemaWriter) -> None:
        self.writer = writer

    def written(self, record: Record) -> Keywords:
        """A record under `$defs`."""
        at = f"/$defs/{escaped(record.key)}"
        self.writer.names[at] = record.name
        said: Keywords = {"title": record.name}
        if record.text:
            said["description"] = record.text
        said["type"] = "object"
        fields = [field for field in record.fields if not self.writer.released or field.goes_out(secrets=False)]
        said["properties"] = {
            field.wire: self.field(field, f"{at}/properties/{escaped(field.wire)}", record) for field in fields
        }
        if self.writer.released:
            for field in record.computed:
                if field.goes_out(secrets=False):
                    told = self.field(field, f"{at}/properties/{escaped(field.wire)}", record)
                    said["properties"][field.wire] = {**told, "readOnly": True}
        every = [*fields, *(each for each in record.computed if self.writer.released and each.goes_out(secrets=False))]
        required = [
            field.wire
            for field in every
            if (not (field.may_lack or field.leaves_out) if self.writer.released else field.required)
        ]
        if required:
            said["required"] = required
        if not self.writer.released:
            self.other_names(fields, said)
        gathers = [rest for rest in record.rests if not (self.writer.released and rest.use.secret)]
        if gathers:
            said |= self.gathered(record, gathers, list(said["properties"]), at)
        elif record.unknown == "refuse" or (self.writer.refuse_unknown and not record.unknown):
            said["additionalProperties"] = False
        if said.get("additionalProperties") is False and not self.writer.released:
            # What goes out may come back: it is passed over, and no unknown key.
            said["properties"].update({field.wire: {"readOnly": True} for field in record.computed})
        shut = said.get("additionalProperties", {}) != {} or "propertyNames" in said
        shut = shut and record.unknown != "refuse"
        if shut and not self.writer.released and self.writer.shape.root.node.leads_to == record.key:
            said["properties"].setdefault("$schema", {})  # what a data file has for its editor is never unknown
            if "propertyNames" in said:
                said["propertyNames"]["anyOf"][0] = {"enum": list(said["properties"])}
        for document in record.documents:
            if self.writer.released:
                self.writer.leave(at, record.name, document, Unsaid("it judges what came, and that changes on the way"))
            else:
                self.writer.embed(said, document, at, record.name)
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
                self.writer.leave(
                    at, record.name, part, Unsaid("a document looks at all keys, not at the gathered ones")
                )
            names = self.writer.keys(rest.use.node.key, f"{at}/propertyNames", f"{name} keys")
            if list(names) != ["pattern"]:
                held = self.writer.use(rest.use, f"{at}/additionalProperties", name)
                said: Keywords = {
                    word: held[word] for word in ("propertyNames", "additionalProperties") if word in held
                }
                if "propertyNames" in said:  # of what is gathered, not of the fields
                    said["propertyNames"] = {"anyOf": [{"enum": wires}, said["propertyNames"]]}
                others = any(not each.rests for each in self.writer.shape.records.values())
                if self.writer.refuse_unknown and others:
                    said.setdefault("additionalProperties", {})  # open, beside others that are not
                return {**({"patternProperties": patterns} if patterns else {}), **said}
            pattern = names["pattern"]
            barred = [each for each in earlier if may_share(each, pattern)]
            barred += [f"^{escaped_text(wire)}$" for wire in wires if ecma_search(pattern)(wire) is not None]
            earlier.append(pattern)
            whole = without(pattern, barred)
            place = f"{at}/patternProperties/{escaped(whole)}"
            patterns[whole] = self.writer.use(rest.use.node.value, place, f"{name} values")
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
        standing = RecordStanding(self.writer.shape, record, released=self.writer.released)
        for rule in record.rules:
            told = rule.keywords(standing)
            secret = any(use.secret for path in rule.paths for use in standing.paths.uses(record, path))
            if secret and not rule.asks_presence_only:
                names = ", ".join(rule.fields)
                why = Unsaid(NOT_TOLD)
                self.writer.leave(at, f"{record.name}.{rule.fields[0]}", f"a rule of {names}", why, *codes_of(rule))
                continue
            if not set(rule.fields) <= there or (rule.counts_keys and len(there) < len(record.fields)):
                told = Unsaid("a field that it mentions is not released")
            elif self.writer.released and any(self.is_withheld(record, path) for path in rule.paths):
                told = Unsaid("what it mentions is not released")
            elif record.mends and not rule.of_whole:
                # Judged only when every field it mentions was sent: what was not sent stays as it is.
                told = told if isinstance(told, Unsaid) else {"allOf": [_when_sent(standing.wire, rule.fields, told)]}
            if isinstance(told, Unsaid):
                name = f"{record.name}.{rule.fields[0]}" if rule.fields else record.name
                words = record_rule_in_words(rule, record, standing.paths)
                self.writer.leave(at, name, rule, told, words=words)
            elif list(told) == ["allOf"]:
                for each in told["allOf"]:  # type: ignore[attr-defined]
                    join(said, each)
            else:
                join(said, told)
        if record.runs_own:
            self.writer.leave(at, record.name, "its own constructor", Unsaid("what it checks is not known"), "check")
        for check in record.checks:
            why = Unsaid("what a function of one's own admits is not known")
            self.writer.leave(at, record.name, check, why)

    def is_withheld(self, record: Record, path: Path) -> bool:
        """Whether something on the way to a path's end does not go out."""
        standing = RecordStanding(self.writer.shape, record, released=True)
        return any(use.secret for use in standing.paths.uses(record, path))

    def field(self, field: Field, at: str, record: Record) -> Keywords:
        """One field among `properties`."""
        left_out = self.writer.released and "nulls" in field.leaves_out
        said = self.writer.use(field.use.bare if left_out else field.use, at, f"{record.name}.{field.attribute}")
        if self.writer.released or field.required or field.may_lack or converts(field.use):
            return said
        if holds_secret(field.use, self.writer.shape.guarded):
            return said
        known = known_default(self.writer.shape, field)
        if known is MISSING:
            makes = getattr(field.factory, "__name__", "a function")
            why = f"what {makes} makes is not known before it is called: if_absent(...) declares a value"
            self.writer.leave(at, f"{record.name}.{field.attribute}", ITS_DEFAULT, Unsaid(why), "absent")
            return said
        default = self.plain(field.use, known)
        return said if no_json(default) else {**said, "default": default}

    def plain(self, use: Use, value: object) -> Any:
        """A default as plain JSON data; a Decimal that no double holds as the nearest one."""
        return as_json(plain(use, value, self.writer.shape))


def _when_sent(wire: Mapping[str, str], fields: tuple[str, ...], told: Mapping[str, Any]) -> Keywords:
    return {"if": {"required": [wire[name] for name in dict.fromkeys(fields)]}, "then": dict(told)}
