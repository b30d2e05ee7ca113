"""Functions of the developer's own, called from generated code: what they raise is told from what goes wrong there.

A ValueError refuses the value. Anything else passes through every road unchanged, unless a secret is at hand: then an
exception that names only the function and the field takes its place, since its words may quote the secret.
"""

from __future__ import annotations

from collections.abc import Callable
from operator import attrgetter
from types import TracebackType
from typing import Any

from ..declare.facts import REFUSED, UNSURE, Own, Passing, Stop
from ..declare.waiting import answered


class Doubt(Passing):
    """Some number may have lost digits on its way here: the function gives up as a whole, whatever a union would do."""

    def __init__(self) -> None:
        super().__init__(ValueError())


class Unread(ValueError):
    """A reader cannot read a value: no matter what other function asks it, the answer is this."""


LOUD = False
"""Whether mistakes of generated code are raised where they happen, as the tests wish, and not looked at once more."""


def given_up(error: Exception) -> Stop:
    """What a quick function answers where it met an exception; raised where it is a mistake of its own."""
    if error.__class__ is Unread or error.__class__ is KeyError:  # what is absent cannot be looked up
        return REFUSED
    told(error)
    return UNSURE


def refused(error: Exception) -> Stop:
    """The same of a function that judges typed values: what raises there is surely none of this type."""
    told(error)
    return REFUSED


def told(error: Exception) -> None:
    """Raise an exception that only wrong code can have raised, where somebody wants to know, and one of the stack.

    Data is looked at before it is read where it may nest too deep: a program that has no room left is not its fault.
    """
    if isinstance(error, RecursionError):
        raise error
    if LOUD and isinstance(error, NameError | AttributeError):
        way = error.__traceback__
        while way is not None and way.tb_next is not None:
            way = way.tb_next
        if way is not None and way.tb_frame.f_code.co_filename.startswith("<gate "):
            raise Passing(error)


def carried(own: Own, where: str, *, hidden: bool, refuses: bool = True) -> Callable[..., Any]:
    """The function as generated code calls it: it raises ValueError or `Passing` only.

    Where nothing is refused, a ValueError of it is an exception like any other: `refuses` is false.
    """
    function, name = own.function, own.name
    makes = isinstance(function, type)  # a record of the developer's may be anything

    def call(*values: Any, **named: Any) -> Any:
        try:
            made = function(*values, **named)
            return made if makes else answered(made, name)
        except Passing:
            raise
        except Exception as error:
            failed: Exception
            if refuses and isinstance(error, ValueError):
                if not hidden:
                    raise
                failed = ValueError()
            else:
                failed = Passing(
                    RuntimeError(
                        f"{name} raised {type(error).__name__} for {where}, which is secret: its words are withheld"
                    )
                    if hidden
                    else error
                )
        # Raised here and not above, so that nothing hangs on it as its context.
        raise failed

    return call


def asking(attribute: str) -> Own:
    """A property as a function of the record that has it."""
    get = attrgetter(attribute)

    def ask(record: Any) -> Any:
        return get(record)

    ask.__qualname__ = f"the property {attribute}"
    return Own(ask)


def _joined(way: TracebackType | None, end: TracebackType | None) -> TracebackType | None:
    """The way to a function through generated code, and then what happened in it."""
    if way is None:
        return end
    return TracebackType(_joined(way.tb_next, end), way.tb_frame, way.tb_lasti, way.tb_lineno)


def passed_on(passing: Passing) -> BaseException:
    """The function's own exception, with the whole way to it, to be raised where nothing else is being handled."""
    return passing.error.with_traceback(_joined(passing.__traceback__, passing.error.__traceback__))


def unwrapped(call: Callable[..., Any]) -> Callable[..., Any]:
    """A generated function that gives what own functions raised on to its caller."""

    def asked(*values: Any) -> Any:
        try:
            return call(*values)
        except Passing as passing:
            error = passed_on(passing)
        raise error

    return asked
