"""`UploadedFile`: a file that a form sent. Nothing else can be one."""

from __future__ import annotations

from functools import cached_property
from typing import ClassVar, Final

from ..facts import Bind, Facts, LengthUnit, Stop
from ..sources import Reading
from ..uploads import UploadedFile
from .base import Reader
from .never import NotInData

_NO_FILE: Final = Stop("kind", "a file")


def read_upload(value: object) -> object:
    """A file as it is, or why it is none."""
    return value if isinstance(value, UploadedFile) else _NO_FILE


class Upload(NotInData):
    """A file of a form, with its size in bytes."""

    may_not_go_out: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("a file", "file", measured=LengthUnit.BYTES)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return f"{value}.__class__ is {bind(UploadedFile, 'UploadedFile')}" if reading is Reading.TYPED else "False"

    def reader(self, reading: Reading) -> Reader:
        return read_upload if reading is Reading.TYPED else _refused

    def plain(self, value: object) -> object:
        return None

    def goes_out(self, value: object) -> bool:
        return False


def _refused(value: object) -> object:
    return _NO_FILE
