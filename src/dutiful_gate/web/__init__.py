"""Requests and answers of an HTTP API by declarations: endpoints as data, adapters for servers, descriptions.

Public. The adapters are modules of their own: `asgi`, `wsgi`, `starlette` and `flask`.
"""

from importlib.util import find_spec
from typing import TYPE_CHECKING

from ..declare.carried import identity
from ..declare.marks import under_key
from ..declare.outside import HandedOver, Opening
from ..declare.uploads import UploadedFile
from ..gates.request import RequestGate
from .amending import Amended, amended, patched
from .answering import Answered, Answering, Streamed
from .api import Api
from .conditional import BY_CONTENT, Version, entity_tag
from .describing.description import description, schemas
from .describing.judge import flaws
from .endpoint import Endpoint, Handler, Served
from .head import Head
from .media_types import of_type
from .pieces import ServerEvent
from .refusals import Refusal, RefusalForm, RequestProblem
from .security.requirement import IN_FRONT, PUBLIC, Requirement, Scheme
from .security.schemes import ApiKey, Basic, Bearer, OAuth2, OpenIdConnect, OwnScheme
from .security.signed import Signed, SigningKey
from .seen import Observer, Seen
from .set_cookie import SetCookie

if TYPE_CHECKING:
    from .forms.form import Form

__all__ = [
    "BY_CONTENT",
    "IN_FRONT",
    "PUBLIC",
    "Amended",
    "Answered",
    "Answering",
    "Api",
    "ApiKey",
    "Basic",
    "Bearer",
    "Endpoint",
    "Form",
    "HandedOver",
    "Handler",
    "Head",
    "OAuth2",
    "Observer",
    "OpenIdConnect",
    "Opening",
    "OwnScheme",
    "Refusal",
    "RefusalForm",
    "RequestGate",
    "RequestProblem",
    "Requirement",
    "Scheme",
    "Seen",
    "Served",
    "ServerEvent",
    "SetCookie",
    "Signed",
    "SigningKey",
    "Streamed",
    "UploadedFile",
    "Version",
    "amended",
    "description",
    "entity_tag",
    "flaws",
    "identity",
    "of_type",
    "patched",
    "schemas",
    "under_key",
]


if not TYPE_CHECKING and find_spec("jinja2") is None:  # so that `import *` takes what is there
    __all__.remove("Form")


def __getattr__(name: str) -> object:
    """`Form`, which leans on a package of templates: loaded where it is used."""
    if name == "Form":
        try:
            from .forms.form import Form
        except ModuleNotFoundError as error:
            raise ImportError(f"Form needs {error.name}: pip install 'dutiful-gate[forms]'") from error
        return Form
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
