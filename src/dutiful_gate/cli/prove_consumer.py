"""What `dutiful prove --against` does: a service held against its consumer."""

from __future__ import annotations

import json
from contextlib import ExitStack

import click
from rich.text import Text

from ..declare.errors import DeclarationError
from ..report.shown_values import counted, visible
from ..versions.consumers import ConsumerAgreement, agreement_of
from ..versions.in_child import CannotLoad
from .compare import STATUS, side_for
from .console import console
from .target import CannotRun


def prove_consumer(target: str, consumer: str, *, samples: int, seed: int, form: str) -> int:
    """Print what a consumer refuses of what a service releases; 0 nothing, proved; 1 something; 3 it cannot be told."""
    with ExitStack() as stack:
        try:
            sides = [side_for(each, stack, None, None) for each in (target, consumer)]
            found = agreement_of(*sides, samples=samples, seed=seed)
        except CannotLoad as error:
            raise CannotRun(visible(str(error))) from None
        except DeclarationError as error:
            raise CannotRun(str(error)) from None
    if form == "json":
        click.echo(json.dumps({"target": target, "against": consumer, **found.as_dict()}, indent=2))
    else:
        _print(target, consumer, found)
    return STATUS[found.answer]


def _print(target: str, consumer: str, found: ConsumerAgreement) -> None:
    out = console()
    out.print(f"what {target} releases, against what {consumer} admits", style="heading", markup=False)
    out.print(f"  {counted(found.sampled, 'value')} released and read", style="quiet")
    for each in found.found:
        out.print()
        out.print(Text.assemble("  ", (visible(each.pointer) or "(the whole)", "pointer"), "  ", visible(each.words)))
        if each.refused is not None:
            shown = visible(json.dumps(each.refused.instance, ensure_ascii=False, default=str))
            out.print(Text.assemble("      ", ("released, and refused", "quiet"), f" {shown[:400]}"))
    out.print()
    if found.answer == "broken":
        out.print(f"  {counted(len(found.found), 'place')} where the consumer refuses what comes", style="refused")
    elif found.answer == "unharmed":
        out.print("  all that is released is admitted: proved", style="admitted")
    else:
        out.print("  it could not be told:", style="heading")
        for why in found.reasons:
            out.print(f"    {visible(why)}", markup=False)
