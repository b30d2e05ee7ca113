"""Where the lines of manifests are kept: a table that does not hold all that the gate of a line admits.

dutiful prove dutiful_gate.demo.manifest:Line --stores dutiful_gate.demo.rows:LineRow --postgresql
"""

from __future__ import annotations

from datetime import date

from sqlalchemy import CheckConstraint, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """The tables of the freight office."""


class LineRow(Base):
    """A line of a manifest."""

    __tablename__ = "lines"
    __table_args__ = (CheckConstraint("deck BETWEEN 1 AND 3"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    booking: Mapped[str] = mapped_column(String(10), unique=True)
    port: Mapped[str] = mapped_column(String(3))
    deck: Mapped[int]
    weight_kg: Mapped[float]
    length_m: Mapped[float]
    loaded_on: Mapped[date]
    contents: Mapped[str] = mapped_column(String(40))
    seal: Mapped[str] = mapped_column(String(12))
