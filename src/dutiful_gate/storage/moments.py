"""Moments in databases that keep no offset."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import DateTime, Dialect
from sqlalchemy.types import TypeDecorator


class Moment(TypeDecorator[datetime]):
    """A column of moments that come back as the same moments from every database, in UTC: `mapped_column(Moment())`.

    SQLite and others keep no offset, also in columns of `DateTime(timezone=True)`, so that 09:00+02:00 comes back as
    09:00. This writes all moments in UTC, so that they sort and compare as moments there too, and reads them as UTC.
    Writing one without an offset raises ValueError (which SQLAlchemy raises as StatementError). A column that has been
    written otherwise before is to be converted first: what stands in it is taken for UTC.
    """

    impl = DateTime(timezone=True)
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """What is written: the moment in UTC."""
        if value is None:
            return None
        if value.utcoffset() is None:
            raise ValueError(f"a moment needs an offset, and {value.isoformat()} has none")
        return value.astimezone(UTC)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """What is read: the moment in UTC."""
        if value is None:
            return None
        return value.replace(tzinfo=UTC) if value.utcoffset() is None else value.astimezone(UTC)
