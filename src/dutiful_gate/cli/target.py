"""`module:Name` or `path/to/module.py:Name` on the command line: the gate it stands for."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any, Literal

import click

from ..declare.errors import DeclarationError, did_you_mean
from ..document.judging.library import MissingDocuments
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..report.shown_values import on_terminal
from ..safe_files.python_files import imported, module_of, split_target
from .console import console

Unknown = Literal["drop", "refuse"]


class CannotRun(click.ClickException):
    """The command cannot do its work: a message with what to do next, exit status 2."""

    exit_code = 2

    def format_message(self) -> str:
        """The message, whatever names are in it."""
        return on_terminal(self.message)


documents_option = click.option(
    "--documents",
    type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="The folder that a document's references lead into.",
)
"""The same for every command that takes a document."""

Flaws = Literal["refuse", "tell"]


def gate_for(
    target: str, unknown: Unknown | None = None, documents: Path | None = None, flaws: Flaws = "refuse"
) -> Gate[Any] | DocumentGate:
    """The gate of `module:Name` or `module.py:Name`, a Gate itself or a type to build one for; or of a document's path.

    The working folder is searched first. `documents` is the folder that a document's references lead into, `flaws`
    whether it may have parts that cannot be used. Raises CannotRun, saying what to do, when there is no such thing.
    """
    if target.endswith(".json"):
        return _of_document(Path(target), documents, flaws)
    found = named(target)
    if isinstance(found, DocumentGate):
        return found
    if isinstance(found, Gate):
        return found if unknown is None else Gate(found.declared, found.reads, unknown=unknown, limits=found.limits)
    try:
        return Gate(found, unknown=unknown or "drop")
    except DeclarationError as error:
        raise CannotRun(f"{target} cannot become a gate.\n  {error}") from None


def typed_gate_for(target: str, unknown: Unknown | None = None) -> Gate[Any]:
    """The same for what needs a declaration: no document. Raises CannotRun."""
    if target.endswith(".json"):
        raise CannotRun(
            f"{target!r} is a document, and a declaration is needed here; dutiful declare {target} writes one"
        )
    gate = gate_for(target, unknown)
    if isinstance(gate, DocumentGate):
        raise CannotRun(f"{target} is a gate of a document, and a declaration is needed here")
    return gate


def _of_document(path: Path, documents: Path | None, flaws: Flaws) -> DocumentGate:
    if not os.path.isfile(path):
        raise CannotRun(f"there is no document {str(path)!r}; check the path")
    try:
        gate = DocumentGate(path, formats="assert", documents=documents, flaws=flaws)
    except DeclarationError as error:
        raise CannotRun(f"{path} cannot become a gate.\n  {of_missing(error)}") from None
    except OSError as error:
        raise CannotRun(f"{path} cannot be read: {error.strerror}") from None
    for each in gate.idle:
        console(stderr=True).print(f"{path}: judges nothing: {each}", markup=False)
    return gate


def of_missing(error: DeclarationError) -> str:
    """The words of an error; where documents are missing, with the option that hands them over."""
    if isinstance(error, MissingDocuments):
        return f"{error.said}\n  Put them into a folder, by these names, and give it as --documents FOLDER."
    return str(error)


def named(target: str) -> Any:
    """What `module:Name`, or `folder/module.py:Name`, stands for, the working folder searched first.

    Raises CannotRun, saying what to do.
    """
    module_name, name = split_target(target)
    if not module_name:
        raise CannotRun(f"{target!r} names no declaration; write it as module:Name, for example harbour.shapes:Booking")
    here = str(Path.cwd())
    if here not in sys.path:
        sys.path.insert(0, here)
    try:
        if module_name.endswith(".py"):
            module_of(Path(module_name))
    except ValueError as error:
        raise CannotRun(str(error)) from None
    try:
        found = imported(module_name)
    except ModuleNotFoundError as error:
        if error.name and (module_name == error.name or module_name.startswith(error.name + ".")):
            raise CannotRun(
                f"there is no module {module_name!r} here; run from the folder that holds it, or install its package"
            ) from None
        raise CannotRun(f"importing {module_name!r} failed: it needs {error.name!r}, which is not installed") from None
    except Exception as error:
        raise CannotRun(f"importing {module_name!r} failed: {type(error).__name__}: {error}") from error
    for part in name.split("."):
        if not hasattr(found, part):
            hint = did_you_mean(part, (each for each in vars(found) if not each.startswith("_")), "check the spelling")
            raise CannotRun(f"{module_name!r} has no {part!r}; {hint}")
        found = getattr(found, part)
    return found
