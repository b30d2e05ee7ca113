"""Python of one line laid out over several, where it is too long."""

from __future__ import annotations

import ast
import re
import textwrap
from collections.abc import Iterator
from typing import Final

from .literals import literal, raw_literal
from .module_check import Unwritable, parsed

WIDTH: Final = 120
_LEAST = 40
_CLOSES = {"(": ")", "[": "]", "{": "}"}
TEXTS: Final = re.compile(r"""[rR]?("(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*')""", re.DOTALL)
_ENDING = re.compile(r'(.*?)("*)', re.DOTALL)
_PLAIN = re.compile(r"""[^\[\](){},"'|]+""")


class _Group:
    """What stands in brackets: its elements, each a list of pieces."""

    __slots__ = ("elements", "flat", "opening")

    def __init__(self, opening: str) -> None:
        self.opening = opening
        self.elements: list[list[_Piece]] = [[]]
        self.flat = ""


_Piece = str | _Group


def laid_out(code: str, indent: str = "") -> str:
    """A statement on one line as lines of at most 120 signs, as far as its words are not longer themselves.

    `code` is a statement of names, numbers, texts, brackets, commas and signs between them, as this package writes.
    """
    if len(indent) + len(code) <= WIDTH:
        return indent + code
    made = indent + "\n".join(_laid(_parsed(code), indent, len(indent), bare=True))
    if _meaning(made) != _meaning(code):
        raise Unwritable("a statement on several lines would not be the one that was on one")
    return made


def _meaning(code: str) -> str:
    """What Python reads in a statement or a decorator, however its lines are broken."""
    return ast.dump(parsed(textwrap.dedent(code).removeprefix("@")))


def docstring(text: str, indent: str) -> str:
    """Text as a docstring, its long lines wrapped: cut first, each line escaped then, and read back."""
    if not all(letter.isprintable() or letter == "\n" for letter in text):
        return laid_out(repr(text), indent)
    room = WIDTH - len(indent) - 4
    wrapped = [each for line in text.split("\n") for each in _wrapped(line, room)]
    words, quotes = _ENDING.fullmatch(wrapped.pop()).groups()  # type: ignore[union-attr]
    lines = [*map(_escaped, wrapped), _escaped(words) + quotes.replace('"', '\\"')]
    made = f'"""{lines[0]}"""'
    if len(lines) > 1 or len(indent) + len(made) > WIDTH:
        made = "\n".join([f'"""{lines[0]}', *(f"{indent}{line}" if line else "" for line in lines[1:]), f'{indent}"""'])
    if ast.literal_eval(parsed(made, "eval")).split() != text.split():
        raise Unwritable("a docstring would not say what it was made of")
    return indent + made


def _wrapped(line: str, room: int) -> list[str]:
    """A line in pieces of which none is longer than `room` once it is escaped, as far as its words are not."""
    if len(_escaped(line)) <= room:
        return [line.rstrip()]
    least = room * len(line) // max(len(line), len(_escaped(line)))
    return textwrap.wrap(line, max(_LEAST, least), break_on_hyphens=False, break_long_words=False) or [""]


def _escaped(line: str) -> str:
    """A line of a docstring: nothing in it ends the text."""
    return line.replace("\\", "\\\\").replace('"""', '\\"\\"\\"')


def commented(text: str, indent: str) -> list[str]:
    """Text as comments, its long lines wrapped, without signs that cannot be seen."""
    seen = "".join(letter if letter.isprintable() else " " for letter in text)
    wrapped = textwrap.wrap(seen, WIDTH - len(indent) - 2, break_on_hyphens=False)
    return [f"{indent}# {line}" for line in wrapped]


def _parsed(code: str) -> list[_Piece]:
    """The pieces of a line."""
    stack: list[_Group] = [_Group("")]
    starts: list[int] = []
    at = 0
    while at < len(code):
        letter = code[at]
        held = stack[-1].elements[-1]
        if letter in _CLOSES:
            group = _Group(letter)
            held.append(group)
            stack.append(group)
            starts.append(at)
            at += 1
        elif letter in ")]}":
            group = stack.pop()
            at += 1
            group.flat = code[starts.pop() : at]
            if not group.elements[-1]:
                group.elements.pop()
        elif letter == "," and len(stack) > 1:
            stack[-1].elements.append([])
            at += 1 + (code[at + 1 : at + 2] == " ")
        elif string := TEXTS.match(code, at):
            held.append(string[0])
            at = string.end()
        elif letter in ",|":
            held.append(letter)
            at += 1
        else:
            plain = _PLAIN.match(code, at)
            assert plain is not None  # every other sign begins one
            text, at = plain[0], plain.end()
            if text[-1:] in "rR" and TEXTS.match(code, at - 1) and not text[-2:-1].isalnum():
                text, at = text[:-1], at - 1  # the sign before a raw text
            if text:
                held.append(text)
    return stack[0].elements[0]


def _flat(pieces: list[_Piece]) -> str:
    return "".join(piece if isinstance(piece, str) else piece.flat for piece in pieces)


