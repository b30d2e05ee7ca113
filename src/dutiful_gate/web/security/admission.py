"""Whether who asks may: what an endpoint wants of one request, judged step by step; servers may wait in between."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Generator, Mapping
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from ...declare.waiting import let_go, waits
from ..head import TooManyNames
from ..refusals import RequestProblem
from .requirement import NOBODY, NOTHING_CAME, Requirement, Scheme, ToAsk, Unidentified, Wanted

if TYPE_CHECKING:
    from ..head import Head

_IN_FRONT: Final = object()
"""What stands for somebody whom the service need not know."""
_LATER: Final = object()
"""What a scheme gives that the body is still to prove."""


class Admitted(NamedTuple):
    """Somebody who may: `identity` is what the function gave back, a tuple where several schemes were wanted."""

    identity: Any


class Admission:
    """The judgement on one request; each function is asked once at most."""

    def __init__(self, requirement: Requirement, head: Head, realm: str) -> None:
        self._requirement, self._head, self._realm = requirement, head, realm
        self._known: dict[Scheme, Any] = {}
        self._scopes: dict[Scheme, frozenset[str]] = {}

    def steps(self, body: bytes | None = None) -> Generator[ToAsk, Any, Admitted | None]:
        """Gives what is to be asked, takes the answers; at the end who may, or None where the body is to prove it.

        Raises RequestProblem: 401 where nobody is known, 403 where a scope lacks.
        """
        later = False
        lacking: dict[Scheme, tuple[str, ...]] = {}
        for wanted in sorted(self._requirement.alternatives, key=lambda each: not each):  # anybody comes last
            found = []
            for each in wanted:
                identity = yield from self._asked(each.scheme, body)
                if identity is _LATER or isinstance(identity, Unidentified):
                    found.append(identity)
                    break
                if scopes := (yield from self._lacking(each, identity)):
                    lacking[each.scheme] = scopes
                    break
                found.append(None if identity is _IN_FRONT else identity)
            else:
                if wanted:
                    return Admitted(found[0] if len(found) == 1 else tuple(found))
            later = later or (bool(found) and found[-1] is _LATER)
        if later:
            return None
        if () in self._requirement.alternatives and not lacking:
            for scheme in self._requirement.schemes:
                yield from self._asked(scheme, body)
            if all(held is NOTHING_CAME for held in self._known.values()):
                return Admitted(None)
        raise self._refusal(lacking)

    def _asked(self, scheme: Scheme, body: bytes | None) -> Generator[ToAsk, Any, Any]:
        """Who it is by one scheme."""
        if self._known.get(scheme, _LATER) is not _LATER:
            return self._known[scheme]
        self._known[scheme] = NOBODY  # whatever happens now, it is not asked again
        if scheme.is_in_front:
            identity: Any = _IN_FRONT
        elif scheme.needs_body and body is None:
            identity = _LATER if scheme.is_to_come(self._head) else NOTHING_CAME
        else:
            try:
                asking = scheme.asks(self._head, body)
            except (TooManyNames, UnicodeDecodeError):
                asking = NOBODY
            if isinstance(asking, Unidentified):
                identity = asking
            else:
                came = yield asking
                identity = _at_once(came if asking.then is None else asking.then(came), scheme) or NOBODY
        self._known[scheme] = identity
        return identity

    def _lacking(self, wanted: Wanted, identity: Any) -> Generator[ToAsk, Any, tuple[str, ...]]:
        """The scopes that are wanted and that this one has not."""
        scheme = wanted.scheme
        if not wanted.scopes or scheme.is_in_front:
            return ()
        if scheme not in self._scopes:
            assert scheme.scopes_of is not None
            given = _at_once((yield ToAsk(scheme.scopes_of, (identity,))), scheme)
            if isinstance(given, str | bytes):  # in which any part of it would be found
                raise TypeError(f"scopes_of={scheme.scopes_of!r} gave one text back: a set of scopes is wanted")
            self._scopes[scheme] = frozenset(given)
        return tuple(each for each in wanted.scopes if each not in self._scopes[scheme])

    def _refusal(self, lacking: Mapping[Scheme, tuple[str, ...]]) -> RequestProblem:
        held = {scheme: each for scheme, each in self._known.items() if isinstance(each, Unidentified)}
        challenges = [
            scheme.challenge(self._realm, held.get(scheme, NOTHING_CAME), lacking.get(scheme, ()))
            for scheme in self._requirement.schemes
            if scheme in held or scheme in lacking
        ]
        headers = {"www-authenticate": ", ".join(dict.fromkeys(challenges))}
        if lacking:
            scopes = ", ".join(dict.fromkeys(each for scopes in lacking.values() for each in scopes))
            return RequestProblem(
                403, "This needs a permission that you lack: {scopes}.", headers=headers, slots={"scopes": scopes}
            )
        return RequestProblem(401, "This needs to know who asks.", headers=headers)


def _at_once(came: Any, scheme: Scheme) -> Any:
    """What a function gave back. Raises TypeError for something that is still to be awaited: true, whoever it is."""
    if waits(came):
        let_go(came)
        raise TypeError(f"the function of {scheme.name} gave something back that waits: its answer is wanted at once")
    return came


Steps = Generator[ToAsk, Any, Admitted | None]
Ask = Callable[[ToAsk], Awaitable[Any]]


def admitted(steps: Steps, ask: Callable[[ToAsk], Any]) -> Admitted | None:
    """Take all steps, one after the other, where nothing has to be awaited."""
    came: Any = None
    while True:
        asking, found = _next(steps, came)
        if asking is None:
            return found
        came = ask(asking)


async def admitted_later(steps: Steps, ask: Ask) -> Admitted | None:
    """The same where each answer is awaited."""
    came: Any = None
    while True:
        asking, found = _next(steps, came)
        if asking is None:
            return found
        came = await ask(asking)


def _next(steps: Steps, came: Any) -> tuple[ToAsk | None, Admitted | None]:
    try:
        return steps.send(came), None
    except StopIteration as done:
        return None, done.value


__all__ = ["Admission", "Admitted", "Ask", "Steps", "admitted", "admitted_later"]
