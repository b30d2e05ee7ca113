"""Whether types that are written differently are one type to Python, so that a union would hold it once."""

from __future__ import annotations

import ast
from collections.abc import Hashable, Mapping

_UNION, _LITERAL = ast.dump(ast.parse("Union", mode="eval").body), ast.dump(ast.parse("Literal", mode="eval").body)


class Meant:
    """What a type is to Python: options of unions, and values of a Literal, are alike in any order.

    `names` has what each name stands for; past a number of steps names are left as they are.
    """

    def __init__(self, names: Mapping[str, str]) -> None:
        self.names = names
        self.left = 2_000

    def of(self, told: str, inside: tuple[str, ...] = ()) -> Hashable:
        """Something that is equal for equal types."""
        return self._of(ast.parse(told, mode="eval").body, inside)

    def _of(self, node: ast.expr, inside: tuple[str, ...]) -> Hashable:
        self.left -= 1
        if isinstance(node, ast.Name) and node.id in self.names and node.id not in inside and self.left > 0:
            return self.of(self.names[node.id], (*inside, node.id))
        if isinstance(node, ast.BinOp):
            return self._union([self._of(node.left, inside), self._of(node.right, inside)])
        if isinstance(node, ast.Subscript):
            held = node.slice.elts if isinstance(node.slice, ast.Tuple) else [node.slice]
            parts = [self._of(each, inside) for each in held]
            name = ast.dump(node.value)
            if name == _UNION:
                return self._union(parts)
            return name, frozenset(parts) if name == _LITERAL else tuple(parts)
        return ast.dump(node)

    @staticmethod
    def _union(options: list[Hashable]) -> Hashable:
        found: set[Hashable] = set()
        for each in options:
            found |= each if isinstance(each, frozenset) else {each}
        return next(iter(found)) if len(found) == 1 else frozenset(found)
