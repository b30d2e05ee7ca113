"""The last look at a module written for people, before it leaves: it is Python, and each name is what was meant."""

from __future__ import annotations

import ast
import builtins
import re
from collections.abc import Iterator
from typing import Literal


class Unwritable(ValueError):
    """What was to be said has no form in Python source."""


def parsed(source: str, mode: Literal["exec", "eval"] = "exec") -> ast.AST:
    """The tree of a source. Raises Unwritable where it is none."""
    try:
        return ast.parse(source, mode=mode)
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise Unwritable(f"it would be no Python: {error}") from None


def checked(source: str) -> str:
    """A module as it is, once all in it is sound.

    Each name at its top is made once, each name it uses is made or imported in it, and no field of a class stands in
    the place of a name that an annotation of that class means. Raises Unwritable.
    """
    tree = parsed(source)
    assert isinstance(tree, ast.Module)
    made: set[str] = set()
    for name in _made(tree):
        if name in made or name in _BUILTIN:
            raise Unwritable(f"two things would have the name {name}")
        made.add(name)
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load) and node.id not in made | _BUILTIN:
            raise Unwritable(f"nothing would have the name {node.id}")
        if isinstance(node, ast.ClassDef):
            _looked_at(node)
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and _SURROGATES.search(node.value):
            raise Unwritable("it has a lone surrogate, for which UTF-8 has no form")
    return source


_SURROGATES = re.compile("[\ud800-\udfff]")


_BUILTIN = frozenset(dir(builtins))


def _made(tree: ast.Module) -> Iterator[str]:
    """The names that statements at the top make, one after the other."""
    for node in tree.body:
        match node:
            case ast.ImportFrom(module="__future__"):
                pass
            case ast.Import(names=names) | ast.ImportFrom(names=names):
                yield from ((each.asname or each.name).partition(".")[0] for each in names)
            case ast.ClassDef(name=name) | ast.AnnAssign(target=ast.Name(id=name)):
                yield name
            case ast.Assign(targets=[ast.Name(id=name)]):
                yield name
            case ast.Expr(value=ast.Constant()):
                pass
            case _:
                raise Unwritable(f"a statement that nobody meant would stand in line {node.lineno}")


def _looked_at(declared: ast.ClassDef) -> None:
    """Look whether fields hide what annotations mean: they do where they have a value."""
    fields = [node for node in declared.body if isinstance(node, ast.AnnAssign)]
    others = [node for node in declared.body if not isinstance(node, ast.AnnAssign | ast.Pass)]
    if any(not (isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)) for node in others):
        raise Unwritable(f"a statement that nobody meant would stand in {declared.name}")
    names = [node.target.id for node in fields if isinstance(node.target, ast.Name)]
    if len(set(names)) != len(fields):
        raise Unwritable(f"{declared.name} would have two fields of one name")
    meant = {each.id for node in fields for each in ast.walk(node.annotation) if isinstance(each, ast.Name)}
    if hiding := meant.intersection(names):
        raise Unwritable(f"a field of {declared.name} would hide {min(hiding)}")
