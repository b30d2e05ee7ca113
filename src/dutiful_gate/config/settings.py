"""Settings: one declaration, filled from ordered layers, checked whole before anything starts."""

from __future__ import annotations

import os
import sys
import warnings
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, Generic, Literal, NoReturn, TypeVar, overload

from ..declare.errors import DeclarationError
from ..declare.limits import Limits
from ..declare.sources import Source
from ..gates.typed import Gate
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.place import Place
from ..report.verdict import refusal
from ..shape.nodes import Sealing
from .layers import Arguments, EnvFile, Environment, SecretsFolder, Values, is_profile, may_have_profile
from .loaded import Loaded
from .loading import Loading
from .names import SettingNames, spelled
from .sheet import Layer, SheetOptions
from .warning import DeprecatedSetting, ShownSecret, SurprisingSetting

if TYPE_CHECKING:
    from ..document.document import Document
    from .watching import Watched

T = TypeVar("T")
EX_CONFIG: Final = 78
"""The exit status of a program whose configuration is wrong (BSD's sysexits)."""
_LIMITS: Final = Limits(bytes=1024 * 1024)


class Settings(Generic[T]):
    """A declared record, and the layers that it is filled from: a later one over an earlier one, key by key.

        settings = Settings(
            Terminal,
            File("terminal.toml"),
            File("terminal.{profile}.toml"),
            EnvFile(".env", "TERN_"),
            Environment("TERN_"),
            SecretsFolder("secrets", optional=True),
            profile_from="TERN_PROFILE",
        )
        terminal = settings.load_or_exit().value

    `declared`      the record: a dataclass, a TypedDict
    `layers`        the lowest first; see `File`, `EnvFile`, `Environment`, `SecretsFolder`, `Values`
    `profile_from`  the variable that names the profile, where loading is not told one
    `keys`          how names in files are made of attributes': `kebab`, or a function of one's own
    `limits`        bounds on each layer; files of up to a mebibyte by default
    `names`         names that annotations use and that cannot be seen where the record is declared
    `lenient`       each setting is read as `lenient` marks it: text for numbers, and the other way round
    `profiles`      the profiles that there are: any other is a fault that names them

    Keys that nobody declared are refused, but for `$schema` at the top. Nothing is read before `load`. Raises
    DeclarationError for what is no record, and warns (ShownSecret) of a secret that the record's own repr would show.
    """

    @overload
    def __init__(
        self,
        declared: type[T],
        *layers: Layer,
        profile_from: str = ...,
        keys: Callable[[str], str] | None = ...,
        limits: Limits | None = ...,
        names: Mapping[str, Any] | None = ...,
        lenient: bool = ...,
        profiles: Sequence[str] | None = ...,
    ) -> None: ...

    @overload
    def __init__(
        self: Settings[Any],
        declared: object,
        *layers: Layer,
        profile_from: str = ...,
        keys: Callable[[str], str] | None = ...,
        limits: Limits | None = ...,
        names: Mapping[str, Any] | None = ...,
        lenient: bool = ...,
        profiles: Sequence[str] | None = ...,
    ) -> None: ...

    def __init__(
        self,
        declared: Any,
        *layers: Layer,
        profile_from: str = "",
        keys: Callable[[str], str] | None = None,
        limits: Limits | None = None,
        names: Mapping[str, Any] | None = None,
        lenient: bool = False,
        profiles: Sequence[str] | None = None,
    ) -> None:
        self.declared = declared
        self.layers = layers
        self.profile_from = profile_from
        self.limits = limits or _LIMITS
        self.profiles = _known_profiles(profiles, layers)
        self.gate: Gate[T] = Gate(
            declared, Source.MIXED, unknown="refuse", keys=keys, limits=self.limits, names=names, lenient=lenient
        )
        self.names = SettingNames(self.gate.shape)
        record = self.gate.shape.record_inside(self.gate.shape.root)
        if record is None or record.form == "tuple":
            raise DeclarationError("settings are known by their names", remedy="declare a record: a dataclass")
        for layer in layers:
            if isinstance(layer, type) or not (hasattr(layer, "read") and hasattr(layer, "label")):
                raise DeclarationError(f"{layer!r} is no layer", remedy='as in File("terminal.toml")')
        if profile_from and not any(map(may_have_profile, layers)):
            raise DeclarationError(
                f"profile_from={profile_from!r} names a profile, and no layer has one",
                remedy='name a file by it, as in File("terminal.{profile}.toml")',
            )
        if any(isinstance(layer, Environment | EnvFile | SecretsFolder) for layer in layers):
            self._refuse_alike()
        self._warn_of_shown_secrets()

    def examine(
        self,
        *,
        profile: str | None = None,
        environ: Mapping[str, str] | None = None,
        overrides: Mapping[str, Any] | None = None,
        arguments: Sequence[str] = (),
        folder: str | os.PathLike[str] = ".",
    ) -> Loaded[T]:
        """Read every layer and examine what they make together; raises nothing for what is wrong in them.

        `profile`    that of this loading: it stands in for `{profile}` in the names of files
        `environ`    is read in the place of the process's environment variables
        `overrides`  settings over all layers, nested or by names with dots
        `arguments`  words of a command line over these, such as `berths.limit=12`
        `folder`     where relative paths begin
        """
        loading = self._loading(profile, environ, overrides, arguments, folder)
        return loading if isinstance(loading, Loaded) else loading.loaded()

    def load(
        self,
        *,
        profile: str | None = None,
        environ: Mapping[str, str] | None = None,
        overrides: Mapping[str, Any] | None = None,
        arguments: Sequence[str] = (),
        folder: str | os.PathLike[str] = ".",
    ) -> Loaded[T]:
        """The same for those who go on: warns of former names and deprecated settings (DeprecatedSetting), and of
        numbers that YAML 1.1 read otherwise (SurprisingSetting).

        Raises RefusedSettings, with every fault of every layer at its place, unless all is sound.
        """
        loaded = self.examine(profile=profile, environ=environ, overrides=overrides, arguments=arguments, folder=folder)
        _ = loaded.value
        for advice in loaded.advice:
            kind = SurprisingSetting if advice.surprising else DeprecatedSetting
            warnings.warn(str(advice), kind, stacklevel=2)
        return loaded

    def load_or_exit(
        self,
        *,
        profile: str | None = None,
        environ: Mapping[str, str] | None = None,
        overrides: Mapping[str, Any] | None = None,
        arguments: Sequence[str] = (),
        folder: str | os.PathLike[str] = ".",
    ) -> Loaded[T]:
        """The same for the start of a program: prints every fault to standard error and leaves with status 78.

        Advice is printed there too, and the program goes on.
        """
        loaded = self.examine(profile=profile, environ=environ, overrides=overrides, arguments=arguments, folder=folder)
        for advice in loaded.advice:
            print(f"note: {advice}", file=sys.stderr)
        if not loaded:
            _leave(loaded)
        return loaded

    def watch(
        self,
        *,
        refused: Callable[[Loaded[T]], object] | None = None,
        changed: Callable[[Loaded[T]], object] | None = None,
        profile: str | None = None,
        environ: Mapping[str, str] | None = None,
        overrides: Mapping[str, Any] | None = None,
        arguments: Sequence[str] = (),
        folder: str | os.PathLike[str] = ".",
        every: float = 0.25,
    ) -> Watched[T]:
        """Load, and load anew whenever a file of a layer changes: they are looked at all `every` seconds.

            with settings.watch(changed=print) as watched:
                serve(lambda: watched.value)

        `watched.value` is one whole value at any time: the last that was sound. `changed` is called with each new one,
        `refused` with what was refused, whose faults say why; by default they are written to the log.
        Raises RefusedSettings where the first is not sound.
        """
        from .watching import Watched

        def load() -> Loaded[T]:
            return self.examine(
                profile=profile, environ=environ, overrides=overrides, arguments=arguments, folder=folder
            )

        return Watched(load, self.layers, Path(folder), every=every, refused=refused, changed=changed)

    def schema(self, *, dialect: Literal["2020-12", "draft-07"] = "2020-12", partial: bool = False) -> Document:
        """The JSON Schema document of a file of all settings, for editors: what it refuses, loading refuses.

        With `partial` nothing has to be there, for a file beside others.
        """
        from .file_schema import file_schema

        return file_schema(self.gate, dialect=dialect, partial=partial)

    def template(self, format: Literal["toml", "yaml", "json", "env", "markdown"], *, schema: str = "") -> str:
        """A file to fill in: every setting, with its text, type, rules and default; what must be set is marked.

        `schema` is the path or URI of the document, for editors, that is written into it.
        """
        from .template import template

        return template(self, format, schema=schema)

    def written(self, value: T, format: Literal["toml", "yaml", "json", "env"], *, secrets: bool = False) -> str:
        """Typed settings as the text of a file that loads as the same; secrets only where they are asked for.

        Raises CannotHold, a ValueError that names the setting, for what the form cannot hold: TOML has no null. Raises
        Refused for a value that is not sound.
        """
        from .round_trip import as_text

        return as_text(self, value, format, secrets=secrets)

    def __repr__(self) -> str:
        return f"<Settings {self.gate.shape.name} from {', '.join(layer.label() for layer in self.layers)}>"

    def _loading(
        self,
        profile: str | None,
        environ: Mapping[str, str] | None,
        overrides: Mapping[str, Any] | None,
        arguments: Sequence[str],
        folder: str | os.PathLike[str],
    ) -> Loading | Loaded[T]:
        layers = [*self.layers]
        if self.profile_from:
            layers = [ignoring(layer, self.profile_from) for layer in layers]
            profile = profile or (os.environ if environ is None else environ).get(self.profile_from) or None
        if overrides:
            layers.append(Values(overrides, "overrides"))
        if arguments:
            layers.append(Arguments(arguments))
        if profile is not None and (cause := self._unknown_profile(profile, layers)) is not None:
            place = Place(0, 0, self.profile_from or "profile")
            return Loaded(refusal([Fault((), cause, None, None, place)]), {}, (), None, None)
        own = [layer for layer in layers if isinstance(layer, Environment)]
        variables = environ if environ is not None else next((layer.environ for layer in own if layer.environ), None)
        if variables is None and own:
            variables = os.environ
        exact = self.gate.shape.exact
        asked = SheetOptions(self.names, self.limits, exact, os.fspath(folder), profile, environ, variables)
        return Loading(self.gate, self.names, layers, asked)

    def _unknown_profile(self, profile: str, layers: Sequence[Layer]) -> Cause | None:
        """Why there is no such profile; None where there may be."""
        if not is_profile(profile):
            return Cause("reading", "the name of a profile: letters, digits, - and _", got="something else")
        if self.profiles is not None and profile not in self.profiles:
            known = {"profiles": ", ".join(self.profiles)}
            return Cause("choice", "one of the profiles {profiles}", known, got=profile)
        if not any(map(may_have_profile, layers)):
            return Cause("reading", "a layer that has files by profile", got="none")
        return None

    def _refuse_alike(self) -> None:
        """Raise DeclarationError for fields that one variable would set."""
        for record in self.gate.shape.records.values():
            owners: dict[str, str] = {}
            for field in record.fields:
                for name in map(spelled, (field.wire, *field.also)):
                    if owners.setdefault(name, field.attribute) != field.attribute:
                        raise DeclarationError(
                            f"{owners[name]!r} and {field.attribute!r} are spelled alike in variables, {name.upper()}",
                            remedy="give one of them another name, with named(...)",
                            record=record.name,
                            field=field.attribute,
                        )

    def _warn_of_shown_secrets(self) -> None:
        for record in self.gate.shape.records.values():
            shown = getattr(record.builder, "__dataclass_fields__", {})
            if not getattr(getattr(record.builder, "__dataclass_params__", None), "repr", False):
                continue
            for field in record.fields:
                plain = field.use.secret and not isinstance(field.use.bare.node, Sealing)
                if plain and field.attribute in shown and shown[field.attribute].repr:
                    warnings.warn(
                        f"{record.name}.{field.attribute} is a secret that the record's own repr shows; "
                        f"declare Sealed[...], or field(repr=False)",
                        ShownSecret,
                        stacklevel=3,
                    )


