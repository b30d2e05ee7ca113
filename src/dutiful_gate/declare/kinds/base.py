"""What every kind of single value is: how it is read and written, its JSON Schema keywords, and values of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Final

from ..facts import Bind, Facts, Stop
from ..native_forms import Native
from ..sources import Reading
from ..values import Value

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

PLAIN: Final[frozenset[type]] = frozenset([dict, list, str, int, float, bool, type(None)])
"""The classes of plain data."""
IN_TEXT: Final[frozenset[type]] = frozenset([str])
NUMBERS: Final[frozenset[type]] = frozenset([int, float])

Reader = Callable[[Any], Any]
"""Takes what came, gives back the value or a `Stop`. Never raises."""


class Kind(Value, ABC):
    """A kind of single value. To add a kind is to add a subclass.

    `spreads`      nobody outside can choose values of one hash: sets and dicts of them cost no more than others
    `double`       it is held as a double
    `read_alike`, `written_alike`  decoders that know no whole number past 64 bits, and no digits, read the same of
                   it; encoders write the same
    `one_form`     each value has one form in JSON, as far as JSON Schema compares
    `as_it_comes`  what stands in plain data for a value is the value
    `quick_reader_may_refuse`  the expression of `quick_reader` may give REFUSED, and not only raise
    `may_not_go_out`  a value that code made may have no form in JSON which is read as the same value again
    `shows`        the classes of its values, where they are none of the standard library's that messages know: these
                   write them as they go out, in bounds and in what came
    """

    shown_by: ClassVar[dict[type, type[Kind]]] = {}
    """The kinds by the classes that they show."""
    shows: ClassVar[tuple[type, ...]] = ()

    spreads: ClassVar[bool] = False
    double: ClassVar[bool] = False
    read_alike: ClassVar[bool] = False
    written_alike: ClassVar[bool] = False
    one_form: ClassVar[bool] = False
    as_it_comes: ClassVar[bool] = False
    quick_reader_may_refuse: ClassVar[bool] = False
    may_not_go_out: ClassVar[bool] = False

    def __init_subclass__(cls, **words: Any) -> None:
        super().__init_subclass__(**words)
        Kind.shown_by.update(dict.fromkeys(cls.__dict__.get("shows", ()), cls))
        if "reader" in cls.__dict__ and "native" not in cls.__dict__:
            cls.native = Kind.native  # type: ignore[method-assign]  # what is read otherwise has not its base's form
        if ("plain" in cls.__dict__ or "release" in cls.__dict__) and "native_out" not in cls.__dict__:
            cls.native_out = Kind.native_out  # type: ignore[method-assign]

    @property
    def refuses_quickly(self) -> bool:
        """The same of this very kind: one that is read less strictly asks the kind that it reads."""
        return self.quick_reader_may_refuse

    @property
    @abstractmethod
    def facts(self) -> Facts:
        """What rules and steps may know of such a value."""

    def has_one_form(self, *, released: bool) -> bool:
        """Whether equal values are written in one way: by whoever sends them, or where they are released."""
        return self.one_form or self.facts.number

    @abstractmethod
    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        """Python source that is true only when `value` needs no reading; "False" when it always does."""

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        """A test and an expression for a common case that is read by the expression alone, if there is one.

        The expression may raise ValueError: generated code gives up then, and looks more closely.
        """
        return None

    def native(self, reading: Reading) -> Native | None:
        """The form in which the native core reads it, if it has one: what that does not know it asks the reader."""
        return None

    def native_out(self) -> Native | None:
        """The form in which the native core writes a sound value as JSON, where it has one."""
        return None

    def after_quick_reader(self, reading: Reading) -> Reader:
        """What reads a value for which that expression has raised."""
        return self.reader(reading)

    @abstractmethod
    def reader(self, reading: Reading) -> Reader:
        """The function that reads what was not ready."""

    @property
    @abstractmethod
    def comes_as(self) -> frozenset[type]:
        """The classes of plain values it may come as, where it is read from JSON."""

    @abstractmethod
    def draw(self, wish: Wish) -> object:
        """Plain data that the rules beside it may admit: what they want stands in the wish."""

    @abstractmethod
    def edges(self) -> Iterable[object]:
        """Plain data at its ends, and just past them: proofs try it."""

    @abstractmethod
    def made_in_code(self) -> Iterable[object]:
        """Typed values as code makes them, and some that only look like it: what goes out is tried with them."""

    @abstractmethod
    def keywords(self) -> Mapping[str, object]:
        """JSON Schema keywords for what a client sends."""

    def unsaid(self) -> str:
        """Why the keywords do not say all of it, "" when they do."""
        return ""

    @abstractmethod
    def plain(self, value: Any) -> object:
        """The value as plain JSON data."""

    def release(self, value: str, bind: Bind) -> str:
        """Python source of the plain JSON data for the variable named `value`."""
        return value

    @property
    def strict(self) -> Kind:
        """The kind itself, where this one only reads it less strictly."""
        return self

    @property
    def exact(self) -> bool:
        """Whether its digits are read one by one, so that decoders must keep them."""
        return False

    @property
    def loose(self) -> Reader | None:
        """What reads text for it, or numbers for text, where a developer asks for that; None where nothing does."""
        return None

    @property
    def key_pattern(self) -> str:
        """What texts are read as it where they are keys, as a pattern of ECMA-262; "" where its own keywords tell."""
        return ""

    @property
    def leans_on(self) -> tuple[type, ...]:
        """The types of the developer's own that its values are of."""
        return ()

    def within(self, depth: int) -> Kind:
        """The same with a limit on how deep its values nest."""
        return self

    def outgoing(self) -> tuple[Kind, tuple[Step, ...]]:
        """What values of it are when they go out, and the steps that bring one into the form that goes out."""
        return self, ()

    def goes_out(self, value: Any) -> bool:
        """Whether what a typed value is written as is read as the same value again."""
        try:
            return self.comes_back(value, self.reader(Reading.PLAIN)(self.plain(value)))
        except Exception:  # an object that cannot even be written
            return False

    def comes_back(self, value: Any, again: object) -> bool:
        """Whether what was read of what a value was written as is the value."""
        return not isinstance(again, Stop) and bool(again == value)


class Itself(Kind):
    """A kind whose values are what stands for them in plain data, each in one form."""

    read_alike: ClassVar[bool] = True
    written_alike: ClassVar[bool] = True
    one_form: ClassVar[bool] = True
    as_it_comes: ClassVar[bool] = True

    def plain(self, value: Any) -> object:
        """The value."""
        return value