def _laid(pieces: list[_Piece], indent: str, column: int, *, bare: bool = False, after: int = 0) -> list[str]:
    """Lines for pieces: the first goes on at `column`, the others begin with `indent`; `after` signs follow the last.

    `bare` tells that no bracket stands around, so that only brackets may break the line.
    """
    flat = _flat(pieces)
    if column + len(flat) + after <= WIDTH:
        return [flat]
    inner = indent + "    "
    if any(piece == "|" for piece in pieces):
        if not bare:
            return _alternatives(pieces, indent, after)
        lead, options, tail = _apart(pieces)
        told = _alternatives(options, inner, 0)
        ending = _laid([")", *tail], indent, len(indent), bare=True)
        return [f"{lead}(", inner + told[0], *told[1:], indent + ending[0], *ending[1:]]
    groups = [at for at, piece in enumerate(pieces) if isinstance(piece, _Group) and piece.elements]
    if not groups:
        return _texts(pieces, indent, column, bare=bare, after=after)
    # The bracket that holds most is opened; what stands before and after it stays on its line.
    fitting = [at for at in groups if column + len(_flat(pieces[:at])) < WIDTH] or groups[:1]
    at = max(fitting, key=lambda each: len(pieces[each].flat))  # type: ignore[union-attr]
    group = pieces[at]
    assert isinstance(group, _Group)
    before = _flat(pieces[:at])
    lines = [f"{before}{group.opening}"]
    named = before[-1:].isalnum() or before.endswith((")", "]", "_"))
    several = len(group.elements) > 1 or (group.opening == "(") == named
    for element in group.elements:
        told = _laid(element, inner, len(inner), after=1)
        lines += [inner + told[0], *told[1:]]
        if several:
            lines[-1] += ","
    closing = indent + _CLOSES[group.opening]
    rest = pieces[at + 1 :]
    told = _laid(rest, indent, len(closing), bare=bare, after=after) if rest else [""]
    return [*lines, closing + told[0], *told[1:]]


def _apart(pieces: list[_Piece]) -> tuple[str, list[_Piece], list[_Piece]]:
    """What stands before the type in `name: type = default` or `Name = type`, the type, and the default."""
    lead, rest, first = "", list(pieces), pieces[0]
    if isinstance(first, str) and (found := re.match(r"[A-Za-z_]\w*(?:: | = )", first)):
        lead, rest[0] = found[0], first[found.end() :]
    for at, piece in enumerate(rest):
        if lead.endswith(": ") and isinstance(piece, str) and " = " in piece and not TEXTS.fullmatch(piece):
            before, _, after = piece.partition(" = ")
            return lead, [*rest[:at], before], [f" = {after}", *rest[at + 1 :]]
    return lead, rest, []


def _alternatives(pieces: list[_Piece], indent: str, after: int) -> list[str]:
    """Options of a union, one a line."""
    options: list[list[_Piece]] = [[]]
    for piece in pieces:
        if piece == "|":
            options.append([])
        else:
            options[-1].append(piece)
    lines: list[str] = []
    for number, option in enumerate(options):
        trimmed = _trimmed(option)
        sign = "| " if number else ""
        told = _laid(trimmed, indent, len(indent) + len(sign), after=after)
        lines += [(indent if number else "") + sign + told[0], *told[1:]]
    return lines


def _trimmed(pieces: list[_Piece]) -> list[_Piece]:
    held = [piece for piece in pieces if piece != " "]
    if held and isinstance(held[0], str):
        held[0] = held[0].lstrip()
    if held and isinstance(held[-1], str) and not TEXTS.fullmatch(held[-1]):
        held[-1] = held[-1].rstrip()
    return [piece for piece in held if piece != ""]


def _texts(pieces: list[_Piece], indent: str, column: int, *, bare: bool, after: int) -> list[str]:
    """Lines for pieces without brackets: a long text is written as several, one after the other."""
    for at, piece in enumerate(pieces):
        if isinstance(piece, str) and len(piece) > _LEAST and (found := TEXTS.fullmatch(piece)):
            before, rest = _flat(pieces[:at]), _flat(pieces[at + 1 :])
            inner = indent + "    "
            write = raw_literal if found[0][0] in "rR" else literal
            parts = list(_parts(ast.literal_eval(piece), max(_LEAST, WIDTH - len(inner) - 12 - after - len(rest))))
            told = [inner + write(part) for part in parts]
            if before.endswith(": ") and not bare:  # the value of a key
                return [f"{before}(", *told, f"{indent}){rest}"]
            if not before and not bare:
                return [
                    told[0].strip(),
                    *(indent + line.strip() for line in told[1:-1]),
                    indent + told[-1].strip() + rest,
                ]
            return [f"{before}(", *told, f"{indent}){rest}"]
    return [_flat(pieces)]


def _parts(text: str, room: int) -> Iterator[str]:
    """A text in pieces of at most `room` signs as Python writes them, cut behind blanks where there are some."""
    held = ""
    for word in re.findall(r"\S*\s?", text):
        for start in range(0, len(word) or 1, room):
            piece = word[start : start + room]
            if held and len(literal(held + piece)) > room:
                yield held
                held = ""
            held += piece
    if held:
        yield held
