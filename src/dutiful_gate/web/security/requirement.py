"""What an endpoint wants of who asks: schemes joined by `|` and `&`, each with the scopes that it must give."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Collection, Mapping
from typing import TYPE_CHECKING, Any, Final, NamedTuple, NoReturn

from ...declare.errors import DeclarationError
from ...declare.waiting import check_answers, check_takes, is_async, shown_name

if TYPE_CHECKING:
    from ..head import Head

IN_FRONT: Final = "in front"
"""In the place of a scheme's function: what stands in front of the service checks who asks, and refuses all others."""


class Unidentified(NamedTuple):
    """Why a scheme gives nobody: `came` tells whether something came for it, that was not good."""

    came: bool


NOTHING_CAME: Final = Unidentified(False)
NOBODY: Final = Unidentified(True)


class ToAsk(NamedTuple):
    """What is to be asked of a scheme's function."""

    function: Callable[..., Any]
    given: tuple[Any, ...]
    then: Callable[[Any], Any] | None = None
    """What makes who it is of what the function gave back."""


class Wanted(NamedTuple):
    """One scheme, and the scopes that it must give."""

    scheme: Scheme
    scopes: tuple[str, ...] = ()


Alternatives = tuple[tuple[Wanted, ...], ...]


class Requirement:
    """Alternatives, each of schemes that are all wanted: `signed_in["book"] | desk_key`, `signed_in & on_board`."""

    __slots__ = ("_alternatives",)

    def __init__(self, alternatives: Alternatives) -> None:
        self._alternatives = alternatives

    @property
    def alternatives(self) -> Alternatives:
        """What would do, each alternative all that it wants; an empty one is anybody."""
        return self._alternatives

    def __or__(self, other: Requirement) -> Requirement:
        if not isinstance(other, Requirement):
            return NotImplemented
        return Requirement((*self.alternatives, *other.alternatives))

    def __and__(self, other: Requirement) -> Requirement:
        if not isinstance(other, Requirement):
            return NotImplemented
        if self is PUBLIC or other is PUBLIC or () in (*self.alternatives, *other.alternatives):
            raise DeclarationError("PUBLIC is joined by &, which changes nothing", remedy="leave it out, or write |")
        return Requirement(tuple((*one, *two) for one in self.alternatives for two in other.alternatives))

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self!r} was asked for a truth value, as by `and`, `or` or `not`", remedy="join schemes by | and &"
        )

    @property
    def from_cookie(self) -> bool:
        """Whether a browser sends something of it by itself, from whichever page."""
        return any(scheme.from_cookie for scheme in self.schemes)

    @property
    def schemes(self) -> tuple[Scheme, ...]:
        """The schemes, each once."""
        return tuple(dict.fromkeys(wanted.scheme for each in self.alternatives for wanted in each))

    @property
    def told(self) -> list[str]:
        """Each alternative in words."""
        return [" and ".join(map(_told, each)) or "anybody" for each in self.alternatives]

    def __repr__(self) -> str:
        return " or ".join(self.told)


def _told(wanted: Wanted) -> str:
    listed = ", ".join(wanted.scopes)
    return f"{wanted.scheme.name} ({listed})" if listed else wanted.scheme.name


PUBLIC: Final = Requirement(((),))
"""Anybody may. Said of an endpoint, never guessed, once an API has a scheme; `signed_in | PUBLIC` takes who says
nothing, and refuses what is said and wrong."""


class Scheme(Requirement, ABC):
    """One way to tell who asks: what comes for it, and the function that knows whose it is.

    `name`     what the description calls it
    `text`     what the description says of it
    """

    __slots__ = ("function", "name", "scopes_of", "text")

    taken: int = 1
    """How many values its function is called with."""
    needs_body: bool = False
    """Whether what is asked depends on the bytes of the body."""

    def __init__(
        self,
        function: Callable[..., Any] | str,
        *,
        name: Any,
        text: str = "",
        scopes_of: Callable[[Any], Collection[str]] | None = None,
    ) -> None:
        super().__init__(((Wanted(self),),))
        called = f"the function of {type(self).__name__}"
        if function != IN_FRONT:
            if not callable(function):
                raise DeclarationError(
                    f"{called} is {function!r}: nobody would be asked who it is",
                    remedy="hand over a function; or IN_FRONT where something in front of the service checks",
                )
            check_takes(function, called, self.taken)
            if not is_async(function):
                check_answers(function, called)
        if scopes_of is not None:
            check_answers(scopes_of, f"scopes_of={shown_name(scopes_of)}", takes=1)
        if not isinstance(name, str) or not name or not all(each.isalnum() or each in "._-" for each in name):
            raise DeclarationError(f"{name!r} is no name of a scheme", remedy='letters and digits, as in name="desk"')
        self.function: Any = None if function == IN_FRONT else function
        self.name, self.text, self.scopes_of = name, text, scopes_of

    @property
    def from_cookie(self) -> bool:
        """Whether a browser sends it by itself."""
        return False

    @property
    def is_in_front(self) -> bool:
        """Whether something in front of the service checks it."""
        return self.function is None

    @property
    def is_async(self) -> bool:
        """Whether its function has to be awaited."""
        return is_async(self.function)

    def __getitem__(self, scopes: str | tuple[str, ...]) -> Requirement:
        wanted: Any = scopes if isinstance(scopes, tuple) else (scopes,)
        if not wanted or not all(isinstance(each, str) and each and each.isprintable() for each in wanted):
            raise DeclarationError(f"{scopes!r} are no scopes", remedy='as in signed_in["book"]')
        if self.scopes_of is None:
            raise DeclarationError(
                f"{self.name} wants the scope {wanted[0]!r}, and nothing tells who has which",
                remedy=f"write {type(self).__name__}(..., scopes_of=...)",
            )
        self.check_scopes(wanted)
        return Requirement(((Wanted(self, wanted),),))

    def check_scopes(self, scopes: tuple[str, ...]) -> None:
        """Raise DeclarationError for scopes that are none of those declared."""

    @abstractmethod
    def asks(self, head: Head, body: bytes | None) -> ToAsk | Unidentified:
        """What its function is asked for a request, or why it is not asked; `body` is None until it has come."""

    def is_to_come(self, head: Head) -> bool:
        """Whether something came for it that the body has to prove."""
        return False

    @abstractmethod
    def challenge(self, realm: str, refused: Unidentified, scopes: tuple[str, ...]) -> str:
        """What `WWW-Authenticate` says (RFC 9110, section 11.6.1); `scopes` are those that lacked."""

    @abstractmethod
    def described(self) -> Mapping[str, Any]:
        """The scheme as OpenAPI writes it."""

    def __hash__(self) -> int:
        return id(self)

    def __eq__(self, other: object) -> bool:
        return self is other


def requirement_of(given: Any, called: str) -> Requirement | None:
    """What is said of who may; None where nothing is. Raises DeclarationError for anything else."""
    if given is None or isinstance(given, Requirement):
        return given
    remedy = "join schemes by |, as in signed_in | desk_key; PUBLIC is anybody"
    raise DeclarationError(f"{called} has security={given!r}, which is no scheme", remedy=remedy)


__all__ = ["IN_FRONT", "NOBODY", "NOTHING_CAME", "PUBLIC", "Requirement", "Scheme", "ToAsk", "Unidentified", "Wanted"]