def ignoring(layer: Layer, name: str) -> Layer:
    """The same layer, to which the variable of the profile is no setting."""
    from dataclasses import replace

    if isinstance(layer, Environment | EnvFile):
        return replace(layer, ignore=(*layer.ignore, name))
    return layer


def _leave(loaded: Loaded[Any]) -> NoReturn:
    lines = loaded.lines()
    print("The settings are not sound:", file=sys.stderr)
    for line in lines:
        print(f"  {line}", file=sys.stderr)
    raise SystemExit(EX_CONFIG)


def _known_profiles(profiles: Sequence[str] | None, layers: Sequence[Layer]) -> tuple[str, ...] | None:
    """The profiles that there are; None where any may be. Raises DeclarationError for what names none."""
    if profiles is None:
        return None
    known: tuple[Any, ...] = () if isinstance(profiles, str) else tuple(profiles)
    if not known or not all(isinstance(each, str) and is_profile(each) for each in known):
        raise DeclarationError(
            f"profiles={profiles!r} is no list of names: letters, digits, - and _", remedy='as in profiles=["staging"]'
        )
    if not any(map(may_have_profile, layers)):
        remedy = 'name a file by it, as in File("terminal.{profile}.toml")'
        raise DeclarationError("profiles are named, and no layer has one", remedy=remedy)
    return known
