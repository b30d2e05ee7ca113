"""Settings written as a file: TOML, YAML, JSON, or the variables of an environment."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal
from typing import Any, Final

from ..report.fault import Path, dotted
from ..shape.nodes import Entries, Link
from ..shape.uses import Missing, Use
from .names import SettingNames, blank_is_null, variable

_BARE_KEY = re.compile(r"[A-Za-z0-9_-]+")
_PLAIN_YAML = re.compile(r"[A-Za-z_/](?:[A-Za-z0-9_./@+-]| (?=[A-Za-z0-9_./@+-]))*")
_NOT_TEXT_IN_YAML = re.compile(
    r"null|true|false|yes|no|on|off|y|n|[-+]?\.?(?:inf|nan)|0[xo].*|[-+.0-9].*", re.IGNORECASE
)
_PLAIN_VARIABLE = re.compile(r"[A-Za-z0-9_./:@%+,-]*")


class CannotHold(ValueError):
    """A form that cannot hold a value: TOML has no null, a variable no NUL. `path` says which."""

    def __init__(self, path: Path, what: str) -> None:
        super().__init__(f"{dotted(path) or 'the whole'}: {what}")
        self.path = path


def in_toml(data: Mapping[str, Any]) -> str:
    """Plain data as TOML: single values first, then a table for each record. Raises CannotHold."""
    return "\n".join(_toml_table(data, ())).strip("\n") + "\n"


def _toml_table(data: Mapping[str, Any], path: Path) -> Iterator[str]:
    for name, held in data.items():
        if not _is_table(held):
            yield f"{toml_key(name)} = {toml_value(held, (*path, name))}"
    for name, held in data.items():
        if _is_table(held):
            here = (*path, name)
            yield f"\n[{'.'.join(toml_key(str(step)) for step in here)}]"
            yield from _toml_table(held, here)


def _is_table(held: Any) -> bool:
    return isinstance(held, Mapping)


def toml_key(name: str) -> str:
    """A key of TOML."""
    return name if _BARE_KEY.fullmatch(name) else _toml_text(name, ())


def toml_value(held: Any, path: Path) -> str:
    """A value of TOML in one line. Raises CannotHold."""
    match held:
        case None:
            raise CannotHold(path, "TOML has no null")
        case Missing():
            raise CannotHold(path, "no value was found")
        case bool():
            return "true" if held else "false"
        case str():
            return _toml_text(held, path)
        case int() | float() | Decimal():
            return _toml_number(held)
        case Mapping():
            inner = [f"{toml_key(name)} = {toml_value(each, (*path, name))}" for name, each in held.items()]
            return f"{{ {', '.join(inner)} }}" if inner else "{}"
        case list() | tuple():
            return f"[{', '.join(toml_value(each, (*path, at)) for at, each in enumerate(held))}]"
    raise CannotHold(path, "TOML has no such value")


def _toml_number(held: float | Decimal) -> str:
    text = str(held)
    if isinstance(held, int):
        return text
    text = text.replace("E", "e")
    head, e, tail = text.partition("e")
    # A point alone makes a float of it.
    return text if "." in head or e else f"{head}.0{e}{tail}"


def _toml_text(text: str, path: Path) -> str:
    if any(0xD800 <= ord(sign) <= 0xDFFF for sign in text):
        raise CannotHold(path, "no file holds half of a character")
    made = json.dumps(text, ensure_ascii=False)
    return re.sub(r"[\x7f]", lambda found: f"\\u{ord(found[0]):04x}", made)


def in_yaml(data: Mapping[str, Any]) -> str:
    """Plain data as YAML, which says the same in 1.1 and 1.2. Raises CannotHold."""
    return "\n".join(_yaml_map(data, (), "")) + "\n" if data else "{}\n"


def _yaml_map(data: Mapping[str, Any], path: Path, indent: str) -> Iterator[str]:
    for name, held in data.items():
        key = f"{indent}{yaml_text(name, path)}:"
        here = (*path, name)
        if isinstance(held, Mapping) and held:
            yield key
            yield from _yaml_map(held, here, indent + "  ")
        elif isinstance(held, list) and held:
            yield key
            yield from _yaml_list(held, here, indent)
        else:
            yield f"{key} {yaml_value(held, here)}"


def _yaml_list(several: list[Any], path: Path, indent: str) -> Iterator[str]:
    for at, held in enumerate(several):
        here = (*path, at)
        if isinstance(held, Mapping) and held:
            first, *others = _yaml_map(held, here, indent + "    ")
            yield f"{indent}  - {first.lstrip()}"
            yield from others
        else:
            yield f"{indent}  - {yaml_value(held, here)}"


def yaml_value(held: Any, path: Path) -> str:
    """A value of YAML in one line. Raises CannotHold."""
    if isinstance(held, str):
        return yaml_text(held, path)
    if isinstance(held, Mapping):
        pairs = [f"{yaml_text(name, path)}: {yaml_value(each, (*path, name))}" for name, each in held.items()]
        return f"{{{', '.join(pairs)}}}"
    if isinstance(held, list | tuple):
        return f"[{', '.join(yaml_value(each, (*path, at)) for at, each in enumerate(held))}]"
    if isinstance(held, float | Decimal) and not isinstance(held, bool):
        # Without a point, 1e5 is a text to readers of YAML 1.1.
        head, e, tail = str(held).replace("E", "e").partition("e")
        sign = tail if not e or tail[:1] in "+-" else f"+{tail}"
        return f"{head if '.' in head or 'n' in head else head + '.0'}{e}{sign}"
    return json.dumps(held)


def yaml_text(text: str, path: Path) -> str:
    """Text of YAML: plain where nobody takes it for anything else, otherwise in quotes."""
    if _PLAIN_YAML.fullmatch(text) and not _NOT_TEXT_IN_YAML.fullmatch(text):
        return text
    if any(0xD800 <= ord(sign) <= 0xDFFF for sign in text):
        raise CannotHold(path, "no file holds half of a character")
    # JSON's text is YAML's; what YAML does not print stands escaped.
    return "".join(_yaml_sign(sign) for sign in json.dumps(text, ensure_ascii=False))


def _yaml_sign(sign: str) -> str:
    code = ord(sign)
    if code in (0x85, 0xA0, 0x2028, 0x2029, 0xFEFF) or 0x7F <= code < 0xA0 or 0xFFFE <= code <= 0xFFFF:
        return f"\\u{code:04x}"
    return sign


def in_json(data: Mapping[str, Any]) -> str:
    """Plain data as JSON."""
    from ..engine.json_out import json_bytes

    if _exact(data):  # digit by digit
        return json_bytes(data).decode() + "\n"
    return json.dumps(data, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def _exact(held: Any) -> bool:
    if isinstance(held, Mapping):
        return any(map(_exact, held.values()))
    return any(map(_exact, held)) if isinstance(held, list) else isinstance(held, Decimal)


def in_variables(data: Mapping[str, Any], names: SettingNames, prefix: str) -> dict[str, str]:
    """Plain data as variables: one for each single value, records by their steps, lists and maps as JSON.

    Raises CannotHold.
    """
    made: dict[str, str] = {}
    _variables(data, names.shape.root, (), names, prefix, made)
    return made


def _variables(
    data: Mapping[str, Any], use: Use, path: Path, names: SettingNames, prefix: str, made: dict[str, str]
) -> None:
    for name, held in data.items():
        here, below = (*path, name), names.below(use, name, data)
        if isinstance(held, Mapping) and isinstance(names.node(below), Link) and held and below is not None:
            _variables(held, below, here, names, prefix, made)
            continue
        word = variable(prefix, here)
        if word in made:
            raise CannotHold(here, f"another setting has the variable {word} too")
        if isinstance(names.node(use), Entries):
            raise CannotHold(here, "a map goes as a whole")
        if held is None and (below is None or not blank_is_null(below, names)):
            raise CannotHold(here, "a variable cannot be null where text is wanted")
        made[word] = variable_text(held, here)


def variable_text(held: Any, path: Path) -> str:
    """The text of a variable that is read as the value. Raises CannotHold."""
    if held is None:
        return ""
    text = held if isinstance(held, str) else _as_json(held)
    if "\0" in text or any(0xD800 <= ord(sign) <= 0xDFFF for sign in text):
        raise CannotHold(path, "no variable holds such a character")
    return text


def _as_json(held: Any) -> str:
    from ..engine.json_out import json_bytes

    return json_bytes(held).decode()


def env_line(name: str, text: str) -> str:
    """A line of a `.env` file."""
    if _PLAIN_VARIABLE.fullmatch(text):
        return f"{name}={text}"
    if not set(text) & set("'\\\r\n"):
        return f"{name}='{text}'"
    inside = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\r", "\\r")
    return f'{name}="{inside}"'


WRITERS: Final[Mapping[str, Callable[[Mapping[str, Any]], str]]] = {"toml": in_toml, "yaml": in_yaml, "json": in_json}
