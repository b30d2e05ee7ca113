"""Formats judged a second time, by the grammars that their standards print, so that no proof rests on one judge.

`regex` is left to the engine that `make prove` asks; the two formats of IDNA 2008 are judged by the package `idna`,
where it is installed.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from random import Random

from .abnf import Grammar

RFC_3339 = """
date-fullyear   = 4DIGIT
date-month      = "0" %x31-39 / "1" %x30-32                     ; 2DIGIT, 01-12
date-mday       = "0" %x31-39 / %x31-32 DIGIT / "3" %x30-31      ; 2DIGIT, 01-28 to 01-31 based on month/year
time-hour       = %x30-31 DIGIT / "2" %x30-33                    ; 2DIGIT, 00-23
time-minute     = %x30-35 DIGIT                                  ; 2DIGIT, 00-59
time-second     = %x30-35 DIGIT / "60"                           ; 2DIGIT, 00-60 based on leap second rules
time-secfrac    = "." 1*DIGIT
time-numoffset  = ("+" / "-") time-hour ":" time-minute
time-offset     = "Z" / time-numoffset
partial-time    = time-hour ":" time-minute ":" time-second [time-secfrac]
full-date       = date-fullyear "-" date-month "-" date-mday
full-time       = partial-time time-offset
date-time       = full-date "T" full-time

dur-second        = 1*DIGIT "S"
dur-minute        = 1*DIGIT "M" [dur-second]
dur-hour          = 1*DIGIT "H" [dur-minute]
dur-time          = "T" (dur-hour / dur-minute / dur-second)
dur-day           = 1*DIGIT "D"
dur-week          = 1*DIGIT "W"
dur-month         = 1*DIGIT "M" [dur-day]
dur-year          = 1*DIGIT "Y" [dur-month]
dur-date          = (dur-day / dur-month / dur-year) [dur-time]
duration          = "P" (dur-date / dur-time / dur-week)
"""
RFC_3986 = """
URI           = scheme ":" hier-part [ "?" query ] [ "#" fragment ]
hier-part     = "//" authority path-abempty / path-absolute / path-rootless / path-empty
URI-reference = URI / relative-ref
relative-ref  = relative-part [ "?" query ] [ "#" fragment ]
relative-part = "//" authority path-abempty / path-absolute / path-noscheme / path-empty
scheme        = ALPHA *( ALPHA / DIGIT / "+" / "-" / "." )
authority     = [ userinfo "@" ] host [ ":" port ]
userinfo      = *( unreserved / pct-encoded / sub-delims / ":" )
host          = IP-literal / IPv4address / reg-name
port          = *DIGIT
IP-literal    = "[" ( IPv6address / IPvFuture  ) "]"
IPvFuture     = "v" 1*HEXDIG "." 1*( unreserved / sub-delims / ":" )
IPv6address   =                            6( h16 ":" ) ls32
              /                       "::" 5( h16 ":" ) ls32
              / [               h16 ] "::" 4( h16 ":" ) ls32
              / [ *1( h16 ":" ) h16 ] "::" 3( h16 ":" ) ls32
              / [ *2( h16 ":" ) h16 ] "::" 2( h16 ":" ) ls32
              / [ *3( h16 ":" ) h16 ] "::"    h16 ":"   ls32
              / [ *4( h16 ":" ) h16 ] "::"              ls32
              / [ *5( h16 ":" ) h16 ] "::"              h16
              / [ *6( h16 ":" ) h16 ] "::"
