"""Settings from ordered layers: files, `.env`, variables, folders of secrets; every value traced to its origin."""

from .layers import Arguments, EnvFile, Environment, File, SecretsFolder, Values
from .loaded import Advice, Loaded, Origin, RefusedSettings, Setting
from .settings import EX_CONFIG, Settings
from .sheet import Layer
from .warning import DeprecatedSetting, ShownSecret, SurprisingSetting
from .written import CannotHold

__all__ = [
    "EX_CONFIG",
    "Advice",
    "Arguments",
    "CannotHold",
    "DeprecatedSetting",
    "EnvFile",
    "Environment",
    "File",
    "Layer",
    "Loaded",
    "Origin",
    "RefusedSettings",
    "SecretsFolder",
    "Setting",
    "Settings",
    "ShownSecret",
    "SurprisingSetting",
    "Values",
]
