"""Requests and answers of an HTTP API by declarations: endpoints as data, adapters for servers, descriptions.

Public. The adapters are modules of their own: `asgi`, `wsgi`, `starlette` and `flask`.
"""

from ..gates.request import RequestGate
from .amending import Amended, amended
from .answers import Answer, Streamed
from .api import Api
from .description import description
from .endpoint import Endpoint, Served
from .head import Head
from .refusals import Problem, Refusal

__all__ = [
    "Amended",
    "Answer",
    "Api",
    "Endpoint",
    "Head",
    "Problem",
    "Refusal",
    "RequestGate",
    "Served",
    "Streamed",
    "amended",
    "description",
]
