"""A form for the `form` part of a request, rendered on the server; needs the extra `forms`."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from importlib.resources import files
from typing import Any

from jinja2 import DictLoader, Environment
from markupsafe import Markup

from ...declare.errors import DeclarationError
from ...document.rules_in_words import rules_in_words
from ...gates.request import RequestGate
from ...report.catalogue import in_force
from ...report.fault import Fault
from ...report.shown_values import on_terminal, visible
from ...shape.known_defaults import known_default
from ...shape.nodes import Choice, Items, Link, Nullable
from ...shape.shape import Field, Shape
from ...shape.to_json import plain
from ...shape.uses import MISSING, Use
from ..empty_form_fields import refuses_empty
from .inputs import attributes_of, widget_of
from .rows import ADD, LEAVE_OUT, MOST_ROWS, PUT_IN, TAKE_AWAY

Node = dict[str, Any]


class Form:
    """The HTML form of a request: fields from its declaration, what was typed, and every fault under its field.

        TAKE = Form(RequestGate(BookByForm), action="/booked", button="Book")
        TAKE.html()                                     # empty
        TAKE.html(entered, faults)                      # after a refusal

    `page`   wraps the form in a whole page: takes the markup, gives the page; by default a plain one
    `zone`   the offset that date-times are asked in, such as "+02:00"; "Z" is UTC
    `script` whether the page also sends without reloading, where scripts run
    `beside` the name of files of style and script, such as "dutiful-form", for a strict content security policy: an Api
             serves them beside the endpoint that has the form; "" where they stand inside of the page

    Raises DeclarationError for a request without a form.
    """

    def __init__(
        self,
        gate: RequestGate[Any],
        *,
        action: str = "",
        title: str = "",
        button: str = "Send",
        page: Callable[[Markup], str] | None = None,
        zone: str = "Z",
        script: bool = True,
        beside: str = "",
    ) -> None:
        parts = gate.parts
        if "form" not in parts:
            raise DeclarationError("the request has no form", remedy="declare its part `form`, a record")
        self.gate, self.use, self.shape = gate, parts["form"].use, gate.shape
        if beside and not all(sign.isalnum() or sign in "-_." for sign in beside):
            raise DeclarationError(f"beside={beside!r} is no name of files", remedy='as in beside="dutiful-form"')
        self.action, self.title, self.button, self.zone, self.script = action, title, button, zone, script
        self.beside = beside
        self._page = page or self._plain_page

    def html(self, entered: Any = None, faults: Sequence[Fault] = ()) -> Markup:
        """The form. `entered` is what was typed, `faults` what is wrong with it, with paths from the form's part on."""
        told: dict[tuple[Any, ...], list[str]] = {}
        for fault in faults:
            path = fault.path[1:] if fault.path[:1] in (("form",), ("files",)) else fault.path
            told.setdefault(path, []).append(visible(fault.message))
        maker = _Maker(self.shape, told, self.zone)
        fields = maker.fields(self.use, entered if isinstance(entered, Mapping) else None, ())
        fields += maker.files(self.gate.parts["files"].use) if "files" in self.gate.parts else []
        lost = [message for path, messages in told.items() if path not in maker.placed for message in messages]
        whole = told.get((), [])
        buttons = {"add": ADD, "take_away": TAKE_AWAY, "put_in": PUT_IN, "leave_out": LEAVE_OUT}
        more = {**buttons, "sends_files": "files" in self.gate.parts}
        words = {
            "action": self.action,
            "title": self._heading,
            "button": _said(self.button),
            "fields": fields,
            "faults": [*whole, *lost],
        }
        return Markup(_templates().get_template("form").render(**words, **more))

    def page(self, entered: Any = None, faults: Sequence[Fault] = ()) -> str:
        """The whole page of it."""
        return self._page(self.html(entered, faults))

    def _plain_page(self, form: Markup) -> str:
        inside = {} if self.beside else {"style": Markup(file("form.css")), "code": Markup(file("form.js"))}
        words = {"form": form, "title": self._heading, "language": in_force().language}
        return _templates().get_template("page").render(**words, **inside, script=self.script, beside=self.beside)

    @property
    def _heading(self) -> str:
        """Its title; else what is asked for, as its record is called."""
        name = readable(self.shape.sure_record(self.use.bare).name)
        return _said(self.title) or on_terminal(name[:1].upper() + name[1:])

    @property
    def beside_it(self) -> Mapping[str, tuple[str, str]]:
        """The files beside the page by name: their media type, and what is in them."""
        if not self.beside:
            return {}
        told = {f"{self.beside}.css": ("text/css", file("form.css"))}
        return {**told, f"{self.beside}.js": ("text/javascript", file("form.js"))} if self.script else told


