"""Words that somebody may hand over to be written down: names of what is imported, quotes, ends of lines, long ones."""

from __future__ import annotations

from random import Random
from typing import Any

RUNS = '";import os;os._exit(7)#'

WORDS = (
    *["NotRequired", "dataclass", "Annotated", "Any", "TypedDict", "gate", "Gate", "it", "this", "field", "date", "DOCUMENT", "when", "needs", "obeys", "obeys_document", "Literal", "Union", "Self", "Enum"],
    *["__x", "__init__", "__class__", "__debug__", "__doc__", "__slots__", "class", "def", "None", "True", "self", "l", "list", "str", "int", "id", "type", "print", "match", "case", "mro", "keys", "x", "x_2", "x2", "X", "_", "__"],
    *["v_x", "t_item", "f_x", "f2_x", "item", "item_2", "made", "made_2", "key", "held", "data", "memory", "path", "log", "value", "REFUSED", "ABSENT", "größe", "ﬁx", "naïve", "İ", "＃", "1a"],
    "a b", 'a"b', "a'b", "'''", '"""', '"' * 4 + RUNS, 'a"""', "\\", '\\"""', "\n", "\r", "\x0c", "\u2028", "\x00", "\u202e", "", "  ",
    "a" * 200, "B" * 200, "{x}", "%s", "# type: ignore", "$ref", "w " * 60 + '"' * 4 + RUNS, "z" * 95 + '"' * 4 + RUNS, "y" * 110 + '"""',
    "q" * 100 + "\\" * 9, ("k" * 30 + '" ') * 8, "'\"", "=1+1", "[x](http://fennick.example)", "<script>alert(1)</script>", "</title>", "&amp;",
)  # fmt: skip


def any_word(random: Random) -> str:
    """A hostile word, or two in one."""
    word = random.choice(WORDS)
    return word if random.random() < 0.8 else word + random.choice(WORDS)


def any_document(seed: int) -> dict[str, Any]:
    """A document with a hostile word in every place that takes one."""
    random = Random(seed)
    names = list(dict.fromkeys(any_word(random) for _ in range(3)))
    document = _schema(random, 3, names)
    return document | {"$defs": {name: _schema(random, 2, names) for name in names}}


def _schema(random: Random, depth: int, names: list[str]) -> dict[str, Any]:
    def word() -> str:
        return any_word(random)

    made: dict[str, Any] = {
        keyword: word() for keyword in ("title", "description", "$comment") if random.random() < 0.35
    }
    if random.random() < 0.1:
        made["examples"] = [word()]
    roll = random.random()
    if roll < 0.45 and depth:
        properties = [word() for _ in range(random.randint(1, 5))]
        made |= {"type": "object", "properties": {name: _schema(random, depth - 1, names) for name in properties}}
        made["required"] = [name for name in made["properties"] if random.random() < 0.5]
        choices: list[dict[str, Any]] = [
            {"additionalProperties": random.choice([False, {"type": "string"}])},
            {"dependentRequired": {word(): [word()]}},
            {"patternProperties": {"^a": {"type": "integer"}}},
            {"if": {"properties": {properties[0]: {"const": word()}}, "required": properties[:1]}, "then": {"required": [word()]}},
            {"anyOf": [{"required": [name]} for name in properties]},
        ]  # fmt: skip
        for each in choices:
            made |= each if random.random() < 0.2 else {}
    elif roll < 0.55 and depth:
        made |= {"type": "array", "items": _schema(random, depth - 1, names)}
    elif roll < 0.65:
        made["enum"] = list(dict.fromkeys(word() for _ in range(random.randint(1, 4))))
    elif roll < 0.7:
        made["const"] = word()
    elif roll < 0.78:
        name = random.choice(names).replace("~", "~0").replace("/", "~1")
        made["$ref"] = "#/$defs/" + "".join(f"%{byte:02X}" for byte in name.encode())
    elif roll < 0.9:
        made["type"] = "string"
        made |= {"default": word()} if random.random() < 0.5 else {}
        made |= {"pattern": random.choice([r'^"+$', r"^'$", r"\\", 'a{2}"""'])} if random.random() < 0.3 else {}
        made |= {"format": word()} if random.random() < 0.2 else {}
    elif depth:
        made["anyOf"] = [_schema(random, depth - 1, names), _schema(random, depth - 1, names)]
    return made
