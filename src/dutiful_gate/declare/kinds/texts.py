"""The kinds that are written as text: UUID, bytes, time, timedelta, addresses, paths, time zones."""

from __future__ import annotations

from base64 import b64encode
from binascii import a2b_base64
from collections.abc import Callable, Set
from datetime import time, timedelta, timezone
from functools import cache
from typing import TYPE_CHECKING, Any
from uuid import UUID as _UUID
from uuid import SafeUUID

from ..addresses import address_reader, ipv4_number, ipv6_number, network_reader
from ..facts import REFUSED, Order, Sort
from ..lazy import Late
from .base import Kind
from .text_form import TextForm

if TYPE_CHECKING:
    from random import Random

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
    r"(-)?P(?:([0-9]{1,9}+)([WD]))?+"
    r"(?:(T)(?:([0-9]{1,9}+)H)?+(?:([0-9]{1,9}+)M)?+(?:([0-9]{1,9}+)(?:\.([0-9]{1,6}+))?+S)?+)?+"
)
_SECOND = timedelta(seconds=1)
_new, _UNKNOWN = object.__new__, SafeUUID.unknown
_set_int, _set_safe = _UUID.__dict__["int"].__set__, _UUID.__dict__["is_safe"].__set__


def _read_uuid(text: str) -> Any:
    if not _uuid_text.fullmatch(text):  # the class itself also takes braces, "urn:uuid:" and "0x"
        return REFUSED
    # Its constructor looks at much that is known here.
    made = _new(_UUID)
    _set_int(made, int(text.replace("-", ""), 16))
    _set_safe(made, _UNKNOWN)
    return made


def _read_bytes(text: str) -> Any:
    if len(text) % 4 or not _base64.fullmatch(text):  # the decoder alone passes over padding that nothing needs
        return REFUSED
    return a2b_base64(text)


def _write_bytes(value: bytes) -> str:
    return b64encode(value).decode()


def _read_time(text: str) -> Any:
    if not _time_text.fullmatch(text):
        return REFUSED
    return time.fromisoformat(text.upper())


def _write_time(value: time) -> str:
    text = value.isoformat()
    return f"{text[:-6]}Z" if text.endswith("+00:00") else text


def read_duration(text: str) -> Any:
    """ISO 8601 weeks, or days, hours, minutes and seconds; months and years have no fixed length. Else REFUSED."""
    parts = _plain_duration.fullmatch(text)
    if parts is None:
        return REFUSED
    sign, days, unit, clock, hours, minutes, seconds, fraction = parts.groups()
    whole = micro = 0
    if clock:
        if hours:
            whole = int(hours) * 3600
        if minutes:
            whole += int(minutes) * 60
        if seconds:
            whole += int(seconds)
            if fraction:
                micro = int(fraction.ljust(6, "0"))
        elif not hours and not minutes:
            return REFUSED
        if unit == "W":
            return REFUSED
    elif not days:
        return REFUSED
    if days is None:
        length = timedelta(0, whole, micro) if micro else _SECOND * whole
    elif len(days) < 9 or (len(days) == 9 and unit == "D" and not clock):
        length = timedelta(int(days) * 7 if unit == "W" else int(days), whole, micro)
    elif _duration_text.fullmatch(text):  # near the end of what a timedelta holds, the clock has less room
        length = timedelta(int(days), whole, micro)
    else:
        return REFUSED
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


def _path_reader(made: Callable[[str], Any]) -> Callable[[str], Any]:
    def read_path(text: str) -> Any:
        return made(text) if text and "\0" not in text else REFUSED

    return read_path


def _zone_reader() -> Callable[[str], Any]:
    from zoneinfo import ZoneInfo

    known = cache(_zones)

    def read_zone(text: str) -> Any:
        if text not in known():  # to look for it in the folders takes long
            return REFUSED
        try:
            return ZoneInfo(text)
        except (KeyError, OSError):
            return REFUSED

    return read_zone


def _zones() -> Set[str]:
    from zoneinfo import available_timezones

    return available_timezones()


