"""The functions that judge the formats of the JSON Schema standard."""

from __future__ import annotations

import re
from collections.abc import Callable

from ..addresses import ipv4_number, ipv6_number
from ..kinds.moment import day_from_json, moment_from_json
from ..kinds.text import encodable
from ..lazy import Late
from .email import LABELS, is_email, labels_hold

_UNRESERVED = r"A-Za-z0-9\-._~"
_SUB = r"!$&'()*+,;="
_PCT = r"%[0-9A-Fa-f]{2}"
_PLANES = "".join(rf"\U{plane:04x}0000-\U{plane:04x}fffd" for plane in range(1, 14))
_SCRIPTS = rf"\u00a0-\ud7ff\uf900-\ufdcf\ufdf0-\uffef{_PLANES}\U000e1000-\U000efffd"
_PRIVATE = r"\ue000-\uf8ff\U000f0000-\U000ffffd\U00100000-\U0010fffd"


def _reference(extra: str = "", private: str = "", *, absolute: bool, held: bool = False) -> str:
    """RFC 3986, sections 3 and 4; RFC 3987 with the `extra` characters it has, and the `private` ones of its queries.

    `held` writes runs that are never shortened again, which costs far less: none goes on where the next thing begins.
    Other dialects of patterns lack them.
    """
    one, some, any_number = ("++", "++", "*+") if held else ("", "+", "*")
    char = rf"(?:[{_UNRESERVED}{extra}{_SUB}:@]{one}|{_PCT})"
    host = (
        rf"(?:\[(?:[0-9A-Fa-f:.]+|[vV][0-9A-Fa-f]+\.[{_UNRESERVED}{_SUB}:]+)\]|"
        rf"(?:[{_UNRESERVED}{extra}{_SUB}]{one}|{_PCT}){any_number})"
    )
    path = rf"(?:/{char}{any_number}){any_number}"
    authority = rf"//(?:(?:[{_UNRESERVED}{extra}{_SUB}:]{one}|{_PCT}){any_number}@)?{host}(?::[0-9]*)?{path}"
    rooted = rf"/(?:{char}{some}{path})?"
    tail = rf"(?:\?(?:{char}|[/?{private}]){any_number})?(?:\#(?:{char}|[/?]){any_number})?"
    if absolute:
        return rf"[A-Za-z][A-Za-z0-9+.\-]*:(?:{authority}|{rooted}|{char}{some}{path}|){tail}"
    first = rf"(?:[{_UNRESERVED}{extra}{_SUB}@]{one}|{_PCT}){some}"
    whole = _reference(extra, private, absolute=True, held=held)
    return rf"(?:{whole}|(?:{authority}|{rooted}|{first}{path}|){tail})"


_LABEL = r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?"
HOST = rf"{_LABEL}(?:\.{_LABEL})*"
_REFERENCES = {
    "uri": ("", "", True),
    "uri-reference": ("", "", False),
    "iri": (_SCRIPTS, _PRIVATE, True),
    "iri-reference": (_SCRIPTS, _PRIVATE, False),
}
# RFC 6570, section 2: what stands in braces, and what stands outside of them.
_LITERAL = rf"[!\#$&(-;=?-\[\]_a-z~{_SCRIPTS}{_PRIVATE}]"


_OPERATOR = r"[+\#./;?&=,!@|]?"
_LENGTH = ":[1-9][0-9]{0,3}"


def _template() -> str:
    """RFC 6570."""
    char = rf"(?:[A-Za-z0-9_]|{_PCT})"
    variable = rf"{char}(?:\.?{char})*(?:{_LENGTH}|\*)?"
    expression = rf"\{{{_OPERATOR}{variable}(?:,{variable})*\}}"
    return rf"(?:{_LITERAL}|{_PCT}|{expression})*"


def _held_template() -> str:
    """The same in runs that are never shortened again; variables of letters and digits alone are tried first."""
    word = "[A-Za-z0-9_]"
    name = rf"(?:{word}++|{_PCT}{word}*+)(?:\.?{_PCT}{word}*+|\.{word}++)*+"
    variables = [rf"{each}(?:,{each})*+\}}" for each in (rf"{word}++\*?+", rf"{name}(?:{_LENGTH}|\*)?+")]
    return rf"{_LITERAL}*+(?:(?:\{{{_OPERATOR}+(?:{'|'.join(variables)})|{_PCT}){_LITERAL}*+)*+"


