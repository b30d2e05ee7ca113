"""An API, one endpoint or one part of a request, in an application of Starlette; needs the extra `starlette`."""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import AbstractAsyncContextManager, AsyncExitStack, asynccontextmanager
from typing import Any, TypeVar

from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Mount, Route
from starlette.types import Receive, Scope, Send

from ..gates.request import RequestGate
from .api import Api
from .asgi import asgi, handle, head_of
from .endpoint import Served
from .intake import Intake, check_carries_nothing
from .lifespan import lived
from .negotiation import chosen_language
from .refusals import RequestProblem, as_problem, told_in

R = TypeVar("R")


def mounted(api: Api, path: str = "") -> Mount:
    """The whole of an API under a path: `Starlette(routes=[mounted(api, "/freight")])`."""
    return Mount(path, app=asgi(api))


def lifespan(*apis: Api) -> Callable[[Any], AbstractAsyncContextManager[None]]:
    """What the APIs that are mounted live in, which Starlette hands on to no mount.

        Starlette(routes=[mounted(api, "/freight")], lifespan=lifespan(api))

    Beside one of your own: `async with lifespan(api)(application): ...`.
    """

    @asynccontextmanager
    async def all_lived(application: Any) -> AsyncIterator[None]:
        async with AsyncExitStack() as held:
            for api in apis:
                await held.enter_async_context(lived(api))
            yield

    return all_lived


def route(api: Api, served: Served[Any]) -> Route:
    """One endpoint of an API beside the routes of an application."""
    endpoint = served.endpoint
    return Route(endpoint.path.text, _Answering(api), methods=[endpoint.method], name=endpoint.name)


def reading(
    gate: RequestGate[R], view: Callable[[Request, R], Awaitable[Response]]
) -> Callable[[Request], Awaitable[Response]]:
    """One part of a request, or several, as the second argument of a view; what is refused never comes to it.

    `Route("/sailings", reading(RequestGate(SearchSailings), sailings))`
    """

    check_carries_nothing(gate)

    async def viewed(request: Request) -> Response:
        head = head_of(request.scope)
        try:
            intake = Intake(gate, head, {name: str(value) for name, value in request.path_params.items()})
            intake.weigh()
            if intake.reads:
                async for piece in request.stream():
                    intake.take(piece)
            sent = intake.request()
        except RequestProblem as problem:
            outgoing = told_in(chosen_language(head.header("accept-language"), ()), problem.refusal, as_problem)
            body = outgoing.body if isinstance(outgoing.body, bytes) else b""
            return Response(body, outgoing.status, dict(outgoing.headers))
        try:
            return await view(request, sent)
        finally:
            intake.close()

    return viewed


class _Answering:
    """An application for one route: what is no function, Starlette asks as such."""

    def __init__(self, api: Api) -> None:
        self.api = api

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await handle(self.api, scope, receive, send)


__all__ = ["lifespan", "mounted", "reading", "route"]
