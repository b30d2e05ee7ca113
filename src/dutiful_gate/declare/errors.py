"""The one exception that speaks to the developer who declares, not to the one who sends data."""

from __future__ import annotations

from collections.abc import Callable, Iterable


class DeclarationError(TypeError):
    """The declaration itself is wrong: raised when a gate is built, never while data passes.

    `problem` says what is wrong, `remedy` what to write instead, `record` and `field` where it stands.
    """

    def __init__(self, problem: str, *, remedy: str = "", record: str | None = None, field: str | None = None) -> None:
        super().__init__(problem, remedy, record, field)
        self.problem = problem
        self.remedy = remedy
        self.record = record
        self.field = field

    def within(self, record: str | None = None, field: str | None = None) -> DeclarationError:
        """The same error with the place filled in where it was not known yet."""
        return DeclarationError(
            self.problem, remedy=self.remedy, record=self.record or record, field=self.field or field
        )

    def __reduce__(self) -> tuple[object, ...]:
        return _rebuilt, (self.problem, self.remedy, self.record, self.field)

    def __str__(self) -> str:
        place = ".".join(part for part in (self.record, self.field) if part)
        text = f"{place}: {self.problem}" if place else self.problem
        return f"{text}; {self.remedy}" if self.remedy else text


def _rebuilt(problem: str, remedy: str, record: str | None, field: str | None) -> DeclarationError:
    return DeclarationError(problem, remedy=remedy, record=record, field=field)


def check_flags(**flags: object) -> None:
    """Raise DeclarationError, naming it, for what is neither True nor False: any text would be taken for true."""
    for name, said in flags.items():
        if not isinstance(said, bool):
            raise DeclarationError(f"{name}={said!r} is neither True nor False", remedy="give one of them")


def did_you_mean(name: object, names: Iterable[str], otherwise: str, written: Callable[[str], str] = repr) -> str:
    """What to do about a name that is not among those there are: the one that it comes near to, or else `otherwise`."""
    from difflib import get_close_matches  # not where a declaration is only imported

    near = get_close_matches(str(name), list(names), 1)
    return f"did you mean {written(near[0])}?" if near else otherwise
