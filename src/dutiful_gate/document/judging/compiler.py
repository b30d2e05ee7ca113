"""Schemas to functions: what tells in one pass whether data is sound, and what tells every fault of it.

Each is written when it is first called; all of one library share a namespace.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import RLock
from typing import TYPE_CHECKING, Any

from ...codegen.unit import Unit
from ...codegen.writer import Writer
from ...declare.equality import LISTS
from ...report.fault import Path
from .causes import Keywords
from .findings import Found, Route
from .function_writer import FunctionWriter, Here
from .keywords import Scope, goes_on_beside
from .library import Subschema
from .options import JudgingOptions
from .telling_writer import Teller, TellingWriter, Unsettled

if TYPE_CHECKING:
    from .interpreter import Interpreter

Judge = Callable[[Any, Scope], bool]


class SchemaCompiler:
    """Writes the functions of one library. `interpreter` judges what depends on what others looked at."""

    def __init__(self, options: JudgingOptions, keywords: Keywords, interpreter: Interpreter) -> None:
        self.options = options
        self.keywords = keywords
        self.interpreter = interpreter
        self._lock = RLock()
        self.remembers = False
        self.namespace: dict[str, Any] = {}
        self.units: list[Unit] = []
        self._compiled: set[str] = set()

    def function(self, node: Subschema) -> str:
        """The name of the function that judges by a schema."""
        return self._named(f"judge_{node.number}", node, self._write_judge)

    def teller(self, node: Subschema) -> str:
        """The name of the function that tells every fault by it."""
        return self._named(f"tell_{node.number}", node, self._write_teller)

    def ready(self, node: Subschema) -> Judge:
        """The compiled function itself."""
        judge: Judge = self._compiled_one(self.function(node), node, self._write_judge)
        return judge

    def teller_of(self, node: Subschema) -> Teller:
        """The same, of one that tells."""
        tell: Teller = self._compiled_one(self.teller(node), node, self._write_teller)
        return tell

    def dynamic_call(self, lead: Callable[[Scope], Subschema]) -> Judge:
        """Judges by `$dynamicRef` or `$recursiveRef`: where it leads is known only from where judging came from."""
        return _DynamicCall(self, lead)

    def _named(self, name: str, node: Subschema, write: Callable[[Subschema, str], None]) -> str:
        if name not in self.namespace:

            def first(*asked: Any) -> Any:
                return self._compiled_one(name, node, write)(*asked)

            self.namespace[name] = first
        return name

    def _compiled_one(self, name: str, node: Subschema, write: Callable[[Subschema, str], None]) -> Any:
        if name not in self._compiled:
            with self._lock:
                if name not in self._compiled:
                    write(node, name)
                    self._compiled.add(name)
        return self.namespace[name]

    def _write_judge(self, node: Subschema, name: str) -> None:
        writer = Writer()
        function = FunctionWriter(self, writer)
        with writer.block(f"def {name}(value, scope):"):
            function.body(node, Here("value"), 0)
            writer.write("return True")
        unit = self._unit(writer, name)
        if self.remembers:
            self.namespace[name] = self._remembering(unit.call, name, met=goes_on_beside(node))

    def _write_teller(self, node: Subschema, name: str) -> None:
        writer = Writer()
        function = TellingWriter(self, writer)
        with writer.block(f"def {name}(value, scope, path, route, found):"):
            function.opening(self.options.most_deep)
            function.body(node, Here("value"), 0)
        unit = self._unit(writer, name)
        if self.remembers:
            self.namespace[name] = self._remembering_faults(unit.call, name, met=goes_on_beside(node))

    def _unit(self, writer: Writer, name: str) -> Unit:
        """Put the compiled function in the place of the one that stood for it."""
        source = "\n".join(writer.lines) + "\n"
        unit = Unit(f"document {name}", source, writer.constants, name, self.namespace, notes=writer.notes)
        self.units.append(unit)
        return unit

    def _remembering(self, call: Judge, name: str, *, met: bool) -> Judge:
        """A function that judges the same data once, while one question is answered: all of it, or what has parts."""
        memory = self.options.memory

        def judge(value: Any, scope: Scope) -> bool:
            held = memory.held
            if held is None or not (met or isinstance(value, (dict, *LISTS))):
                return call(value, scope)
            mark = (name, id(value), scope)
            known = held.get(mark)
            if known is None:
                known = held[mark] = (value, call(value, scope))
            return bool(known[1])

        return judge

    def _remembering_faults(self, call: Teller, name: str, *, met: bool) -> Teller:
        """The same of one that tells: where branches meet, they ask the same again on every level."""
        memory = self.options.memory

        def tell(value: Any, scope: Scope, path: Path, route: Route, found: Found) -> None:
            held = memory.held
            if held is None or not (met or isinstance(value, (dict, *LISTS))):
                call(value, scope, path, route, found)
                return
            mark = (name, id(value), path, scope)
            known = held.get(mark)
            if known is None:
                inner = Found(found.most)
                call(value, scope, path, route, inner)
                known = held[mark] = (value, inner)
            found.take(known[1])
            if found.lost:
                raise Unsettled

        return tell


class _DynamicCall:
    """See `SchemaCompiler.dynamic_call`."""

    __slots__ = ("_found", "compiler", "lead")

    def __init__(self, compiler: SchemaCompiler, lead: Callable[[Scope], Subschema]) -> None:
        self.compiler = compiler
        self.lead = lead
        self._found: dict[Scope, str] = {}

    def __call__(self, value: Any, scope: Scope) -> bool:
        """Judge by the schema that it leads to from here."""
        name = self._found.get(scope)
        if name is None:
            name = self._found[scope] = self.compiler.function(self.lead(scope))
        judged: bool = self.compiler.namespace[name](value, scope)
        return judged
