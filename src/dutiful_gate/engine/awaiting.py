"""How checks that wait are awaited: together, within their times, and cancelled without a trace."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncGenerator, AsyncIterable, AsyncIterator, Awaitable, Callable, Hashable, Iterable
from functools import partial
from typing import Any, TypeVar

from ..declare.answers import Answer, Answers
from ..declare.rules.waiting import WaitingCheck
from .asking import CheckCall, Secrets, TooLate, check_window, given_by, judged_all, questions_of, rounds_of, window_of

R = TypeVar("R")
X = TypeVar("X")


async def awaited_window(call: Callable[[], R], secrets: Secrets) -> R:
    """The same, awaited. Nothing is left behind where it is cancelled."""
    rounds = rounds_of(call)
    refused: bool | None = None
    while True:
        try:
            answers = next(rounds) if refused is None else rounds.send(refused)
        except StopIteration as done:
            return given_by(done.value)  # type: ignore[no-any-return]
        refused = await _ask_awaited(answers, secrets)


async def each_awaited(
    items: Iterable[X] | AsyncIterable[X],
    judge: Callable[[X], R],
    judged: Callable[[Callable[[], list[R]]], Awaitable[list[R]]],
    window: int,
    seconds: float | None,
) -> AsyncIterator[R]:
    """The same, awaited, of items that may still be to come: a window closes in time also where none comes."""
    check_window(window, seconds)
    windows = _coming_windows(items, window, seconds) if isinstance(items, AsyncIterable) else None
    iterator = iter(()) if isinstance(items, AsyncIterable) else iter(items)
    try:
        while several := await anext(windows, []) if windows is not None else window_of(iterator, window, seconds):
            for made in await judged(partial(judged_all, judge, several)):
                yield made
    finally:
        if windows is not None:
            await windows.aclose()


async def _coming_windows(items: AsyncIterable[X], window: int, seconds: float | None) -> AsyncGenerator[list[X], None]:
    coming = aiter(items)
    wanted: asyncio.Future[X] | None = None
    several: list[X] = []
    closes = float("inf")
    try:
        while True:
            wanted = wanted or asyncio.ensure_future(_next(coming))
            left = None if closes == float("inf") else max(0.0, closes - time.monotonic())
            done, _ = await asyncio.wait([wanted], timeout=left)
            if done:
                came, wanted = wanted, None
                try:
                    several.append(came.result())
                except StopAsyncIteration:
                    break
                if len(several) == 1 and seconds is not None:
                    closes = time.monotonic() + seconds
            if len(several) >= window or (several and time.monotonic() >= closes):
                yield several
                several, closes = [], float("inf")
        if several:
            yield several
    finally:
        if wanted is not None:
            wanted.cancel()
            await asyncio.gather(wanted, return_exceptions=True)


async def _next(coming: AsyncIterator[X]) -> X:
    return await anext(coming)


async def _ask_awaited(answers: Answers, secrets: Secrets) -> bool:
    """Ask all checks together, and wait; whether any answer was a no. The first that fails ends the others."""
    by_check: dict[Hashable, list[CheckCall]] = {}
    for question in questions_of(answers):
        by_check.setdefault(question.check.mark, []).append(question)
    tasks = [
        asyncio.ensure_future(_asked(several[number :: several[0].check.at_once], secrets))
        for several in by_check.values()
        for number in range(min(len(several), several[0].check.at_once))
    ]
    try:
        await asyncio.wait(tasks, return_when=asyncio.FIRST_EXCEPTION)
        done = [each for task in tasks if task.done() for each in task.result()]
    finally:
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)  # a second failure is nobody's any more
    told = [answers.keep(check, said) for check, said in done]  # all are kept
    return any(told)


async def _asked(
    questions: list[CheckCall], secrets: Secrets
) -> list[tuple[WaitingCheck, list[tuple[Hashable, Answer]]]]:
    """Some questions to one check, one after the other."""
    made = []
    for question in questions:
        said: Any = None
        error: Exception | None = None
        try:
            said = await _answer(question.check, question.values)
        except asyncio.CancelledError:
            task = asyncio.current_task()
            if task is None or task.cancelling():
                raise
            error = RuntimeError(f"{question.check.name} was cancelled, and not by its caller")
        except Exception as failed:
            error = failed
        made.append((question.check, question.kept(said, error, secrets)))
    return made


def _outcome(check: WaitingCheck, values: list[Any]) -> tuple[Any, Exception | None]:
    """What a plain function gave back or raised. A StopIteration, which no future takes, is told by another."""
    try:
        return check.ask(values), None
    except StopIteration:
        return None, RuntimeError(f"{check.name} raised StopIteration: a check answers, and raises what failed")
    except Exception as error:
        return None, error


async def _answer(check: WaitingCheck, values: list[Any]) -> Any:
    """What a check gives back; a plain function is asked in a thread. Raises TimeoutError where it takes too long."""
    try:
        async with asyncio.timeout(check.seconds) as clock:
            if check.is_async:
                return await check.ask(list(values))
            said, failed = await asyncio.to_thread(_outcome, check, list(values))
            if failed is not None:
                raise failed
            return await said if isinstance(said, Awaitable) else said
    except TimeoutError:
        if clock.expired():
            raise TooLate(check) from None
        raise
