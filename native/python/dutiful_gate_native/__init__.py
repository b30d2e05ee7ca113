"""The native core of dutiful_gate. It is used through that package, which finds it where it is installed."""

from . import _core as core
from ._core import Plan

__version__ = "0.1.0"
__all__ = ["Plan", "__version__", "core"]
