"""From the text of annotations to the objects they name, saying which field went wrong when one does not."""

from __future__ import annotations

import importlib.util
import inspect
import re
import sys
import typing
from collections.abc import Container, Mapping
from types import SimpleNamespace
from typing import Any

from ..declare.errors import DeclarationError


def hints_of(
    declared: type, names: Mapping[str, Any], scope: str = "", used: dict[str, Any] | None = None
) -> dict[str, Any]:
    """The annotations of a class and its bases, evaluated, `Annotated` kept.

    `names` holds what can be seen where the gate is built, for types that are declared inside a function; `scope` is
    the qualified name of the function that this is. Those of the names that are needed are put into `used`.
    Raises DeclarationError, naming the record and the field, when one cannot be evaluated.
    """
    # Inside its own function a name means what it means there, whatever the module calls by it.
    within = scope and declared.__qualname__.startswith(f"{scope}.<locals>.")
    if not within:
        try:
            return typing.get_type_hints(declared, include_extras=True)
        except Exception:  # whatever the annotation's own code raises is told below, with its field
            pass
    hints: dict[str, Any] = {}
    for base in reversed(declared.__mro__):
        module = dict(vars(sys.modules[base.__module__])) if base.__module__ in sys.modules else {}
        for field, annotation in own_annotations(base, declared).items():
            # What the module says goes before what is seen from where the gate is built, but inside that function.
            own = {each.__name__: each for each in getattr(base, "__type_params__", ())}
            first = {**own, **vars(base), **names} if within else {**own, **vars(base)}
            if used is not None:
                used.update(_needed(annotation, names, () if within else module))
            hints[field] = _evaluated(annotation, {**names, **module}, dict(first), declared, field)
    return hints


def hints_of_function(function: Any, owner: type, field: str, names: Mapping[str, Any]) -> dict[str, Any]:
    """The annotations of a function of a class, evaluated. Raises DeclarationError as `hints_of` does."""
    module = dict(vars(sys.modules[owner.__module__])) if owner.__module__ in sys.modules else {}
    return {
        name: _evaluated(annotation, {**names, **module}, {**names, **module}, owner, field)
        for name, annotation in getattr(function, "__annotations__", {}).items()
        if name == "return"
    }


def own_annotations(base: type, declared: type) -> dict[str, Any]:
    """A class's own annotations, where names that cannot be seen are left to be looked up one by one."""
    try:
        return inspect.get_annotations(base)
    except DeclarationError as error:
        raise error.within(declared.__name__) from None
    except Exception:
        # From 3.14 on annotations are evaluated when asked for (PEP 649), and may be asked for half-way.
        if importlib.util.find_spec("annotationlib") is None:
            raise
        library: Any = importlib.import_module("annotationlib")
        found: dict[str, Any] = library.get_annotations(base, format=library.Format.FORWARDREF)
        return found


def _needed(annotation: object, names: Mapping[str, Any], known: Container[str]) -> dict[str, Any]:
    """Those of the names that the text of an annotation mentions."""
    text = annotation if isinstance(annotation, str) else ""
    return {word: names[word] for word in re.findall(r"\w+", text) if word in names and word not in known}


def _evaluated(annotation: object, module: dict[str, Any], names: dict[str, Any], declared: type, field: str) -> object:
    alone: Any = SimpleNamespace(__annotations__={field: annotation})
    try:
        return typing.get_type_hints(alone, module, names, include_extras=True)[field]
    except DeclarationError as error:
        raise error.within(declared.__name__, field) from None
    except NameError as error:
        name = getattr(error, "name", None) or str(error)
        raise DeclarationError(
            f"the annotation names {name!r}, which cannot be seen from here",
            remedy=f"declare {name} at the top of a module, or hand it to the gate: "
            f"Gate({declared.__name__}, names={{{name!r}: {name}}})",
            record=declared.__name__,
            field=field,
        ) from None
    except Exception as error:
        raise DeclarationError(
            f"the annotation {annotation!r} cannot be evaluated ({error})",
            remedy="mend the annotation",
            record=declared.__name__,
            field=field,
        ) from error