h16           = 1*4HEXDIG
ls32          = ( h16 ":" h16 ) / IPv4address
IPv4address   = dec-octet "." dec-octet "." dec-octet "." dec-octet
dec-octet     = DIGIT / %x31-39 DIGIT / "1" 2DIGIT / "2" %x30-34 DIGIT / "25" %x30-35
reg-name      = *( unreserved / pct-encoded / sub-delims )
path-abempty  = *( "/" segment )
path-absolute = "/" [ segment-nz *( "/" segment ) ]
path-noscheme = segment-nz-nc *( "/" segment )
path-rootless = segment-nz *( "/" segment )
path-empty    = ""
segment       = *pchar
segment-nz    = 1*pchar
segment-nz-nc = 1*( unreserved / pct-encoded / sub-delims / "@" )
pchar         = unreserved / pct-encoded / sub-delims / ":" / "@"
query         = *( pchar / "/" / "?" )
fragment      = *( pchar / "/" / "?" )
pct-encoded   = "%" HEXDIG HEXDIG
unreserved    = ALPHA / DIGIT / "-" / "." / "_" / "~"
sub-delims    = "!" / "$" / "&" / "'" / "(" / ")" / "*" / "+" / "," / ";" / "="
ucschar       = %xA0-D7FF / %xF900-FDCF / %xFDF0-FFEF
              / %x10000-1FFFD / %x20000-2FFFD / %x30000-3FFFD / %x40000-4FFFD / %x50000-5FFFD / %x60000-6FFFD
              / %x70000-7FFFD / %x80000-8FFFD / %x90000-9FFFD / %xA0000-AFFFD / %xB0000-BFFFD / %xC0000-CFFFD
              / %xD0000-DFFFD / %xE1000-EFFFD
iprivate      = %xE000-F8FF / %xF0000-FFFFD / %x100000-10FFFD
"""
# RFC 3987 takes over the rules of RFC 3986 with letters of every script; iprivate stands in queries alone.
RFC_3987 = (
    RFC_3986.replace('unreserved    = ALPHA / DIGIT', 'unreserved    = ucschar / ascii\nascii         = ALPHA / DIGIT')
    .replace('1*( unreserved / sub-delims / ":" )\nIPv6', '1*( ascii / sub-delims / ":" )\nIPv6')
    .replace('query         = *( pchar / "/"', 'query         = *( pchar / iprivate / "/"')
)  # fmt: skip
RFC_6570 = (
    RFC_3986
    + """
URI-Template  = *( literals / expression )
literals      =  %x21 / %x23-24 / %x26 / %x28-3B / %x3D / %x3F-5B
              /  %x5D / %x5F / %x61-7A / %x7E / ucschar / iprivate / pct-encoded
expression    =  "{" [ operator ] variable-list "}"
operator      =  op-level2 / op-level3 / op-reserve
op-level2     =  "+" / "#"
op-level3     =  "." / "/" / ";" / "?" / "&"
op-reserve    =  "=" / "," / "!" / "@" / "|"
variable-list =  varspec *( "," varspec )
varspec       =  varname [ modifier-level4 ]
varname       =  varchar *( ["."] varchar )
varchar       =  ALPHA / DIGIT / "_" / pct-encoded
modifier-level4 =  prefix / explode
prefix        =  ":" max-length
max-length    =  %x31-39 *3DIGIT
explode       =  "*"
"""
)
RFC_5321 = """
Mailbox        = Local-part "@" ( Domain / address-literal )
Domain         = sub-domain *("." sub-domain)
sub-domain     = Let-dig [Ldh-str]
Let-dig        = ALPHA / DIGIT
Ldh-str        = *( ALPHA / DIGIT / "-" ) Let-dig
address-literal  = "[" ( IPv4-address-literal / IPv6-address-literal ) "]"
IPv4-address-literal  = Snum 3("."  Snum)
IPv6-address-literal  = "IPv6:" IPv6-addr
Snum           = 1*2DIGIT / ( "0" / "1" ) 2DIGIT / "2" %x30-34 DIGIT / "25" %x30-35  ; 1*3DIGIT from 0 to 255
IPv6-addr      = IPv6-full / IPv6-comp / IPv6v4-full / IPv6v4-comp
IPv6-hex       = 1*4HEXDIG
IPv6-full      = IPv6-hex 7(":" IPv6-hex)
IPv6-comp      = [IPv6-hex *5(":" IPv6-hex)] "::" [IPv6-hex *5(":" IPv6-hex)]
IPv6v4-full    = IPv6-hex 5(":" IPv6-hex) ":" IPv4-address-literal
IPv6v4-comp    = [IPv6-hex *3(":" IPv6-hex)] "::" [IPv6-hex *3(":" IPv6-hex) ":"] IPv4-address-literal
Local-part     = Dot-string / Quoted-string
Dot-string     = Atom *("."  Atom)
Atom           = 1*atext
Quoted-string  = %x22 *QcontentSMTP %x22
QcontentSMTP   = qtextSMTP / quoted-pairSMTP
quoted-pairSMTP  = %x5C %x20-7E
qtextSMTP      = %x20-21 / %x23-5B / %x5D-7E
atext          = ALPHA / DIGIT / "!" / "#" / "$" / "%" / "&" / "'" / "*" / "+" / "-" / "/" / "=" / "?" / "^" / "_" / "`"
               / "{" / "|" / "}" / "~"
