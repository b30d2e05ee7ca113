"""The warnings of settings."""

from __future__ import annotations


class DeprecatedSetting(UserWarning):
    """A setting stands under a former name, or should no longer be set."""


class SurprisingSetting(UserWarning):
    """A value that is sound was another one in YAML 1.1."""


class ShownSecret(UserWarning):
    """A record of settings shows a secret of its own in its repr."""
