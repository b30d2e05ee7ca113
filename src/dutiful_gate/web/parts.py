"""The parts of a request, from its head and its body, before the gate that reads them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any, Final, TypeVar

from ..gates.request import RequestGate
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.verdict import Verdict, refusal
from ..shape.nodes import Entries, Items, Link
from ..shape.shape import Field
from .answers import CBOR
from .form_names import TooDeep, nested
from .head import MOST_NAMES, Head, TooManyNames, gathered, query_pairs
from .header_values import header_value
from .multipart import Multipart

R = TypeVar("R")


def examined(
    gate: RequestGate[R],
    head: Head,
    names: Mapping[str, str],
    body: bytes,
    media: str,
    form: Multipart | None = None,
) -> tuple[Verdict[R], bool]:
    """The verdict on a request, every part of it; and whether its body is what its media type says.

    `names` is what the path gave for the names in it, `media` the type of the body, `form` one of several parts.
    """
    declared = gate.parts
    parts: dict[str, Any] = {"path": names} if "path" in declared else {}
    broken: list[Fault] = []
    for name in declared:
        if name in _OF_HEAD:
            _part(name, parts, broken, partial(_OF_HEAD[name], head, declared[name], gate))
    if "form" in declared:
        use, limits = declared["form"].use, gate.limits

        def pairs() -> list[tuple[str, str]]:
            return form.pairs if form is not None else query_pairs(body.decode())

        _part("form", parts, broken, lambda: nested(pairs(), use, gate.shape, limits))
    if "files" in declared:
        parts["files"] = _as_lists(gathered(form.files), gate, declared["files"]) if form is not None else {}
    if "body" not in declared or not body:
        verdict, readable = gate.examine(parts), True
    elif media == CBOR:
        verdict, readable = gate.examine_with_cbor(parts, body)
    else:
        verdict, readable = gate.examine_with_json(parts, body)
    if broken:
        named = {fault.path[0] for fault in broken}
        others = [fault for fault in verdict.faults if fault.path and fault.path[0] not in named]
        verdict = refusal([*broken, *others], (), verdict.untold)
    return verdict, readable


def _is_several(field: Field) -> bool:
    """Whether a field takes several values of one name."""
    return isinstance(field.use.bare.node, Items) and not field.use.bare.split


def _as_lists(files: dict[str, Any], gate: RequestGate[Any], declared: Field) -> dict[str, Any]:
    """One file where several may be is a list of one."""
    several = {field.wire for field in gate.shape.sure_record(declared.use).fields if _is_several(field)}
    return {name: [held] if name in several and not isinstance(held, list) else held for name, held in files.items()}


def _part(name: str, parts: dict[str, Any], broken: list[Fault], read: Callable[[], Any]) -> None:
    try:
        parts[name] = read()
    except TooManyNames:
        broken.append(Fault((name,), Cause("size", "at most {most} names", {"most": MOST_NAMES}, got="more")))
    except UnicodeDecodeError:
        broken.append(Fault((name,), Cause("reading", "text in UTF-8", got="something else")))
    except TooDeep as error:
        cause = Cause("depth", "names at most {most} levels deep", {"most": error.most}, got="a deeper one")
        broken.append(Fault((name,), cause))


def _query(head: Head, declared: Field, gate: RequestGate[Any]) -> Mapping[str, Any]:
    record = gate.shape.sure_record(declared.use)
    if any(_has_names(field) for field in record.fields):
        return nested(query_pairs(head.query), declared.use, gate.shape, gate.limits, of_form=False)
    return gathered(query_pairs(head.query))


def _has_names(field: Field) -> bool:
    """Whether what a field of a query holds is told by names inside of its own."""
    node = field.use.bare.node
    return isinstance(node.item.bare.node if isinstance(node, Items) else node, Link | Entries)


def _headers(head: Head, declared: Field, gate: RequestGate[Any]) -> Mapping[str, Any]:
    held: dict[str, Any] = head.by_name
    for field in gate.shape.sure_record(declared.use).fields:
        if field.wire in held:
            held[field.wire] = header_value(held[field.wire], field.use)
    return held


def _cookies(head: Head, declared: Field, gate: RequestGate[Any]) -> Mapping[str, Any]:
    held = head.cookies
    for field in gate.shape.sure_record(declared.use).fields:
        # Set for several paths, one cookie comes several times, the nearest first (RFC 6265, section 5.4).
        if isinstance(came := held.get(field.wire), list) and not _is_several(field):
            held[field.wire] = came[0]
    return held


_OF_HEAD: Final = {"query": _query, "headers": _headers, "cookies": _cookies}
