"""Functions that answer later, where nothing waits for them: a coroutine is true, whatever it would come to."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial, partialmethod
from types import AsyncGeneratorType, GeneratorType
from typing import Any, Final

from .errors import DeclarationError

_AT_ONCE: Final = frozenset([bool, str, int, float, bytes, type(None), list, dict, tuple])
"""The classes of most answers: they are looked at no further."""


def is_async(function: Any) -> bool:
    """Whether what a function gives back has to be awaited: a coroutine function, however it is wrapped."""
    return _kind_of(function) == "async"


def gives_pieces(function: Any) -> bool:
    """Whether what a function gives back has to be gone through: a generator function."""
    return _kind_of(function) in ("an async generator", "a generator function")


def gives_pieces_later(function: Any) -> bool:
    """Whether what a function gives back has to be gone through with `async for`."""
    return _kind_of(function) == "an async generator"


def check_answers(function: Any, called: str, takes: int | None = None) -> None:
    """Raise DeclarationError for a function that gives back something that waits, or cannot be called with `takes`
    values; `called` is where it stands."""
    kind = _kind_of(function)
    if kind:
        raise DeclarationError(
            f"{called} is {kind}: it gives back something that waits, and nothing here waits for it",
            remedy="write a plain function that returns its answer; ask what takes time before or after the gate",
        )
    if takes is not None:
        check_takes(function, called, takes)


def check_takes(function: Any, called: str, takes: int) -> None:
    """Raise DeclarationError for what cannot be called with so many values by their order."""
    import inspect

    if not callable(function):
        raise DeclarationError(f"{called} is nothing that can be called", remedy="hand over a function")
    try:
        signature = inspect.signature(function)
    except (ValueError, TypeError):  # of a function in C nothing may be known
        return
    try:
        signature.bind(*[None] * takes)
    except TypeError as error:
        raise DeclarationError(
            f"{called} cannot be called with {takes or 'no'} value{'' if takes == 1 else 's'}: {error}",
            remedy="give it the parameters it is called with",
        ) from None


def answered(result: Any, name: str) -> Any:
    """What a function gave back. Raises TypeError, naming it, where that has to be awaited or gone through."""
    if result.__class__ in _AT_ONCE or not waits(result):
        return result
    let_go(result)
    raise TypeError(f"{name} gave back something that waits ({type(result).__name__}): its answer is wanted at once")


def shown_name(function: Any) -> str:
    """What a function is called in messages."""
    return getattr(function, "__name__", None) or type(function).__name__


def waits(result: Any) -> bool:
    """Whether something is no answer yet: a coroutine, a future, a generator."""
    kind = result.__class__
    return hasattr(kind, "__await__") or kind is GeneratorType or kind is AsyncGeneratorType


def let_go(result: Any) -> None:
    """Close a coroutine or generator that nobody will ask: the interpreter would warn of it."""
    if hasattr(result, "close") and hasattr(result, "throw"):
        result.close()


def _kind_of(function: Any) -> str:
    """What a function is that does not answer at once, in words; "" for any other."""
    import inspect  # large, and wanted only where something is declared

    for _ in range(20):
        if isinstance(function, partial | partialmethod):
            function = function.func
        elif isinstance(function, property):
            function = function.fget
        elif isinstance(function, cached_property):
            function = function.func
        elif isinstance(function, staticmethod | classmethod):
            function = function.__func__
        elif not (inspect.isroutine(function) or isinstance(function, type)) and callable(function):
            function = type(function).__call__
        else:
            break
    kinds: tuple[tuple[Callable[[Any], bool], str], ...] = (
        (inspect.iscoroutinefunction, "async"),
        (inspect.isasyncgenfunction, "an async generator"),
        (inspect.isgeneratorfunction, "a generator function"),
    )
    return next((words for test, words in kinds if test(function)), "")
