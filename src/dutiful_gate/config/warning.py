"""The warnings of settings."""

from __future__ import annotations


class DeprecatedSetting(UserWarning):
    """A setting stands under a former name, or should no longer be set."""


class ShownSecret(UserWarning):
    """A record of settings shows a secret of its own in its repr."""
