"""An API, one endpoint or one part of a request, in an application of Flask; needs the extra `flask`."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

from flask import Blueprint, Flask, Response, request

from ..gates.request import RequestGate
from .answers import OutgoingAnswer
from .api import Api, check_api
from .endpoint import METHODS, Served
from .intake import check_carries_nothing
from .lifespan import refuse_lifespan
from .wsgi import answered, check_plain, head_of, pieces, viewed_at_once

R = TypeVar("R")


def blueprint(api: Api, prefix: str = "", name: str = "api") -> Blueprint:
    """The whole of an API under a prefix: `application.register_blueprint(blueprint(api, "/freight"))`.

    What the application itself has at a path comes first. Raises DeclarationError for handlers that are `async`.
    """
    check_api(api)
    refuse_lifespan(api, "WSGI")
    for served in api.served:
        check_plain(served, api)
    made = Blueprint(name, __name__)

    def answer(**names: str) -> Response:
        return _response(*answered(api, request.environ, prefix))

    for number, rule in enumerate((f"{prefix}/", f"{prefix}/<path:rest>")):
        made.add_url_rule(
            rule, f"answer_{number}", answer, methods=METHODS, provide_automatic_options=False, strict_slashes=True
        )
    return made


def add(application: Flask | Blueprint, api: Api, served: Served[Any]) -> None:
    """One endpoint of an API beside the routes of an application."""
    check_plain(served, api)
    endpoint = served.endpoint

    def answer(**names: str) -> Response:
        return _response(*answered(api, request.environ))

    path = "/".join(f"<{word}>" if is_name else word for word, is_name in endpoint.path.segments)
    application.add_url_rule(
        f"/{path}", endpoint.name, answer, methods=[endpoint.method], provide_automatic_options=False
    )


def reading(gate: RequestGate[R]) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """One part of a request, or several, as the first argument of a view; what is refused never comes to it.

    @application.route("/sailings")
    @reading(RequestGate(SearchSailings))
    def sailings(sent: SearchSailings) -> Any: ...
    """

    check_carries_nothing(gate)

    def reads(view: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(view)
        def viewed(**names: Any) -> Any:
            found = viewed_at_once(
                gate, head_of(request.environ), names, pieces(request.environ), lambda sent: view(sent, **names)
            )
            return _response(found, content=True) if isinstance(found, OutgoingAnswer) else found

        return viewed

    return reads


def _response(outgoing: OutgoingAnswer, content: bool) -> Response:
    response = Response(outgoing.body if content else b"", status=outgoing.status)
    response.headers.clear()
    for name, value in outgoing.headers:
        response.headers.add(name.title(), value)
    return response


__all__ = ["add", "blueprint", "reading"]
