"""URI references resolved against a base, by RFC 3986, section 5; for any scheme, `urn:` too."""

from __future__ import annotations

import re

_PARTS = re.compile(r"(?:([A-Za-z][A-Za-z0-9+.-]*):)?(?://([^/?#]*))?([^?#]*)(?:\?([^#]*))?(?:#(.*))?", re.DOTALL)


def resolved(base: str, reference: str) -> str:
    """`reference` as seen from `base`; a base without a scheme is a path among others."""
    own = _PARTS.fullmatch(reference)
    under = _PARTS.fullmatch(base)
    assert own is not None  # the expression takes any text
    assert under is not None
    scheme, authority, path, query, fragment = own.groups()
    if scheme is not None:
        return _whole(scheme, authority, _without_dots(path), query, fragment)
    scheme = under[1]
    if authority is not None:
        return _whole(scheme, authority, _without_dots(path), query, fragment)
    authority = under[2]
    if not path:
        return _whole(scheme, authority, under[3], under[4] if query is None else query, fragment)
    if not path.startswith("/"):
        start = "/" if authority is not None and not under[3] else under[3][: under[3].rfind("/") + 1]
        path = start + path
    return _whole(scheme, authority, _without_dots(path), query, fragment)


def split(uri: str) -> tuple[str, str]:
    """The part before the fragment, and the fragment."""
    before, _, fragment = uri.partition("#")
    return before, fragment


def _whole(scheme: str | None, authority: str | None, path: str, query: str | None, fragment: str | None) -> str:
    text = f"{scheme}:" if scheme is not None else ""
    if authority is not None:
        text += f"//{authority}"
    text += path
    if query is not None:
        text += f"?{query}"
    return text if fragment is None else f"{text}#{fragment}"


def _without_dots(path: str) -> str:
    """Section 5.2.4."""
    if "." not in path:
        return path
    steps: list[str] = []
    parts = path.split("/")
    for at, part in enumerate(parts):
        last = at == len(parts) - 1
        if part == "..":
            if steps and steps != [""]:
                steps.pop()
            if last:
                steps.append("")
        elif part == ".":
            if last:
                steps.append("")
        else:
            steps.append(part)
    return "/".join(steps)
