"""Lists of 20,000 values of every kind: sound, unsound at the end, and unsound throughout.

Part of `make bench-hostile`, under the same bounds. Where the standard library's own class alone takes longer to make
than that, twice its time is allowed besides.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from ipaddress import IPv4Address, IPv4Interface, IPv4Network, IPv6Address, IPv6Network
from pathlib import Path
from typing import Annotated, Any, Literal
from uuid import UUID
from zoneinfo import ZoneInfo

from dutiful_gate import (
    AnyGate,
    Email,
    Gate,
    Hostname,
    Slug,
    WebUrl,
    as_text,
    it,
    lenient,
    lowered,
    rounded_to,
    split_on,
    trimmed,
    via,
    without_offset,
    written,
)

COUNT = 20_000
Input = tuple[str, AnyGate[Any], Callable[[int], str], int]


@dataclass
class Crate:
    sensor: UUID
    weight_kg: float


def sensor(number: int) -> str:
    return str(UUID(int=number * 7919**9 % 2**128))


# What it is called, its type, and the number-th item.
KINDS: list[tuple[str, Any, Callable[[int], Any]]] = [
    ("whole numbers", int, lambda n: n),
    ("truths", bool, lambda n: n % 2 == 0),
    ("numbers, rounded", Annotated[float, rounded_to(2)], lambda n: n + 0.125),
    ("numbers, multiples", Annotated[float, it.multiple_of(0.01)], lambda n: n + 0.25),
    ("numbers as text", Annotated[int, lenient], str),
    ("decimals", Decimal, lambda n: n + 0.5),
    ("decimals as text", Annotated[Decimal, as_text], lambda n: f"{n}.50"),
    ("texts", Annotated[str, trimmed, lowered, it.length <= 40], lambda n: f" Quay {n}"),
    ("choices", Literal["standard", "urgent"], lambda n: "urgent"),
    ("date-times", datetime, lambda n: f"2026-05-{n % 28 + 1:02}T09:30:{n % 60:02}Z"),
    ("date-times with an offset", datetime, lambda n: f"2026-05-{n % 28 + 1:02}T09:30:{n % 60:02}.5+02:00"),
    ("local date-times", Annotated[datetime, without_offset], lambda n: f"2026-05-{n % 28 + 1:02}T09:30:00"),
    ("date-times as seconds", Annotated[datetime, via(int)], lambda n: n),
    ("dates", date, lambda n: f"2026-05-{n % 28 + 1:02}"),
    ("dates in a form of their own", Annotated[date, written("%d.%m.%Y")], lambda n: f"{n % 28 + 1:02}.05.2026"),
    ("times", time, lambda n: f"09:30:{n % 60:02}"),
    ("durations", timedelta, lambda n: f"PT{n % 600}M"),
    ("UUIDs", UUID, sensor),
    ("binary values", bytes, lambda n: "Y3JhdGU="),
    ("IPv4 addresses", IPv4Address, lambda n: f"192.0.{n % 250}.{n % 99}"),
    ("time zones", ZoneInfo, lambda n: "Europe/London"),
    ("e-mail addresses", Email, lambda n: f"desk{n}@ternsound.example"),
    ("web addresses", WebUrl, lambda n: f"https://quays.example/berths/{n}"),
    ("host names", Hostname, lambda n: f"quay{n}.example"),
    ("slugs", Slug, lambda n: f"marrow-isle-{n}"),
    ("formats", Annotated[str, it.of_format("uri-reference")], lambda n: f"/berths/{n}"),
    ("UUIDs or nothing", UUID | None, sensor),
    ("UUIDs or numbers", UUID | int, sensor),
    ("pairs", tuple[UUID, date], lambda n: [sensor(n), "2026-05-04"]),
    ("lists in text", Annotated[list[int], split_on(",")], lambda n: "1,2,3"),
    ("records", Crate, lambda n: {"sensor": sensor(n), "weight_kg": 1.5}),
]
# The same, and the class that takes longest.
DEAR: list[tuple[str, Any, Callable[[int], Any]]] = [
    ("IPv6 addresses", IPv6Address, lambda n: f"2001:db8::{n:x}"),
    ("paths", Path, lambda n: f"manifests/{n}.csv"),
    ("IPv4 networks", IPv4Network, lambda n: f"10.{n % 250}.0.0/16"),
    ("IPv6 networks", IPv6Network, lambda n: f"2001:db8:{n:x}::/48"),
    ("IPv4 interfaces", IPv4Interface, lambda n: f"10.{n % 250}.0.7/16"),
]


def unsound(item: Any) -> Any:
    """What nearly looks like an item."""
    if isinstance(item, str):
        return f"{item[:-1]}~"
    return {"sensor": "x", "weight_kg": None} if isinstance(item, dict) else [item, "x", None]


def inputs(kinds: list[tuple[str, Any, Callable[[int], Any]]]) -> Iterator[Input]:
    """Three lists of each kind."""
    for name, kind, item in kinds:
        gate: Gate[Any] = Gate(list.__class_getitem__(kind))

        def sound(count: int, item: Callable[[int], Any] = item) -> str:
            return json.dumps([item(number) for number in range(count)])

        def ended(count: int, item: Callable[[int], Any] = item) -> str:
            return json.dumps([*(item(number) for number in range(count)), {"none": "such"}])

        def broken(count: int, item: Callable[[int], Any] = item) -> str:
            return json.dumps([unsound(item(number)) for number in range(count)])

        yield name, gate, sound, COUNT
        yield f"{name}, the last unsound", gate, ended, COUNT
        yield f"{name}, all unsound", gate, broken, COUNT