class _Maker:
    """Makes the fields of one form, as plain data for its template."""

    def __init__(self, shape: Shape, told: Mapping[tuple[Any, ...], list[str]], zone: str) -> None:
        self.shape = shape
        self.told = told
        self.zone = zone
        self.placed: set[tuple[Any, ...]] = {()}
        self.focused = False

    def fields(self, use: Use, entered: Mapping[str, Any] | None, path: tuple[Any, ...]) -> list[Node]:
        """The fields of a record."""
        record = self.shape.sure_record(use)
        made = []
        for field in record.fields:
            if field.withheld:
                continue
            came = entered.get(field.wire, MISSING) if entered is not None else _default(field, self.shape)
            made.append(self.value(field.use, came, (*path, field.wire), field))
        return made

    def value(self, use: Use, came: Any, path: tuple[Any, ...], field: Field | None) -> Node:
        """One value: an input, a group of them, or rows."""
        inner = use.bare
        label = use.about.title or inner.about.title or readable(str(path[-1]))
        told: Node = {
            "name": _name(path),
            "id": "f-" + "-".join(map(str, path)),
            "label": visible(_said(label)),
            "hint": on_terminal(_said(use.about.text or "")),
        }
        faults = self.told.get(path, [])
        self.placed.add(path)
        told |= {"faults": faults, "pointer": "".join(f"/{_escaped(step)}" for step in path)}
        if isinstance(inner.node, Link):
            # It may hold itself: what may be left out is asked for only where it is wanted.
            optional = {"where": ".".join(map(str, path))} if isinstance(use.node, Nullable) else {}
            if optional and (came is MISSING or came in (None, "")):
                return {**told, **optional, "is": "perhaps"}
            told |= optional
            held = came if isinstance(came, Mapping) else None if came is MISSING else {}
            return {**told, "is": "group", "fields": self.fields(inner, held, path)}
        if isinstance(inner.node, Items) and not inner.split and not isinstance(inner.node.item.bare.node, Items):
            return {**told, "is": "rows", **self._rows(inner, inner.node.item, came, path, told["label"])}
        widget = widget_of(inner)
        needed = field is not None and field.required and not use.nullable and refuses_empty(inner, self.shape)
        told |= {"is": widget, "attributes": dict(attributes_of(inner, widget)), "value": _text(came)}
        options = _options(inner)
        if widget == "check" and not _is_box(field):
            # A box that is not ticked sends nothing, which would be the default here, and not false.
            options = [("true", _said("yes")), ("false", _said("no"))]
        told["hint"] = "; ".join(filter(None, [told["hint"], *rules_in_words(inner)]))
        if options:
            told |= {"is": "choice", "options": options, "optional": not needed}
        if needed and told["is"] != "check":
            told["attributes"]["required"] = True
        told["may_lack"] = field is not None and not field.required and told["is"] != "check"
        if widget == "zoned":
            told |= {"zone": self.zone, "value": told["value"].removesuffix(self.zone)}
        if widget == "password":
            told["value"] = ""
        if told["is"] == "check":
            told["checked"] = came is True or str(came).strip().lower() in ("on", "true", "1", "yes")
        if isinstance(came, list) and not isinstance(inner.node, Choice):
            told["value"] = "" if not came else _text(came[0])
        if faults and not self.focused:
            self.focused = told["focus"] = True
        return told

    def files(self, use: Use) -> list[Node]:
        """The files of a form: what was chosen cannot be shown again."""
        made = []
        for field in self.shape.sure_record(use).fields:
            several = isinstance(field.use.bare.node, Items)
            told = self.value(field.use, MISSING, (field.wire,), None)
            own = [path for path in self.told if path[:1] == (field.wire,)]
            self.placed.update(own)
            attributes: Node = {"multiple": True} if several else {"required": True} if field.required else {}
            faults = [message for path in own for message in self.told[path]]
            made.append({**told, "is": "file", "value": "", "attributes": attributes, "faults": faults})
        return made

    def _rows(self, use: Use, item: Use, came: Any, path: tuple[Any, ...], label: str) -> Node:
        least = next((part.floor for part in use.parts if hasattr(part, "floor") and hasattr(part, "ceiling")), 0) or 0
        held = came if isinstance(came, list) else [] if came is MISSING or came is None or came == "" else [came]
        held = held or [MISSING] * min(int(least), 5)
        rows = []
        for at, each in enumerate(held[:MOST_ROWS]):
            here = (*path, at)
            made = self.value(item, each, here, None)
            rows.append({**made, "label": f"{label} {at + 1}", "row": ".".join(map(str, here))})
        return {"rows": rows, "add": ".".join(map(str, path))}


def _is_box(field: Field | None) -> bool:
    """Whether a box that is not ticked says false."""
    return field is not None and (field.required or field.default is False)


def _options(use: Use) -> list[tuple[str, str]]:
    """What may be chosen, as it is sent and as it is shown; nothing where two of the values are written alike."""
    if not isinstance(use.node, Choice) or use.is_reread:
        return []
    texts = [_text(each) for each in use.node.wire if each is not None]
    return [(text, visible(text)) for text in texts] if len({*texts}) == len(texts) and all(texts) else []


def _default(field: Field, shape: Shape) -> Any:
    value = MISSING if field.required or field.use.secret else known_default(shape, field)
    return MISSING if value is MISSING or value is None else plain(field.use, value, shape=shape)


def _text(came: Any) -> str:
    if came is MISSING or came is None:
        return ""
    return str(came).lower() if isinstance(came, bool) else str(came)


def _name(path: Sequence[Any]) -> str:
    first, *rest = path
    return f"{first}{''.join(f'[{step}]' for step in rest)}"


def _escaped(step: Any) -> str:
    return str(step).replace("~", "~0").replace("/", "~1")


def readable(name: str) -> str:
    """A name in code as people read it: `weight_kg` and `weightKg` are "weight kg"."""
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name).replace("_", " ").strip().lower() or name


def file(name: str) -> str:
    """What stands in a file of the page: its style, its script."""
    return files(__package__).joinpath(name).read_text()


@cache
def _templates() -> Environment:
    folder = files(__package__)
    held = {name: folder.joinpath(f"{name}.html.jinja").read_text() for name in ("form", "page")}
    made = Environment(loader=DictLoader(held), autoescape=True, trim_blocks=True, lstrip_blocks=True)
    made.globals["say"] = _said
    return made


def _said(words: str, **slots: Any) -> str:
    """Words of the form, a title or a label in the language that is spoken, where its catalogue has them."""
    told = in_force().spoken(words)
    return told.format_map(slots) if slots else told
