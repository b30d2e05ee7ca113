"""Rules that stand in the storage model: rows created, changed and shown. Run it: `python examples/rows.py`."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated

from sqlalchemy import CheckConstraint, ForeignKey, Numeric, String, create_engine
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column, relationship

from dutiful_gate import Gate, as_text, it, trimmed, uppered
from dutiful_gate.storage import agreement, record_of


class Base(DeclarativeBase):
    pass


class Port(Base):
    """A port of Tern Sound Ferries."""

    __tablename__ = "ports"
    id: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[Annotated[str, trimmed, uppered, it.matches("[A-Z]{3}")]] = mapped_column(String(3), unique=True)
    berths: Mapped[list[Berth]] = relationship(back_populates="port", order_by="Berth.id")


class Berth(Base):
    __tablename__ = "berths"
    id: Mapped[int] = mapped_column(primary_key=True)
    port_id: Mapped[int] = mapped_column(ForeignKey("ports.id"))
    number: Mapped[int]
    fee: Mapped[Annotated[Decimal, as_text]] = mapped_column(Numeric(8, 2), default=Decimal("12.50"))
    port: Mapped[Port] = relationship(back_populates="berths")
    __table_args__ = (CheckConstraint("number BETWEEN 1 AND 40"),)


create = Gate(record_of(Port, "create", nest="berths"))
change = Gate(record_of(Berth, "change"))
show = Gate(record_of(Port, "show", nest="berths"))


def main() -> None:
    """Create, change and show rows in SQLite."""
    for fault in create.examine({"code": "quill", "berths": [{"number": 41, "fee": "1.005"}]}).faults:
        print(f"refused: {fault.pointer} {fault.message}")
    engine = create_engine("sqlite://")
    Base.metadata.create_all(engine)
    with Session(engine) as session:
        port = create.admit({"code": " qlp ", "berths": [{"number": 3}, {"number": 4, "fee": "20.00"}]})
        session.add(port)
        session.commit()
        print("created:", port.code, [berth.number for berth in port.berths])
        for name, value in change.admit({"fee": "15.25"}).items():
            setattr(port.berths[0], name, value)
        session.commit()
        print("shown:", show.release_json(port).decode())
    engine.dispose()
    found = agreement(Gate(record_of(Berth, "create")), Berth, rows=50)
    print("the table holds what the gate admits:", bool(found), found.written)


if __name__ == "__main__":
    main()
