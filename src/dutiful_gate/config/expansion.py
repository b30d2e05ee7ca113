"""`${berths.limit}` in a text of settings: it stands for another setting, and `${env:HOME}` for a variable.

Only layers that ask for it are looked into. What is put in is not looked into again, but for a setting that is itself
made of others; nothing is taken out of a secret. `$${` is a `${` that stands for nothing.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, Final

from ..declare.json_pointer import indexed
from ..declare.phrases import Phrase
from ..declare.sources import FromText
from ..report.cause import Cause
from ..report.fault import Path
from ..shape.uses import MISSING
from .names import SettingNames, steps_of

_REFERENCE = re.compile(r"\$\$\{|\$\{([^{}]*)\}")
_ENV: Final = "env:"
_DEEPEST = 32


class CannotExpand(Exception):
    """A reference that stands for nothing that may be put in; `cause` says why."""

    def __init__(self, needs: str, got: str) -> None:
        super().__init__(needs)
        self.cause = Cause("reading", needs, got=got)


class Expansion:
    """Expands the texts of settings that were merged; what is put in comes to `most` characters and values at most."""

    def __init__(
        self,
        names: SettingNames,
        data: Mapping[str, Any],
        environ: Mapping[str, str] | None,
        prefix: str,
        expands: Callable[[Path], bool],
        most: int,
    ) -> None:
        self.names = names
        self.data = data
        self.environ = environ
        self.prefix = prefix
        self.expands = expands
        self.most = most
        self._put_in = 0
        self._weights: dict[int, int] = {}
        # What settings came to, each with how many others it leads through: references to references double.
        self._known: dict[Path, tuple[Any, int]] = {}
        self._reached = 0
        self.wrong: list[tuple[Path, Cause]] = []

    def whole(self) -> Any:
        """The settings with every reference put in; what is wrong is noted with its path."""
        return self._held(self.data, ())

    def _held(self, held: Any, path: Path) -> Any:
        if isinstance(held, dict):
            return {step: self._held(inner, (*path, step)) for step, inner in held.items()}
        if isinstance(held, list):
            return [self._held(inner, (*path, at)) for at, inner in enumerate(held)]
        if not isinstance(held, str) or "${" not in held or not self.expands(path):
            return held
        try:
            return self._text(held, path, ())
        except CannotExpand as error:
            # A reference in a secret may be a piece of it.
            hidden = self.names.is_hidden(path, self.data)
            self.wrong.append((path, error.cause.replace(got="another reference") if hidden else error.cause))
            return held

    def _text(self, text: str, path: Path, through: tuple[Path, ...]) -> Any:
        if path in through or len(through) > _DEEPEST:
            raise self._leads_back()
        self._reached = max(self._reached, len(through))
        whole = _REFERENCE.fullmatch(text)
        if whole is not None and whole[1] is not None:
            return self._of(whole[1], (*through, path))
        put_in = (*through, path)
        expanded = _REFERENCE.sub(lambda found: "${" if found[1] is None else self._as_text(found[1], put_in), text)
        return text.__class__(expanded)

    def _as_text(self, name: str, through: tuple[Path, ...]) -> str:
        held = self._of(name, through)
        if isinstance(held, bool):
            return "true" if held else "false"
        if held is None or isinstance(held, dict | list):
            raise CannotExpand("${...} of a text or a number inside of a text", "another setting")
        return str(held)

    def _of(self, name: str, through: tuple[Path, ...]) -> Any:
        """What a reference stands for, counted: references to references would double with each step."""
        if self._put_in > self.most:
            raise self._too_much()
        held = self._standing(name, through)
        self._put_in += 1 + self._weight(held)
        if self._put_in > self.most:
            raise self._too_much()
        return held

    def _too_much(self) -> CannotExpand:
        error = CannotExpand("", "")
        error.cause = Cause("size", "settings that come to at most {most} characters", {"most": self.most}, got="more")
        return error

    def _weight(self, held: Any) -> int:
        """How much a value is: the characters of texts, the values of lists and records."""
        if isinstance(held, str):
            return len(held)
        if not isinstance(held, dict | list):
            return 1
        if id(held) not in self._weights:  # all of them stay, as parts of the settings
            inner = held.values() if isinstance(held, dict) else held
            self._weights[id(held)] = 1 + sum(map(self._weight, inner))
        return self._weights[id(held)]

    def _standing(self, name: str, through: tuple[Path, ...]) -> Any:
        if name.startswith(_ENV):
            return self._variable(name.removeprefix(_ENV))
        path: Path = indexed(steps_of(name))
        held: Any = self._held_at(path) if path else MISSING
        if held is MISSING:
            got = Phrase("no setting of the name {name}", name=repr(name))
            raise CannotExpand("${...} of a setting that a layer gives", got)
        if self.names.is_hidden(path, self.data):
            raise CannotExpand("${...} of a setting that is no secret", "a secret")
        if isinstance(held, str) and "${" in held and self.expands(path):
            return self._expanded(held, path, through)
        return held

    def _expanded(self, text: str, path: Path, through: tuple[Path, ...]) -> Any:
        """The text of another setting, expanded once."""
        depth = len(through)
        if path in self._known:
            held, further = self._known[path]
            if depth + further > _DEEPEST:
                raise self._leads_back()
            self._reached = max(self._reached, depth + further)
            return held
        reached, self._reached = self._reached, depth
        held = self._text(text, path, through)
        self._known[path] = held, self._reached - depth
        self._reached = max(reached, self._reached)
        return held

    @staticmethod
    def _leads_back() -> CannotExpand:
        return CannotExpand("${...} that leads to a setting of its own", "one that leads back to itself")

    def _held_at(self, path: Path) -> Any:
        held: Any = self.data
        for step in path:
            if isinstance(held, dict) and (step in held or str(step) in held):
                held = held[step] if step in held else held[str(step)]
            elif isinstance(held, list) and isinstance(step, int) and step < len(held):
                held = held[step]
            else:
                return MISSING
        return held

    def _variable(self, name: str) -> str:
        if self.prefix and name.upper().startswith(self.prefix.upper()):
            raise CannotExpand("${...} of a setting by its own name", "the variable that sets it")
        if self.environ is None or name not in self.environ:
            raise CannotExpand(
                "${env:...} of a variable that is set", Phrase("no variable of the name {name}", name=repr(name))
            )
        return FromText(self.environ[name])
