"""Faults as SARIF 2.1.0 (OASIS), which CI systems show beside the line they stand at."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any, Final
from urllib.parse import quote

from ..report.fault import Fault

_SCHEMA: Final = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def sarif(faults: Iterable[tuple[str, Fault]], version: str, *, complete: bool = True) -> dict[str, Any]:
    """A log with one run: a result for each fault, with the name of its file.

    `complete` tells whether these are all faults that there are; else the run says that some were left out. Columns
    count characters, as the run tells (`columnKind`); a fault without a place stands at its file.
    """
    results = [_result(file, fault) for file, fault in faults]
    codes = sorted({result["ruleId"] for result in results})
    told: dict[str, Any] = {
        "tool": {
            "driver": {
                "name": "dutiful",
                "version": version,
                "rules": [{"id": code, "name": code, "defaultConfiguration": {"level": "error"}} for code in codes],
            }
        },
        "columnKind": "unicodeCodePoints",
        "results": results,
    }
    if not complete:
        note = {
            "level": "note",
            "message": {"text": "There are more faults than are listed; --most raises the number."},
        }
        told["invocations"] = [{"executionSuccessful": True, "toolExecutionNotifications": [note]}]
    return {"$schema": _SCHEMA, "version": "2.1.0", "runs": [told]}


def _result(file: str, fault: Fault) -> dict[str, Any]:
    place = fault.place
    where: dict[str, Any] = {"artifactLocation": {"uri": _uri(file)}}
    named = fault.pointer or "/"
    if place is not None and place.cell:  # a workbook has no lines that a viewer could show
        named = f"{place.cell} {named}"
    elif place is not None and place.line:
        where["region"] = {"startLine": place.line, **({"startColumn": place.column} if place.column else {})}
    location = {"physicalLocation": where, "logicalLocations": [{"fullyQualifiedName": named}]}
    return {
        "ruleId": fault.code,
        "level": "error",
        "message": {"text": str(fault)},
        "locations": [location],
    }


def _uri(file: str) -> str:
    """A file as a URI reference: relative as it was named, or absolute."""
    path = Path(file)
    return path.as_uri() if path.is_absolute() else quote(path.as_posix())


__all__ = ["sarif"]
