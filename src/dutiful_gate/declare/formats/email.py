"""Email addresses: the format `email` of JSON Schema, a Mailbox of RFC 5321, section 4.1.2."""

from __future__ import annotations

from ..addresses import ipv6_number
from ..lazy import Late

_ATOM = r"[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]+"
_LABEL = r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?"
LABELS = r"[A-Za-z0-9-]++(?:\.[A-Za-z0-9-]++)*+"
ADDRESS = rf'({_ATOM}(?:\.{_ATOM})*|"(?:[\x20!#-\[\]-~]|\\[\x20-~])*")@(?:({_LABEL}(?:\.{_LABEL})*)|\[([^\]]+)\])'
# The same without ways back, which cost far more than what they find; the labels are looked at apart.
_MAILBOX = Late(rf'({_ATOM}+(?:\.{_ATOM}+)*+|"(?:[\x20!#-\[\]-~]++|\\[\x20-~])*+")@(?:({LABELS})|\[([^\]]+)\])')
_LONGEST = 254
# Letters and digits with a few points between: most mailboxes are such, and are within all bounds then.
USUAL = r"[A-Za-z0-9]{1,30}(?:\.[A-Za-z0-9]{1,30})?@[A-Za-z0-9]{1,60}(?:\.[A-Za-z0-9]{1,60}){0,2}"
_usual = Late(USUAL)


def is_email(text: str) -> bool:
    """Whether the text is a mailbox: a local part of at most 64 characters, `@`, a domain or an address literal."""
    return _usual.fullmatch(text) is not None or is_rare_email(text)


def is_rare_email(text: str) -> bool:
    """The same for a text that does not look like most of them."""
    if len(text) > _LONGEST:
        return False
    parts = _MAILBOX.fullmatch(text)
    if parts is None or len(parts[1]) > 64:
        return False
    return labels_hold(parts[2]) if parts[3] is None else _is_address(parts[3])


def labels_hold(text: str) -> bool:
    """Whether labels of letters, digits and hyphens, points between, have a hyphen at no end and at most 63 signs."""
    if text[0] == "-" or text[-1] == "-" or ".-" in text or "-." in text:
        return False
    return len(text) <= 63 or max(map(len, text.split("."))) <= 63


def _is_address(literal: str) -> bool:
    """An address in brackets (RFC 5321, section 4.1.3): its `::` stands for two groups or more."""
    if literal[:5].lower() != "ipv6:":
        return _is_plain_address(literal)
    text = literal[5:]
    if "." in text:
        groups, _, decimals = text.rpartition(":")
        if not _is_plain_address(decimals):
            return False
        text = f"{groups}:0:0"
    return ipv6_number(text) >= 0 and ("::" not in text or len([each for each in text.split(":") if each]) <= 6)


def _is_plain_address(text: str) -> bool:
    """Four numbers of at most three digits; zeros may stand before them."""
    parts = text.split(".", 4)
    return len(parts) == 4 and all(
        len(part) <= 3 and part.isascii() and part.isdigit() and int(part) < 256 for part in parts
    )