"""
RFC_6901 = """
json-pointer    = *( "/" reference-token )
reference-token = *( unescaped / escaped )
unescaped       = %x00-2E / %x30-7D / %x7F-10FFFF
escaped         = "~" ( "0" / "1" )
relative-json-pointer = non-negative-integer [index-manipulation] ( "#" / json-pointer )
index-manipulation    = ("+" / "-") non-negative-integer
non-negative-integer  = "0" / %x31-39 *DIGIT
"""
RFC_9562 = """
UUID = 4hexOctet "-" 2hexOctet "-" 2hexOctet "-" 2hexOctet "-" 6hexOctet
hexOctet = HEXDIG HEXDIG
"""
RFC_1123 = """
hname = label *("." label)
label = let-dig [ *61( let-dig / "-" ) let-dig ]
let-dig = ALPHA / DIGIT
"""
RULES: dict[str, tuple[str, str]] = {
    "date": (RFC_3339, "full-date"),
    "time": (RFC_3339, "full-time"),
    "date-time": (RFC_3339, "date-time"),
    "duration": (RFC_3339, "duration"),
    "uri": (RFC_3986, "URI"),
    "uri-reference": (RFC_3986, "URI-reference"),
    "iri": (RFC_3987, "URI"),
    "iri-reference": (RFC_3987, "URI-reference"),
    "uri-template": (RFC_6570, "URI-Template"),
    "ipv4": (RFC_3986, "IPv4address"),
    "ipv6": (RFC_3986, "IPv6address"),
    "email": (RFC_5321, "Mailbox"),
    "json-pointer": (RFC_6901, "json-pointer"),
    "relative-json-pointer": (RFC_6901, "relative-json-pointer"),
    "uuid": (RFC_9562, "UUID"),
    "hostname": (RFC_1123, "hname"),
}


def drawn(name: str, random: Random) -> str:
    """A text that the grammar of a format takes. Numbers in it, and lengths, may still be too large."""
    text, rule = RULES[name]
    return _grammar(text).drawn(rule, random)


@cache
def _grammar(text: str) -> Grammar:
    return Grammar(text)


def second_opinions() -> dict[str, Callable[[str], bool]]:
    """The judges by the names of their formats; those that are not judged a second time are left out."""
    return {**{name: _judge(name) for name in RULES}, **_international()}


@cache
def _judge(name: str) -> Callable[[str], bool]:
    text, rule = RULES[name]
    fits = _grammar(text).pattern(rule).fullmatch
    more = _BESIDES.get(name)
    if more is None:
        return lambda text: fits(text) is not None
    return lambda text: fits(text) is not None and more(text)


def _is_day(text: str) -> bool:
    year, month, day = int(text[:4]), int(text[5:7]), int(text[8:10])
    leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
    days = (31, 29 if leap else 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
    # The standard has a year 0, Python's calendar has none: there documents and gates are one in refusing it.
    return year > 0 and 1 <= month <= 12 and 1 <= day <= days[month - 1]


def _is_time(text: str) -> bool:
    hour, minute, second = int(text[:2]), int(text[3:5]), int(text[6:8])
    away = (0, 0) if text[-1] in "zZ" else (int(text[-5:-3]), int(text[-2:]))
    if hour > 23 or minute > 59 or away[0] > 23 or away[1] > 59 or second > 60:
        return False
    if second < 60:
        return True
    behind = (away[0] * 60 + away[1]) * (-1 if text[-6] == "-" and text[-1] not in "zZ" else 1)
    return (hour * 60 + minute - behind) % 1440 == 1439


def _is_leap_of_no_day(text: str) -> bool:
    """Leap seconds at the ends of Python's calendar, which lacks the day they belong to."""
    return text[17:19] == "60" and (text[:16].upper() == "9999-12-31T23:59" or text[:10] == "0001-01-01")


