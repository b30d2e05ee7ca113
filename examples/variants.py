"""One declaration, everywhere: a query string, an update, another language. Run it: `python examples/variants.py`."""

from dataclasses import dataclass
from datetime import date
from typing import Annotated, Any
from urllib.parse import parse_qs

from dutiful_gate import (
    Amendment,
    Gate,
    Source,
    camel,
    it,
    needs,
    obeys,
    otherwise,
    secret,
    speaking,
    trimmed,
    without,
)
from dutiful_gate.catalogues import GERMAN


@dataclass(slots=True)
@obeys(needs("un_number", given="hazard"))
class Consignment:
    """Freight that an office may change until it is loaded."""

    reference: Annotated[str, trimmed, it.matches(r"TS-[0-9]{4}")]
    weight_kg: Annotated[float, it > 0]
    hazard: str | None = None
    un_number: Annotated[int, it.between(4, 3600)] | None = None
    pin: Annotated[str, secret, it.length == 4] = "0000"


@dataclass(slots=True)
class Search:
    """What the office's list is asked for."""

    port: str
    since: date | None = None
    page: Annotated[int, it >= 1, otherwise(1)] = 1


searches = Gate(Search, Source.TEXT)
changes: Gate[dict[str, Any]] = Gate(Annotated[Amendment[Consignment], without("reference", "pin")], keys=camel)
consignments = Gate(Consignment, keys=camel)


def main() -> None:
    verdict = searches.examine(parse_qs("port=QLP&since=2026-05-04&page=zero"))
    print(f"searching {verdict.value}")
    for fault in verdict.fallbacks:
        print(f"  stood in for: {fault}")

    print(f"changing {changes.admit({'weightKg': 12.5, 'hazard': None})}")
    print(f"  {changes.examine({'hazard': 'gas', 'unNumber': None}).faults[0]}")
    print(f"  {changes.examine({}).faults[0]}")

    refused = consignments.examine({"reference": "4711", "weightKg": -1, "pin": "not four digits"})
    with speaking(GERMAN):
        for fault in refused.faults:
            print(f"  {fault}")


if __name__ == "__main__":
    main()
