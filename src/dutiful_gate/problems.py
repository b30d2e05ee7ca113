"""Problem details (RFC 9457): what `verdict.problem()` makes is sent under this media type."""

from .report.problem import CONTENT_TYPE

__all__ = ["CONTENT_TYPE"]
