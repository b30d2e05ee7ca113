"""The kinds that are written as text: UUID, bytes, time, timedelta, addresses, paths, time zones."""

from __future__ import annotations

from base64 import b64encode
from binascii import a2b_base64
from collections.abc import Callable, Set
from datetime import time, timedelta
from functools import cache
from typing import Any
from uuid import UUID as _UUID
from uuid import SafeUUID

from ..addresses import address_reader, ipv4_number, ipv6_number, network_reader
from ..facts import FAILED
from ..lazy import Late
from .base import Kind
from .written import Written

_TIME = r"(?:[01][0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:\.[0-9]+)?)?(?:[Zz]|[+-](?:[01][0-9]|2[0-3]):[0-5][0-9])?"
_DURATION = (
    # As many digits as a timedelta holds, whatever stands in the other places.
    r"(?!-P999999999DT)(-)?P(?!$)(?:([0-9]{1,8})W|(?:([1-8][0-9]{8}|[0-9]{1,8})D)?"
    r"(?:T(?!$)(?:([0-9]{1,9})H)?(?:([0-9]{1,9})M)?(?:([0-9]{1,9}(?:\.[0-9]{1,6})?)S)?)?|"
    # Past that, less than a day beside the days: so written, the longest that a timedelta holds is reached.
    r"(9[0-9]{8})D(?:T(?!$)(?:(1?[0-9]|2[0-3])H)?(?:([1-5]?[0-9])M)?(?:([1-5]?[0-9](?:\.[0-9]{1,6})?)S)?)?)"
)
_BASE64 = "(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?"
_UUID_TEXT = "[0-9A-Fa-f]{8}-[0-9A-Fa-f]{4}-[0-9A-Fa-f]{4}-[0-9A-Fa-f]{4}-[0-9A-Fa-f]{12}"
_time_text, _duration_text, _base64, _uuid_text = Late(_TIME), Late(_DURATION), Late(_BASE64), Late(_UUID_TEXT)
# The commonest texts at little cost: which parts go together is looked at apart.
_plain_duration = Late(
    r"(-)?P(?:([0-9]{1,9})([WD]))?(T)?(?:([0-9]{1,9})H)?(?:([0-9]{1,9})M)?(?:([0-9]{1,9}(?:\.[0-9]{1,6})?)S)?"
)
_SECOND = timedelta(seconds=1)
_new, _UNKNOWN = object.__new__, SafeUUID.unknown
_set_int, _set_safe = _UUID.__dict__["int"].__set__, _UUID.__dict__["is_safe"].__set__


def _read_uuid(text: str) -> Any:
    if not _uuid_text.fullmatch(text):  # the class itself also takes braces, "urn:uuid:" and "0x"
        return FAILED
    # Its constructor looks at much that is known here.
    made = _new(_UUID)
    _set_int(made, int(text.replace("-", ""), 16))
    _set_safe(made, _UNKNOWN)
    return made


def _read_bytes(text: str) -> Any:
    if not _base64.fullmatch(text):  # the decoder alone passes over padding that nothing needs
        return FAILED
    return a2b_base64(text)


def _write_bytes(value: bytes) -> str:
    return b64encode(value).decode()


def _read_time(text: str) -> Any:
    if not _time_text.fullmatch(text):
        return FAILED
    return time.fromisoformat(text.upper())


def _write_time(value: time) -> str:
    text = value.isoformat()
    return f"{text[:-6]}Z" if text.endswith("+00:00") else text


def read_duration(text: str) -> Any:
    """ISO 8601 weeks, or days, hours, minutes and seconds; months and years have no fixed length. Else FAILED."""
    parts = _plain_duration.fullmatch(text)
    if parts is None:
        return FAILED
    sign, days, unit, clock, hours, minutes, seconds = parts.groups()
    whole = micro = 0
    if clock:
        if hours:
            whole = int(hours) * 3600
        if minutes:
            whole += int(minutes) * 60
        if seconds:
            if "." in seconds:
                seconds, _, fraction = seconds.partition(".")
                micro = int(fraction.ljust(6, "0"))
            whole += int(seconds)
        elif not hours and not minutes:
            return FAILED
        if unit == "W":
            return FAILED
    elif hours or minutes or seconds or not days:
        return FAILED
    if days is None:
        length = timedelta(0, whole, micro) if micro else _SECOND * whole
    elif len(days) < 9:
        length = timedelta(int(days) * 7 if unit == "W" else int(days), whole, micro)
    elif _duration_text.fullmatch(text):  # near the end of what a timedelta holds, the clock has less room
        length = timedelta(int(days), whole, micro)
    else:
        return FAILED
    return -length if sign else length


