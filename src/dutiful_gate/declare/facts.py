"""What a rule or a step may know of the value in front of it, without knowing the shape it came from."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum, auto
from typing import Any, Final

from .values import Value
from .waiting import answered

Bind = Callable[[object, str], str]
"""Binds a constant for generated code under a name made from the hint; gives back that name.

Whatever did not come from this package reaches generated code only this way, never as text.
"""


class Own:
    """A function of the developer's own: generated code tells what it raises from what goes wrong otherwise."""

    __slots__ = ("function",)

    def __init__(self, function: Callable[..., Any]) -> None:
        self.function = function

    @property
    def name(self) -> str:
        """What the developer called it."""
        named = getattr(self.function, "__qualname__", None) or getattr(self.function, "__name__", None)
        return str(named or type(self.function).__name__)

    def __call__(self, *values: Any, **named: Any) -> Any:
        return answered(self.function(*values, **named), self.name)


class Passing(Exception):
    """Carries an exception of an own function past generated code, which takes any other as a reason to look closer."""

    def __init__(self, error: BaseException) -> None:
        super().__init__()
        self.error = error


class Got(Enum):
    """What a fault tells of what came, where it is not told in words of its own."""

    VALUE = auto()
    LENGTH = auto()


class FoundLater(str):
    """Words for what came, of which more is known once the value is looked at."""

    __slots__ = ()

    def found(self, value: object) -> str | None:
        """The words for one value; None where no more can be told."""
        raise NotImplementedError


class LengthUnit(Enum):
    """What a length counts."""

    CHARACTERS = "characters"
    ITEMS = "items"
    KEYS = "keys"
    BYTES = "bytes"


class Order(Enum):
    """How values of a kind compare, in the words of messages, by the sign of the comparison."""

    SIZE = "below", "of at most", "above", "of at least"
    TIME = "earlier than", "no later than", "later than", "no earlier than"
    PLACE = "before", "not after", "after", "not before"
    """In a row that is neither of sizes nor of times, as addresses are."""

    def word(self, sign: str) -> str:
        """The words for a sign: "<", "<=", ">" or ">="."""
        return self.value[("<", "<=", ">", ">=").index(sign)]


class Sort(Enum):
    """Kinds of value that some rules or steps treat in a way of their own."""

    ANY = auto()
    WHOLE = auto()
    NUMBER = auto()
    DECIMAL = auto()
    MOMENT = auto()
    LOCAL_MOMENT = auto()
    DAY = auto()
    TIME = auto()
    NULL = auto()
    OTHER = auto()


class Facts(Value):
    """A value's standing at one point of its way through the gate.

    `phrase`   what the reader is told it should be: "a whole number"
    `noun`     the same as a single noun for messages to developers: "whole number"
    `measured` what its length counts, None when it has none
    `ordered`  the Python types it can be compared with, empty when it has no order
    `text`     whether it is a `str`
    `number`   whether it is a number in JSON
    `alike`    the Python types it can be equal to, where it has no order
    `sort`     what sort of value it is, where that matters to somebody
    `order`    how values compare, in words
    """

    phrase: str
    noun: str
    measured: LengthUnit | None = None
    ordered: tuple[type, ...] = ()
    text: bool = False
    number: bool = False
    alike: tuple[type, ...] = ()
    sort: Sort = Sort.OTHER
    order: Order = Order.SIZE

    @property
    def open(self) -> bool:
        """Whether a value may be of any type: rules then ask what they can judge."""
        return self.sort is Sort.ANY

    def compares_with(self, constant: object) -> bool:
        """Whether the value can be ordered against a constant of the declaration."""
        if isinstance(constant, bool) or not isinstance(constant, self.ordered):
            return False
        if self.open:
            return True
        # A datetime is a date to isinstance, yet the two do not compare.
        return not hasattr(constant, "hour") or any(hasattr(kind, "hour") for kind in self.ordered)

    def equals(self, constant: object) -> bool:
        """Whether the value can be equal to a constant of the declaration."""
        return (
            self.open
            or self.compares_with(constant)
            or (self.text and isinstance(constant, str))
            or isinstance(constant, self.alike)
        )


ANY_VALUE: Final = Facts("a value", "value", measured=LengthUnit.ITEMS, ordered=(object,), text=True, sort=Sort.ANY)
"""What is known of a value that may be of any type: nothing that a rule could be refused for."""


class Stop:
    """Why a value could not be read: the code of the fault, and what would have been read.

    Each is made once, and is equal to itself only: generated code tells them apart by identity.
    """

    __slots__ = ("code", "needs")

    def __init__(self, code: str, needs: str) -> None:
        self.code = code
        self.needs = needs


REFUSED: Final = Stop("refused", "")
"""What a generated function gives back instead of a value that is surely unsound."""

UNSURE: Final = Stop("unsure", "")
"""What a quick function gives back where it cannot tell: the telling function has the word then."""

DROPS: Final = Stop("drops", "")
"""What a quick function gives back where it was not to leave keys out and would have to."""


class Unsaid(Value):
    """Why something has no JSON Schema keywords, for the list of what a document cannot say."""

    reason: str


def evaluated(write: Callable[[str, Bind], str], value: object) -> Any:
    """What the source that `write` writes of a variable comes to for a value that is at hand now."""
    bound: dict[str, Any] = {}

    def bind(constant: object, hint: str) -> str:
        name = f"{hint}_{len(bound)}"
        bound[name] = constant
        return name

    return eval(write("value", bind), bound, {"value": value})
