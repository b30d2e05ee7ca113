"""Forms of several parts (RFC 7578), read as they come: fields in memory, files in temporary ones."""

from __future__ import annotations

import re
from collections.abc import Mapping
from tempfile import SpooledTemporaryFile
from typing import Any, Final
from urllib.parse import unquote_to_bytes

from ..declare.errors import DeclarationError
from ..declare.uploads import UploadedFile
from .head import MOST_NAMES, header_text
from .refusals import RequestProblem

_IN_MEMORY: Final = 1 << 20
"""So many bytes of a file are kept in memory; more go to the disk."""


def check_reader() -> None:
    """Raise DeclarationError where the package that reads such forms is not installed."""
    try:
        import python_multipart  # noqa: F401
    except ImportError:
        raise DeclarationError(
            "files are read by the package python-multipart, which is not installed",
            remedy="pip install 'dutiful-gate[files]'",
        ) from None


class Multipart:
    """Takes such a form piece by piece; `pairs` are its fields, `files` its files, each in the order they came."""

    def __init__(self, words: Mapping[str, str]) -> None:
        """`words` are the parameters of its media type. Raises RequestProblem(400) without a boundary."""
        from python_multipart.multipart import MultipartParser

        boundary = words.get("boundary", "")
        if not boundary or len(boundary) > 70:
            raise _broken()
        self.pairs: list[tuple[str, str]] = []
        self.files: list[tuple[str, UploadedFile]] = []
        self._ended = False
        self._begin()
        self._parser = MultipartParser(
            boundary.encode("latin-1", "replace"),
            {
                "on_part_begin": self._begin,
                "on_header_field": self._name_piece,
                "on_header_value": self._value_piece,
                "on_header_end": self._header,
                "on_headers_finished": self._headers,
                "on_part_data": self._data,
                "on_part_end": self._end,
                "on_end": self._finish,
            },
        )

    def take(self, piece: bytes) -> None:
        """One piece. Raises RequestProblem(400) for what is no such form."""
        from python_multipart.exceptions import FormParserError

        try:
            self._parser.write(piece)
        except (FormParserError, UnicodeDecodeError):
            raise _broken() from None

    def finish(self) -> None:
        """All of it is here. Raises RequestProblem(400) where it ends too early."""
        if not self._ended:
            raise _broken()

    def close(self) -> None:
        """Let go of all files."""
        for _, file in self.files:
            file.close()
        if self._held is not None:
            self._held.close()

    # What the parser calls

    def _begin(self) -> None:
        self._field, self._value = b"", b""
        self._told: dict[str, str] = {}
        self._name: str | None = None
        self._file_name: str | None = None
        self._text = bytearray()
        self._held: Any = None
        self._size = 0

    def _name_piece(self, data: bytes, start: int, end: int) -> None:
        self._field += data[start:end]

    def _value_piece(self, data: bytes, start: int, end: int) -> None:
        self._value += data[start:end]

    def _header(self) -> None:
        self._told[header_text(self._field).lower()] = header_text(self._value)
        self._field, self._value = b"", b""

    def _headers(self) -> None:
        from python_multipart.multipart import parse_options_header

        kind, words = parse_options_header(self._told.get("content-disposition", ""))
        if kind != b"form-data" or b"name" not in words:
            raise _broken()
        if len(self.pairs) + len(self.files) >= MOST_NAMES:
            slots = {"most": f"{MOST_NAMES:,}"}
            raise RequestProblem(413, "A form has at most {most} parts.", slots=slots)
        self._name = header_text(words[b"name"])
        extended = _EXTENDED.search(_QUOTED.sub('""', self._told["content-disposition"]))
        if b"filename" in words or extended is not None:
            named = words.get(b"filename")
            self._file_name = header_text(named) if named is not None else _file_name(extended[1])  # type: ignore[index]
            self._held = SpooledTemporaryFile(max_size=_IN_MEMORY)  # noqa: SIM115 - it goes with its UploadedFile

    def _data(self, data: bytes, start: int, end: int) -> None:
        if self._held is not None:
            self._held.write(data[start:end])
            self._size += end - start
        else:
            self._text += data[start:end]

    def _end(self) -> None:
        assert self._name is not None
        if self._held is None:
            self.pairs.append((self._name, self._text.decode()))
        elif self._file_name or self._size:  # an empty input of a form is no file
            name = _plain_name(self._file_name or "")
            kind = self._told.get("content-type", "").partition(";")[0].strip().lower()
            self.files.append((self._name, UploadedFile(name, kind, self._size, self._held)))
            self._held = None
        else:
            self._held.close()
            self._held = None

    def _finish(self) -> None:
        self._ended = True


_QUOTED: Final = re.compile(r'"(?:[^"\\]|\\.)*"')
_EXTENDED: Final = re.compile(r";\s*filename\*\s*=\s*([^;\s]+)", re.IGNORECASE)


def _file_name(text: str) -> str:
    """The name of a file in the form of RFC 8187; "" where it cannot be read. Some send no other."""
    charset, _, rest = text.partition("'")
    try:
        raw = unquote_to_bytes(rest.partition("'")[2])
        return raw.decode("latin-1" if charset.lower() == "iso-8859-1" else "utf-8")
    except UnicodeDecodeError:
        return ""


def _plain_name(name: str) -> str:
    """A file's name without folders, and without signs that no name should have."""
    last = name.replace("\\", "/").rpartition("/")[2]
    return "" if last in (".", "..") else "".join(sign if sign.isprintable() else "\ufffd" for sign in last)[:255]


def _broken() -> RequestProblem:
    return RequestProblem(400, "The body is no form of several parts.")
