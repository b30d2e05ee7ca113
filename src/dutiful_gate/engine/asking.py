"""How checks that wait are asked: in rounds, at once; what is awaited is in `awaiting.py`.

See `declare/answers.py` for the theory of operation.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Generator, Hashable, Iterable, Iterator
from functools import partial
from typing import Any, Final, NamedTuple, TypeVar

from ..declare.answers import Answer, Answers, answered_by, answers_here
from ..declare.rules.waiting import WaitingCheck
from ..declare.waiting import answered
from ..report.verdict import Refused

R = TypeVar("R")
Secrets = frozenset[Hashable]
"""The checks whose words are not told, by what tells checks apart."""
X = TypeVar("X")
_MOST_ROUNDS: Final = 16
"""So often data is judged anew: each time a check said no, and others were asked about what came to light then."""


def in_window(call: Callable[[], R], secrets: Secrets) -> R:
    """What a function that judges data gives, once all checks that wait were asked; `secrets` are those whose words are
    not told. Raises what they raise."""
    if answers_here() is not None:  # a wider window is open: whoever opened it asks
        return call()
    rounds = rounds_of(call)
    refused: bool | None = None
    while True:
        try:
            answers = next(rounds) if refused is None else rounds.send(refused)
        except StopIteration as done:
            return given_by(done.value)  # type: ignore[no-any-return]
        refused = ask(answers, secrets)


def resolving(call: Callable[[Any], R], secrets: Secrets) -> Callable[[Any], R]:
    """A function of an engine's, that judges data: outside of a window it opens one."""

    def resolved(data: Any) -> R:
        answers = answers_here()
        if answers is None:
            return in_window(partial(call, data), secrets)
        for _ in range(_MOST_ROUNDS):
            made = call(data)
            if not (answers.resolves and answers.unknown and ask(answers, secrets)):
                return made
        raise _ever_new()

    return resolved


_Outcome = tuple[Any, Refused | None]


def given_by(outcome: _Outcome) -> Any:
    """The value of an outcome; what was refused is raised."""
    value, refused = outcome
    if refused is not None:
        raise refused.with_traceback(None)
    return value


def rounds_of(call: Callable[[], Any]) -> Generator[Answers, bool, _Outcome]:
    """Judge data until no answer is wanting: gives the answers that are, and is told whether any was a no."""
    answers = Answers()
    for _ in range(_MOST_ROUNDS):
        outcome: _Outcome
        try:
            with answered_by(answers):
                outcome = call(), None
        except Refused as refused:
            outcome = None, refused
        if not answers.unknown or not (yield answers):
            return outcome
    raise _ever_new()


def _ever_new() -> TypeError:
    return TypeError(
        "a check that waits is asked about ever new values of the same data: give their class __eq__ and __hash__"
    )


def each_in_windows(
    items: Iterable[X],
    judge: Callable[[X], R],
    judged: Callable[[Callable[[], list[R]]], list[R]],
    window: int,
    seconds: float | None,
) -> Iterator[R]:
    """What a function makes of each item: of so many together, or of what came in so much time, as `judged` has it."""
    check_window(window, seconds)
    iterator = iter(items)
    while several := window_of(iterator, window, seconds):
        yield from judged(partial(judged_all, judge, several))


def judged_all(judge: Callable[[X], R], items: list[X]) -> list[R]:
    """What a function makes of each item."""
    return [judge(item) for item in items]


def check_window(window: Any, seconds: Any) -> None:
    """Raise TypeError for what is no number of items, or no time."""
    if window.__class__ is not int or window < 1:
        raise TypeError(f"window={window!r} is no number of items: give a whole number of at least 1")
    if seconds is not None and not (isinstance(seconds, int | float) and seconds > 0):
        raise TypeError(f"seconds={seconds!r} is no time: give a number above 0")


def window_of(iterator: Iterator[X], window: int, seconds: float | None) -> list[X]:
    """The next items, as many as go together; none at the end."""
    several: list[X] = []
    closes = float("inf")
    for item in iterator:
        if not several and seconds is not None:
            closes = time.monotonic() + seconds
        several.append(item)
        if len(several) >= window or time.monotonic() >= closes:
            break
    return several


# Questions


class CheckCall(NamedTuple):
    """One call of a check: the values that it is asked about, each with what tells it apart."""

    check: WaitingCheck
    keys: list[Hashable]
    values: list[Any]

    def kept(self, said: Any, error: Exception | None, secrets: Secrets) -> list[tuple[Hashable, Answer]]:
        """What it has answered of each value, by what it gave back or raised. Raises what the caller is to be told."""
        answers: list[Answer] = [False] * len(self.keys)
        if error is None:
            try:
                answers = self.check.answers(self.values, said)
            except TypeError as no_answer:
                error = no_answer
        if error is not None:
            if self.check.tells_why and isinstance(error, ValueError):
                answers = [ValueError() if self.check.mark in secrets else error]
            elif self.check.unanswered != "refuse":
                raise self._told(error, secrets) from None
        return list(zip(self.keys, answers, strict=True))

    def _told(self, error: Exception, secrets: Secrets) -> Exception:
        """An exception without its words, where they may quote what is secret; and never one that says of the data what
        a gate inside the check says of something else."""
        if isinstance(error, TooLate):
            return error
        if isinstance(error, Refused | StopIteration | StopAsyncIteration):
            return RuntimeError(
                f"{self.check.name} raised {type(error).__name__}: a check answers, and raises what failed"
            )
        if self.check.mark not in secrets:
            return error
        return RuntimeError(
            f"{self.check.name} raised {type(error).__name__} when it was asked about what is secret: "
            "its words are withheld"
        )


class TooLate(TimeoutError):
    """Says which check took too long."""

    def __init__(self, check: WaitingCheck) -> None:
        super().__init__(f"{check.name} did not answer within {check.seconds:g} seconds")


def questions_of(answers: Answers) -> Iterator[CheckCall]:
    """The calls that are to be made: a check each, with no more values than it takes at once."""
    for check, values in answers.taken():
        held = list(values.items())
        for start in range(0, len(held), check.most):
            some = held[start : start + check.most]
            yield CheckCall(check, [key for key, _ in some], [value for _, value in some])


def ask(answers: Answers, secrets: Secrets) -> bool:
    """Ask at once; whether any answer was a no."""
    refused = False
    for question in questions_of(answers):
        said, error = None, None
        try:
            said = answered(_in_time(question.check, question.values), question.check.name)
        except Exception as failed:
            error = failed
        refused |= answers.keep(question.check, question.kept(said, error, secrets))
    return refused


def _in_time(check: WaitingCheck, values: list[Any]) -> Any:
    """What a plain function gives back. Raises TimeoutError where it takes too long: it is left to its thread then."""
    if check.seconds is None:
        return check.ask(list(values))
    from contextvars import copy_context
    from queue import Empty, SimpleQueue
    from threading import Thread

    found: SimpleQueue[tuple[Any, BaseException | None]] = SimpleQueue()
    context = copy_context()

    def asked() -> None:
        try:
            found.put((context.run(check.ask, list(values)), None))
        except BaseException as error:
            found.put((None, error))

    Thread(target=asked, name=f"asks {check.name}", daemon=True).start()
    try:
        said, error = found.get(timeout=check.seconds)
    except Empty:
        raise TooLate(check) from None
    if error is not None:
        raise error
    return said
