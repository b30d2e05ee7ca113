"""IPv4 and IPv6 addresses, networks, and addresses with their network, read without exceptions and without zones.

The classes of the standard library are made from numbers: their own reading of text takes several times as long.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .facts import REFUSED

_GROUPS = 8
_NOTHING: list[str] = []
_OCTETS = {str(octet): octet for octet in range(256)}


def ipv4_number(text: str) -> int:
    """The number of four decimals from 0 to 255, without leading zeros (RFC 2673, section 3.2); -1 for all else."""
    parts = text.split(".", 4)
    if len(parts) != 4:
        return -1
    octet = _OCTETS.get
    first, second, third, fourth = octet(parts[0]), octet(parts[1]), octet(parts[2]), octet(parts[3])
    if first is None or second is None or third is None or fourth is None:
        return -1
    return first << 24 | second << 16 | third << 8 | fourth


def ipv6_number(text: str) -> int:
    """The number of an address of RFC 4291, section 2.2; -1 for anything else."""
    if "." in text:
        groups, colon, decimals = text.rpartition(":")
        last = ipv4_number(decimals)
        if last < 0 or not colon:
            return -1
        text = f"{groups}:{last >> 16:x}:{last & 0xFFFF:x}"
    head, gap, tail = text.partition("::")
    before = head.split(":") if head else _NOTHING
    after = tail.split(":") if tail else _NOTHING
    missing = _GROUPS - len(before) - len(after)
    if "" in before or "" in after or (missing < 1 if gap else missing != 0):  # a gap stands for one group at least
        return -1
    digits = "".join([group.zfill(4) for group in before])
    if gap:
        digits += "0000" * missing + "".join([group.zfill(4) for group in after])
    # Letters and digits of ASCII alone, and no 0x: int() takes more than that.
    if len(digits) != 4 * _GROUPS or not digits.isalnum() or not digits.isascii() or digits[1] in "xX":
        return -1
    try:
        return int(digits, 16)
    except ValueError:
        return -1


def address_reader(make: Callable[[int], Any], number: Callable[[str], int]) -> Callable[[str], Any]:
    """Reads an address as a class that `make`s one of its number."""

    def read_address(text: str) -> Any:
        made = number(text)
        return REFUSED if made < 0 else make(made)

    return read_address


def network_reader(
    make: Callable[[tuple[int, int]], Any], number: Callable[[str], int], bits: int, *, strict: bool
) -> Callable[[str], Any]:
    """Reads an address and the length of its prefix; `strict` lets nothing stand behind the prefix.

    An IPv4 mask may be written as an address, also the other way round, as the standard library takes it.
    """
    lengths = {str(length): length for length in range(bits + 1)}
    masks: dict[int, int] = {}
    if bits == 32:
        masks = {2 ** (32 - length) - 1: length for length in range(33)}
        masks |= {2**32 - 2 ** (32 - length): length for length in range(33)}

    def read_network(text: str) -> Any:
        plain, slash, prefix = text.partition("/")
        address = number(plain)
        if address < 0:
            return REFUSED
        length = lengths.get(prefix) if slash else bits
        if length is None:
            if prefix.isascii() and prefix.isdigit() and len(prefix) <= _LONGEST:
                length = lengths.get(str(int(prefix)))  # with zeros before it
            else:
                length = masks.get(number(prefix)) if masks else None
            if length is None:
                return REFUSED
        if strict and address & (1 << bits - length) - 1:
            return REFUSED
        return make((address, length))

    return read_network


_LONGEST = 4300
