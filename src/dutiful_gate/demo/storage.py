"""Bookings in a database: SQLite by SQLAlchemy; needs the extra `demo`."""

from __future__ import annotations

from collections.abc import Sequence
from threading import Lock
from typing import Any, NamedTuple, Self

from sqlalchemy import (
    JSON,
    Column,
    Integer,
    MetaData,
    String,
    Table,
    create_engine,
    delete,
    func,
    insert,
    select,
    update,
)
from sqlalchemy.engine import Engine, Row
from sqlalchemy.pool import StaticPool

from .ferries import Booking, bookings

_METADATA = MetaData()
_BOOKINGS = Table(
    "bookings",
    _METADATA,
    Column("number", Integer, primary_key=True),
    Column("origin", String(3), nullable=False),
    Column("destination", String(3), nullable=False),
    Column("departs", String, nullable=False),
    Column("arrives", String, nullable=False),
    Column("contact", String, nullable=False),
    Column("crates", JSON, nullable=False),
    Column("priority", String, nullable=False),
)


class Stored(NamedTuple):
    """A booking and its number."""

    number: int
    booking: Booking


class Storage:
    """Bookings on file. Date-times are kept as the text that JSON has for them.

    Use it as a context: its connections are opened when they are needed first, and closed with it. What is in memory is
    gone then.
    """

    def __init__(self, url: str = "sqlite://") -> None:
        self._url = url
        self._opened: Engine | None = None
        self._lock = Lock()  # a server has several threads

    @property
    def _engine(self) -> Engine:
        with self._lock:
            if self._opened is None:
                pool: dict[str, Any] = {"poolclass": StaticPool, "connect_args": {"check_same_thread": False}}
                self._opened = create_engine(self._url, **(pool if self._url == "sqlite://" else {}))
                _METADATA.create_all(self._opened)
            return self._opened

    def close(self) -> None:
        """Close all connections."""
        with self._lock:
            if self._opened is not None:
                self._opened.dispose()
                self._opened = None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *raised: object) -> None:
        self.close()

    def add(self, booking: Booking) -> Stored:
        """Put a booking on file."""
        with self._engine.begin() as connection:
            made = connection.execute(insert(_BOOKINGS).values(**bookings.release(booking)))
            number = made.inserted_primary_key
        return Stored(int(number[0]), booking) if number is not None else Stored(0, booking)

    def find(self, number: int) -> Stored | None:
        """The booking of a number, None where there is none."""
        with self._engine.connect() as connection:
            row = connection.execute(select(_BOOKINGS).where(_BOOKINGS.c.number == number)).one_or_none()
        return None if row is None else _stored(row)

    def change(self, number: int, booking: Booking) -> None:
        """Put a changed booking in the place of the one of that number."""
        with self._engine.begin() as connection:
            values = bookings.release(booking)
            connection.execute(update(_BOOKINGS).where(_BOOKINGS.c.number == number).values(**values))

    def remove(self, number: int) -> bool:
        """Take a booking off file; whether there was one."""
        with self._engine.begin() as connection:
            return connection.execute(delete(_BOOKINGS).where(_BOOKINGS.c.number == number)).rowcount > 0

    def search(
        self, *, origin: str | None, destination: str | None, sort: Sequence[str], page: int, size: int
    ) -> tuple[list[Stored], int]:
        """One page of the bookings that fit, and how many fit; `sort` names columns, "-departs" the other way round."""
        found = select(_BOOKINGS)
        if origin is not None:
            found = found.where(_BOOKINGS.c.origin == origin)
        if destination is not None:
            found = found.where(_BOOKINGS.c.destination == destination)
        columns = [(_BOOKINGS.c[each.removeprefix("-")], each.startswith("-")) for each in sort]
        ordered = found.order_by(
            *[column.desc() if turned else column for column, turned in columns], _BOOKINGS.c.number
        )
        with self._engine.connect() as connection:
            count = connection.execute(select(func.count()).select_from(found.subquery())).scalar_one()
            rows = connection.execute(ordered.limit(size).offset((page - 1) * size)).all()
        return [_stored(row) for row in rows], count


def _stored(row: Row[Any]) -> Stored:
    held = dict(row._mapping)
    return Stored(held.pop("number"), bookings.admit(held))
