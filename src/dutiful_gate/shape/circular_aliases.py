"""Types that lead to themselves by the name of an alias: settled once all of a shape are known."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from .aliases import nothing_between
from .metadata import check_parts
from .nodes import Alias, Link, Nullable, Scalar
from .shape import Record
from .uses import MISSING, NO_ABOUT, Use
from .walk import every, fields_of, holds_secrets, in_place_of, rebuilt, rebuilt_inside, rebuilt_records

Aliases = dict[str, Use]


def settled(root: Use, records: Mapping[str, Record], aliases: Aliases) -> tuple[Use, dict[str, Record], Aliases]:
    """The root, records and aliases of a shape, each alias called by its name, known by its facts, and as secret as
    what it stands for.

    Raises DeclarationError for an alias that is nothing but itself, and for a rule beside one that makes no sense.
    """
    for key in aliases:
        if _is_reached(key, aliases[key], aliases, frozenset()):
            raise nothing_between(key)
    facts = {key: use.facts for key, use in aliases.items()}

    def known(use: Use) -> Use:
        node = use.node
        return use.replace(node=node.replace(known=facts[node.key])) if isinstance(node, Alias) else use

    # Facts of unions look at their options, which may be aliases: those first.
    while True:
        aliases = {key: rebuilt(use, known) for key, use in aliases.items()}
        found = {key: use.facts for key, use in aliases.items()}
        if found == facts:
            break
        facts = found
    root, records = rebuilt(root, known), rebuilt_records(records, known)
    stood_for = aliases
    by_name: Callable[[Use], Use] = lambda use: _by_name(use, stood_for)  # noqa: E731
    root, records = rebuilt(root, by_name), rebuilt_records(records, by_name)
    aliases = {key: rebuilt_inside(use, by_name) for key, use in aliases.items()}
    secrets = _secret_aliases(aliases)
    secretly: Callable[[Use], Use] = lambda use: _as_secret_as_it_holds(use, secrets)  # noqa: E731
    root, records = rebuilt(root, secretly), rebuilt_records(records, secretly)
    aliases = {key: rebuilt(use, secretly) for key, use in aliases.items()}
    fields = [field.use for record in records.values() for field in fields_of(record)]
    for use in (root, *fields, *aliases.values()):
        for each in every(use):
            if isinstance(each.node, Alias):
                check_parts(each, secret=each.secret)
    return root, records, aliases


def _is_reached(key: str, use: Use, aliases: Mapping[str, Use], seen: frozenset[str]) -> bool:
    """Whether a use leads to an alias by nothing but unions and other aliases."""
    if isinstance(use.node, Alias):
        if use.node.key == key:
            return True
        if use.node.key in seen:
            return False
        seen = seen | {use.node.key}
    return any(_is_reached(key, each, aliases, seen) for each in in_place_of(use, aliases))


def _by_name(use: Use, aliases: Mapping[str, Use]) -> Use:
    """A use, by the name of the alias that it is written out of: somebody may have put in what the name stands for."""
    if isinstance(use.node, Scalar | Link | Alias):
        return use
    if isinstance(use.node, Nullable) and isinstance(use.node.inner.node, Alias):
        # What is said of the alias stands with it, and not beside "or null" as well.
        said = aliases[use.node.inner.node.key].about
        return use.replace(about=NO_ABOUT) if use.about == said and use.node.inner.about == NO_ABOUT else use
    for key, whole in aliases.items():
        about, fallback, secret = use.about, use.fallback, use.secret
        if (
            use.node != whole.node
            or use.replace(about=whole.about, fallback=whole.fallback, secret=whole.secret) != whole
        ):
            continue
        return Use(
            Alias(key, whole.facts),
            about=NO_ABOUT if about == whole.about else about,
            fallback=MISSING if fallback is whole.fallback else fallback,
            secret=secret,
        )
    return use


def _secret_aliases(aliases: Mapping[str, Use]) -> frozenset[str]:
    """The aliases that stand for a secret: by their own mark, or made of what is one."""
    found = frozenset(key for key, use in aliases.items() if use.secret)
    while found:
        more = {
            key
            for key, use in aliases.items()
            if rebuilt(use, lambda each: _as_secret_as_it_holds(each, found)).secret  # noqa: B023 - called at once
        }
        if found.issuperset(more):
            break
        found = found.union(more)
    return found


def _as_secret_as_it_holds(use: Use, secrets: frozenset[str]) -> Use:
    """A use that is secret where it is an alias of a secret, or made of secrets."""
    secret = use.node.leads_to in secrets
    return use.replace(secret=True) if not use.secret and (secret or holds_secrets(use.node)) else use