_NEAR: dict[str, tuple[str, ...]] = {
    "UUID": (
        "5F0C7D1E-3B5A-4C7E-9A55-0D1C2B3A4F5E", "{5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e}",
        "5f0c7d1e3b5a4c7e9a550d1c2b3a4f5e", "urn:uuid:5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
        "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5g", "00000000-0000-0000-0000-000000000000",
        "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5\uff11",
        "0x0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "5f0c7d1e-3b5a-4c7e-9a55-0d1c_b3a4f5e",
    ),
    "binary value": ("", "Y3JhdGU=", "Y3JhdGU", "Y3JhdGV=", "Y3Jh\nZGU=", "Y3_hdGU=", "====", "AA==", "AB==", "Y Q=="),
    "time": (
        "09:30", "09:30:00", "09:30:00Z", "9:30", "24:00", "09:30:60", "09:30:00.1234567", "09:30:00.", "09:30z",
        "09:30+01:00",
        "09:30+24:00", "093000", "09:30:00-00:00",
    ),
    "duration": (
        "PT0S", "P", "PT", "P1D", "-P1D", "P1W", "P1Y", "P1M", "PT1.5S", "PT1,5S", "P1DT", "P999999999D",
        "P1000000000D",
        "-P999999999D", "PT0.0000001S", "P1WT1H", "p1d", "+P1D", "-P999999999DT1S", "PT999999999H", "P99999999W",
    ),
    "path": ("/", ".", "a\x00b", "a/../b", "a//b", " "),
    "time zone": ("UTC", "Europe/London", "europe/london", "../etc/passwd", "Nowhere/None", "Europe"),
    "IPv4 address": ("192.0.2.7", "192.0.2.07", "192.0.2.256", "1.2.3", "\u0661.2.3.4", " 1.2.3.4", "1.2.3.4%x"),
    "IPv6 address": ("::", "::1", "2001:DB8::7", "fe80::1%eth0", "1::2::3", "::ffff:192.0.2.7", "12345::"),
    "IPv4 network": ("192.0.2.0/24", "192.0.2.7/24", "192.0.2.0", "192.0.2.0/33", "192.0.2.0/255.255.255.0"),
}  # fmt: skip
"""Texts at the ends of each kind, and just past them, by its name."""
_EAST = timezone(timedelta(hours=2))
_ODD_OFFSET = timezone(timedelta(hours=1, seconds=30))


def _draw_uuid(random: Random) -> str:
    return str(_UUID(int=random.getrandbits(128), version=4))


def _draw_time(random: Random) -> str:
    return f"{random.randint(0, 23):02}:{random.choice(['00', '15', '30'])}:00"


def _draw_duration(random: Random) -> str:
    return f"PT{random.randint(1, 23)}H{random.choice(['', '30M'])}"


def _draw_bytes(random: Random) -> str:
    return random.choice(["Y3JhdGU=", "cm9wZQ==", "d2luY2g="])


def _draw_ipv4(random: Random) -> str:
    return f"192.0.2.{random.randint(1, 254)}"


@cache
def written_kinds() -> dict[type, Kind]:
    """The kind of each Python type that is written as text."""
    import ipaddress
    from pathlib import Path, PurePath, PurePosixPath, PureWindowsPath
    from zoneinfo import ZoneInfo

    kinds: dict[type, Kind] = {
        _UUID: TextForm(
            "UUID", "a UUID", (_UUID,), _read_uuid, str, "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
            {"type": "string", "format": "uuid"}, ordered=True, near=_NEAR["UUID"], drawn=_draw_uuid, core="uuid",
        ),
        bytes: TextForm(
            "binary value", "binary data in base64", (bytes,), _read_bytes, _write_bytes, "Y3JhdGU=",
            {
                "type": "string", "contentEncoding": "base64",
                "pattern": f"^{_BASE64}$",
            },
            near=_NEAR["binary value"], drawn=_draw_bytes,
        ),
        time: TextForm(
            "time", "a time of day", (time,), _read_time, _write_time, "09:30:00",
            {"type": "string", "pattern": f"^(?:{_TIME})$"}, ordered=True, order=Order.TIME, sort=Sort.TIME,
            near=_NEAR["time"], drawn=_draw_time,
            made=(time(9, 30, 0, 5), time(0), time(9, tzinfo=_EAST), time(9, tzinfo=_ODD_OFFSET)),
        ),
        timedelta: TextForm(
            "duration", "a duration (ISO 8601)", (timedelta,), read_duration, write_duration, "PT1H30M",
            {"type": "string", "pattern": f"^{_DURATION}$"}, ordered=True, order=Order.SIZE,
            near=_NEAR["duration"], drawn=_draw_duration,
            made=(timedelta.max, timedelta.min, timedelta(0), timedelta(days=950_000_000, microseconds=1)),
        ),
        ZoneInfo: TextForm(
            "time zone", "the name of a time zone", (ZoneInfo,), _zone_reader(), str, "Europe/London",
            {"type": "string"}, reason="JSON Schema has no list of time zones",
            near=_NEAR["time zone"], one_text=True,
        ),
    }  # fmt: skip
    paths: tuple[type[PurePath], ...] = (Path, PurePath, PurePosixPath, PureWindowsPath)
    for path in paths:
        # What goes out is written as a path of its own system: one of the other is not taken for it.
        held_as = path if path in (PurePosixPath, PureWindowsPath) else PurePath
        kinds[path] = TextForm(
            "path", "a path", (held_as,), _path_reader(path), str, "manifests/today.csv",
            {"type": "string", "minLength": 1, "pattern": r"^[^\x00]*$"}, near=_NEAR["path"],
        )  # fmt: skip
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
        made = (held("fe80::1%eth0"), held("::")) if name == "IPv6Address" else ()
        kinds[held] = TextForm(
            short, phrase, (held,), read, str, example, said, ordered=bool(form), reason=reason,
            near=_NEAR.get(short, ()), made=made, drawn=_draw_ipv4 if name == "IPv4Address" else None,
            one_text=name == "IPv4Address",
        )  # fmt: skip
    return kinds
