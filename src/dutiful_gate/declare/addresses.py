"""IPv4 and IPv6 addresses, networks, and addresses with their network, read without exceptions and without zones.

The classes of the standard library are made from numbers: their own reading of text takes several times as long.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .facts import FAILED

_GROUPS = 8
_ZEROS = ["0000"] * _GROUPS
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
        before, colon, tail = text.rpartition(":")
        last = ipv4_number(tail)
        if last < 0 or not colon:
            return -1
        text = f"{before}:{last >> 16:x}:{last & 0xFFFF:x}"
    head, gap, tail = text.partition("::")
    groups = head.split(":") if head else []
    if gap:
        after = tail.split(":") if tail else []
        missing = _GROUPS - len(groups) - len(after)
        if missing < 1:  # the gap stands for one group at least
            return -1
        groups += _ZEROS[:missing] + after
    if len(groups) != _GROUPS or "" in groups:
        return -1
    digits = "".join([group.zfill(4) for group in groups])
    if len(digits) != 4 * _GROUPS or not digits.isalnum():
        return -1
    try:  # int() of the text would also take 0x and underscores
        return int.from_bytes(bytes.fromhex(digits), "big")
    except ValueError:
        return -1


def address_reader(make: Callable[[int], Any], number: Callable[[str], int]) -> Callable[[str], Any]:
    """Reads an address as a class that `make`s one of its number."""

    def read_address(text: str) -> Any:
        made = number(text)
        return FAILED if made < 0 else make(made)

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
            return FAILED
        length = lengths.get(prefix) if slash else bits
        if length is None:
            if prefix.isascii() and prefix.isdigit() and len(prefix) <= _LONGEST:
                length = lengths.get(str(int(prefix)))  # with zeros before it
            else:
                length = masks.get(number(prefix)) if masks else None
            if length is None:
                return FAILED
        if strict and address & (1 << bits - length) - 1:
            return FAILED
        return make((address, length))

    return read_network


_LONGEST = 4300