def _is_short_mailbox(text: str) -> bool:
    """RFC 5321, section 4.5.3.1: 64 octets before the sign, a path of 256 with its brackets; labels as in RFC 1035."""
    local, _, domain = text.rpartition("@")
    if len(local) > 64 or len(text) > 254:
        return False
    if domain[0] != "[":
        return max(map(len, domain.split("."))) <= 63
    # Section 4.1.3, in prose: beside `::` at most 6 groups, 4 where an IPv4 address follows.
    groups = [each for each in domain[6:-1].split(":") if each and "." not in each]
    return "::" not in domain or len(groups) <= (4 if "." in domain else 6)


def _has_good_labels(text: str) -> bool:
    """RFC 1035, section 2.3.4, and RFC 5890, section 2.3.2.1, as far as `idna` is installed."""
    if len(text) > 253:
        return False
    labels = [label for label in text.lower().split(".") if label.startswith("xn--")]
    return not labels or all(map(_encodes, labels))


def _encodes(label: str) -> bool:
    try:
        import idna
    except ImportError:
        from ..declare.formats.idna import is_encoded_label

        return is_encoded_label(label)
    try:
        return idna.alabel(idna.ulabel(label)) == label.encode("ascii")
    except (idna.IDNAError, UnicodeError):
        return False


_BESIDES: dict[str, Callable[[str], bool]] = {
    "date": _is_day,
    "time": _is_time,
    "date-time": lambda text: _is_day(text) and _is_time(text[11:]) and not _is_leap_of_no_day(text),
    "email": _is_short_mailbox,
    "hostname": _has_good_labels,
}


def _international() -> dict[str, Callable[[str], bool]]:
    """The formats of every script, as the package `idna` sees them."""
    try:
        import idna
    except ImportError:
        return {}

    def is_host(text: str) -> bool:
        try:
            plain = idna.encode(text).decode("ascii")
            labels = [idna.alabel(idna.ulabel(label)) for label in plain.split(".")]
        except (idna.IDNAError, UnicodeError):
            return False
        return ".".join(label.decode("ascii") for label in labels) == plain.lower() and _judge("hostname")(plain)

    def is_mailbox(text: str) -> bool:
        local, _, domain = text.rpartition("@")
        if _INTERNATIONAL_LOCAL.pattern("Local-part").fullmatch(local) is None or len(local.encode()) > 64:
            return False
        return _judge("email")(f"x@{domain}") if domain[:1] == "[" else is_host(domain)

    return {"idn-hostname": is_host, "idn-email": is_mailbox}


# RFC 6531, section 3.3.
_INTERNATIONAL_LOCAL = Grammar(
    RFC_5321 + "atext =/ UTF8-non-ascii\nqtextSMTP =/ UTF8-non-ascii\nUTF8-non-ascii = %x80-D7FF / %xE000-10FFFF\n"
)
