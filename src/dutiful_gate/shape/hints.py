"""From the text of annotations to the objects they name, saying which field went wrong when one does not."""

from __future__ import annotations

import importlib.util
import inspect
import re
import sys
from collections.abc import Container, Mapping
from types import ModuleType
from typing import Any, Final, ForwardRef, NamedTuple

from ..declare.errors import DeclarationError

_MOST_QUOTES: Final = 4


class HintNames(NamedTuple):
    """What the names in a class's annotations mean: `first` goes before what is `around`."""

    around: dict[str, Any]
    first: dict[str, Any]
    known: Container[str]


def names_of(owner: Any, names: Mapping[str, Any], scope: str) -> HintNames:
    """The names that the annotations of a class see, or those of an alias of the `type` statement or of a module.

    `names` holds what can be seen where the gate is built, for types that are declared inside a function; `scope` is
    the qualified name of the function that this is.
    """
    module = _module(owner.__name__ if isinstance(owner, ModuleType) else owner.__module__)
    own = {each.__name__: each for each in getattr(owner, "__type_params__", ())}
    own |= getattr(owner, "__dict__", {})
    # Inside its own function a name means what it means there, whatever the module calls by it.
    if scope and getattr(owner, "__qualname__", "").startswith(f"{scope}.<locals>."):
        return HintNames({**names, **module}, {**own, **names}, ())
    return HintNames({**names, **module}, own, module)


def hints_of(
    declared: type, names: Mapping[str, Any], scope: str = "", used: dict[str, Any] | None = None
) -> dict[str, Any]:
    """The annotations of a class and its bases, evaluated, `Annotated` kept; names in quotes inside them are left.

    `names` and `scope` are those of `names_of`; those of the names that are needed are put into `used`. Raises
    DeclarationError, naming the record and the field, when one cannot be evaluated.
    """
    hints: dict[str, Any] = {}
    for base in reversed(declared.__mro__):
        own = own_annotations(base, declared)
        if not own:
            continue
        seen = names_of(base, names, scope)
        for field, annotation in own.items():
            if used is not None:
                used.update(needed(annotation, names, seen.known))
            hints[field] = evaluated(annotation, seen, declared, field)
    return hints


def hints_of_function(function: Any, owner: type, field: str, names: Mapping[str, Any], scope: str) -> dict[str, Any]:
    """The annotations of a function of a class, evaluated. Raises DeclarationError as `hints_of` does."""
    return {
        name: evaluated(annotation, names_of(owner, names, scope), owner, field)
        for name, annotation in getattr(function, "__annotations__", {}).items()
        if name == "return"
    }


def _module(name: str) -> dict[str, Any]:
    return dict(vars(sys.modules[name])) if name in sys.modules else {}


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


def needed(annotation: object, names: Mapping[str, Any], known: Container[str]) -> dict[str, Any]:
    """Those of the names that the text of an annotation mentions."""
    text = getattr(annotation, "__forward_arg__", annotation)
    words = re.findall(r"\w+", text) if isinstance(text, str) else []
    return {word: names[word] for word in words if word in names and word not in known}


def evaluated(annotation: Any, seen: HintNames, declared: type, field: str) -> Any:
    """What an annotation stands for.

    The interpreter's own function keeps what it found with the name, and takes it for a name of another module that is
    written alike: so each text is evaluated here, where it stands.
    """
    around = seen.around
    try:
        for _ in range(_MOST_QUOTES):
            if isinstance(annotation, ForwardRef):
                if (module := getattr(annotation, "__forward_module__", None)) is not None:
                    around = {**around, **(_module(module) if isinstance(module, str) else vars(module))}
                annotation = annotation.__forward_arg__
            if not isinstance(annotation, str):
                return annotation
            annotation = eval(annotation, around, seen.first)  # the developer's own annotation (PEP 563)
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
    return annotation