# RFC 3339, appendix A: no unit is left out between two others. The letters of a grammar are of either case.
_CLOCK_PART = "[Tt](?:[0-9]+[Hh](?:[0-9]+[Mm](?:[0-9]+[Ss])?)?|[0-9]+[Mm](?:[0-9]+[Ss])?|[0-9]+[Ss])"
_DAYS_PART = "(?:[0-9]+[Yy](?:[0-9]+[Mm](?:[0-9]+[Dd])?)?|[0-9]+[Mm](?:[0-9]+[Dd])?|[0-9]+[Dd])"
PATTERNS: dict[str, str] = {
    **{name: _reference(*letters, absolute=absolute) for name, (*letters, absolute) in _REFERENCES.items()},
    "uuid": r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}",
    "json-pointer": r"(?:/(?:[^~/]|~[01])*)*",
    "relative-json-pointer": r"(?:0|[1-9][0-9]*)(?:[+-](?:0|[1-9][0-9]*))?(?:#|(?:/(?:[^~/]|~[01])*)*)",
    "duration": rf"[Pp](?:{_DAYS_PART}(?:{_CLOCK_PART})?|{_CLOCK_PART}|[0-9]+[Ww])",
    "time": r"(?:[01][0-9]|2[0-3]):[0-5][0-9]:(?:[0-5][0-9]|60)(?:\.[0-9]+)?"
    r"(?:[Zz]|[+-](?:[01][0-9]|2[0-3]):[0-5][0-9])",
    "uri-template": _template(),
}
_BEYOND = r"[^\x00-\x7f]"
_IN_BRACKETS = Late(r"[^\[]*\[([^\]]*)\].*")
_host = Late(LABELS)
_late = {name: Late(pattern) for name, pattern in PATTERNS.items()}
# A JSON Pointer is empty or begins with a slash, and behind each ~ stands 0 or 1.
_POINTER = "(?:/[^~]*+(?:~[01][^~]*+)*+)?"
_late |= {
    "json-pointer": Late(_POINTER),
    "relative-json-pointer": Late(rf"(?:0|[1-9][0-9]*+)(?:[+-](?:0|[1-9][0-9]*+))?(?:#|{_POINTER})"),
    "uri-template": Late(_held_template()),
}
_late |= {
    name: Late(_reference(*letters, absolute=absolute, held=True)) for name, (*letters, absolute) in _REFERENCES.items()
}


def judge_of(name: str) -> Callable[[str], bool]:
    """The judge of a format that its pattern tells, with the address in a URI's brackets looked at besides."""

    def judge(text: str) -> bool:
        return _late[name].fullmatch(text) is not None

    def judge_with_host(text: str) -> bool:
        return _late[name].fullmatch(text) is not None and ("[" not in text or _is_bracketed(text))

    if name.endswith(("uri", "iri", "reference")):
        judge = judge_with_host

    judge.__name__ = f"is_{name.replace('-', '_')}"
    return judge


is_uri = judge_of("uri")


def is_hostname(text: str) -> bool:
    """A host name of RFC 1123: labels of letters, digits and hyphens, at most 63 each and 253 together.

    A label that begins with `xn--` must be one of another script in its ASCII form (RFC 5890, section 2.3.2.1).
    """
    if len(text) > 253 or _host.fullmatch(text) is None:
        return False
    if not labels_hold(text):
        return False
    return "xn--" not in text.lower() or all(map(_is_plain_label, text.split(".")))


def _is_plain_label(label: str) -> bool:
    from .idna import is_encoded_label  # seldom needed

    return not label.lower().startswith("xn--") or is_encoded_label(label)


def is_idn_hostname(text: str) -> bool:
    """A host name whose labels may be of any script (RFC 5890, IDNA 2008)."""
    from .idna import in_ascii

    if text.isascii() and "--" not in text:
        return is_hostname(text)
    labels = re.sub("[\u3002\uff0e\uff61]", ".", text).split(".")
    plain = []
    for label in labels:
        if not label.isascii():
            encoded = in_ascii(label)
        else:
            sound = is_hostname(label) and (label[2:4] != "--" or label[:4].lower() == "xn--")
            encoded = label if sound else ""
        if not encoded:
            return False
        plain.append(encoded)
    return len(".".join(plain)) <= 253


def is_idn_email(text: str) -> bool:
    """A mailbox whose parts may be of any script (RFC 6531, section 3.3): at most 64 octets stand before the sign."""
    local, _, domain = text.rpartition("@")
    if not encodable(text) or len(local.encode()) > 64:
        return False
    if not local.isascii() and re.search(r"\\[^\x00-\x7f]", local) is not None:
        return False
    if not is_email(f"{local if local.isascii() else re.sub(_BEYOND, 'x', local)}@host.example"):
        return False
    return is_email(f"x@{domain}") if domain[:1] == "[" else is_idn_hostname(domain)


def _is_bracketed(uri: str) -> bool:
    """Whether what stands in the brackets of a URI's host is an address (RFC 3986, section 3.2.2)."""
    found = _IN_BRACKETS.fullmatch(uri)
    return found is not None and (found[1][:1] in "vV" or is_ipv6(found[1]))


def is_ipv4(text: str) -> bool:
    """Four decimal numbers from 0 to 255, without leading zeros (RFC 2673, section 3.2)."""
    return ipv4_number(text) >= 0


def is_ipv6(text: str) -> bool:
    """An address of RFC 4291, section 2.2, without a zone."""
    return ipv6_number(text) >= 0


def is_date(text: str) -> bool:
    """A full-date of RFC 3339."""
    return not hasattr(day_from_json(text), "needs")


def is_date_time(text: str) -> bool:
    """A date-time of RFC 3339."""
    return not hasattr(moment_from_json(text), "needs")


def is_time(text: str) -> bool:
    """A full-time of RFC 3339; second 60 only where a leap second can be: at 23:59 UTC."""
    if _late["time"].fullmatch(text) is None:
        return False
    if text[6:8] != "60":
        return True
    offset = 0
    if text[-1] not in "zZ":
        offset = (int(text[-5:-3]) * 60 + int(text[-2:])) * (1 if text[-6] == "+" else -1)
    return (int(text[:2]) * 60 + int(text[3:5]) - offset) % 1440 == 1439


def is_regex(text: str) -> bool:
    """A regular expression of ECMA-262."""
    from ...regex.from_ecma import NoPattern, read_ecma  # seldom needed

    try:
        read_ecma(text, strict=True)
    except NoPattern:
        return False
    return True