def write_duration(value: timedelta) -> str:
    """The shortest ISO 8601 text of a timedelta."""
    sign, value = ("-", -value) if value < timedelta(0) else ("", value)
    seconds, micro = value.seconds, value.microseconds
    clock = [(seconds // 3600, "H"), (seconds // 60 % 60, "M")]
    text = "".join(f"{number}{unit}" for number, unit in clock if number)
    if seconds % 60 or micro:
        text += f"{seconds % 60}{f'.{micro:06d}'.rstrip('0') if micro else ''}S"
    days = f"{value.days}D" if value.days else ""
    return f"{sign}P{days}{'T' + text if text else ''}" if days or text else "PT0S"


def _path_reader() -> Callable[[str], Any]:
    from pathlib import Path

    def read_path(text: str) -> Any:
        return Path(text) if text and "\0" not in text else FAILED

    return read_path


def _zone_reader() -> Callable[[str], Any]:
    from zoneinfo import ZoneInfo

    known = cache(_zones)

    def read_zone(text: str) -> Any:
        if text not in known():  # to look for it in the folders takes long
            return FAILED
        try:
            return ZoneInfo(text)
        except (KeyError, OSError):
            return FAILED

    return read_zone


def _zones() -> Set[str]:
    from zoneinfo import available_timezones

    return available_timezones()


@cache
def written_kinds() -> dict[type, Kind]:
    """The kind of each Python type that is written as text."""
    import ipaddress
    from pathlib import Path, PurePath
    from zoneinfo import ZoneInfo

    kinds: dict[type, Kind] = {
        _UUID: Written(
            "UUID", "a UUID", (_UUID,), _read_uuid, str, "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
            {"type": "string", "format": "uuid"}, ordered=True,
        ),
        bytes: Written(
            "binary value", "binary data in base64", (bytes,), _read_bytes, _write_bytes, "Y3JhdGU=",
            {
                "type": "string", "contentEncoding": "base64",
                "pattern": f"^{_BASE64}$",
            },
        ),
        time: Written(
            "time", "a time of day", (time,), _read_time, _write_time, "09:30:00",
            {"type": "string", "pattern": f"^(?:{_TIME})$"}, ordered=True,
        ),
        timedelta: Written(
            "duration", "a duration (ISO 8601)", (timedelta,), read_duration, write_duration, "PT1H30M",
            {"type": "string", "pattern": f"^{_DURATION}$"}, ordered=True,
        ),
        Path: Written(
            "path", "a path", (PurePath,), _path_reader(), str, "manifests/today.csv",
            {"type": "string", "minLength": 1, "pattern": r"^[^\x00]*$"},
        ),
        ZoneInfo: Written(
            "time zone", "the name of a time zone", (ZoneInfo,), _zone_reader(), str, "Europe/London",
            {"type": "string"}, reason="JSON Schema has no list of time zones",
        ),
    }  # fmt: skip
    addresses = [
        ("IPv4Address", "an IPv4 address", "192.0.2.7", "ipv4"),
        ("IPv6Address", "an IPv6 address", "2001:db8::7", "ipv6"),
        ("IPv4Network", "an IPv4 network", "192.0.2.0/24", ""),
        ("IPv6Network", "an IPv6 network", "2001:db8::/32", ""),
        ("IPv4Interface", "an IPv4 address with its network", "192.0.2.7/24", ""),
        ("IPv6Interface", "an IPv6 address with its network", "2001:db8::7/32", ""),
    ]
    for name, phrase, example, form in addresses:
        held: Any = getattr(ipaddress, name)
        number, bits = (ipv4_number, 32) if "4" in name else (ipv6_number, 128)
        read = address_reader(held, number) if form else network_reader(held, number, bits, strict="Net" in name)
        said = {"type": "string", "format": form} if form else {"type": "string"}
        reason = "" if form else f"JSON Schema has no format for {phrase}"
        short = phrase.split(" ", 1)[1]
        kinds[held] = Written(short, phrase, (held,), read, str, example, said, ordered=bool(form), reason=reason)
    return kinds
