"""Options of a Click command made of the fields of settings: `--berths-limit 12`; needs the extra `cli`."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, TypeVar

import click

from .settings import Settings
from .template import entries, kind_in_words

_FLAG = re.compile("--[a-z0-9][a-z0-9-]*")
F = TypeVar("F", bound=Callable[..., Any])


def settings_options(settings: Settings[Any], *, into: str = "arguments") -> Callable[[F], F]:
    """A decorator that gives a command an option for every setting but secrets, and `--set name=value` for any.

        @click.command()
        @settings_options(settings)
        def serve(arguments: list[str]) -> None:
            terminal = settings.load_or_exit(arguments=arguments).value

    What was given comes as a list of `name=value`, under the name `into`, for `load(arguments=...)`: it is checked
    with all other layers, not by Click.
    """

    def keep(context: click.Context, parameter: click.Parameter, given: Any) -> None:
        held = context.meta.setdefault(__name__, [])
        if parameter.name == "set_settings":
            held += given
        elif given is not None:
            held.append(f"{parameter.metavar_path}={given}")  # type: ignore[attr-defined]

    def decorate(function: F) -> F:
        def run(*words: Any, **named: Any) -> Any:
            named[into] = list(click.get_current_context().meta.get(__name__, ()))
            return function(*words, **named)

        run.__name__, run.__doc__ = function.__name__, function.__doc__
        params = list(getattr(function, "__click_params__", ()))
        set_option = click.Option(
            ["--set", "set_settings"], multiple=True, metavar="NAME=VALUE", expose_value=False, callback=keep,
            help="Any setting by its name with dots, such as berths.limit=12.",
        )  # fmt: skip
        made: list[click.Parameter] = [set_option]
        taken = {"--set", "--help", *(word for each in params for word in each.opts)}
        for entry in entries(settings):
            path = ".".join(map(str, entry.path))
            flag = "--" + "-".join(str(step).replace("_", "-") for step in entry.path).lower()
            if entry.record is not None or entry.use.secret or flag in taken or not _FLAG.fullmatch(flag):
                continue
            taken.add(flag)
            text = " ".join((entry.use.about.text or "").split())
            said = "; ".join(filter(None, [text, *kind_in_words(entry.use, settings.names)]))
            made.append(_SettingOption(path, [flag], expose_value=False, callback=keep, help=said, metavar="VALUE"))
        run.__click_params__ = [*params, *reversed(made)]  # type: ignore[attr-defined]
        return run  # type: ignore[return-value]

    return decorate


class _SettingOption(click.Option):
    """An option that knows which setting it gives."""

    def __init__(self, metavar_path: str, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        self.metavar_path = metavar_path


__all__ = ["settings_options"]
