"""Gates built beforehand, so that a program with many of them starts at once: `dutiful build`, and `import built`."""

from .gates.precompiled import Built, StaleBuild, build_gates, check_built, open_built

__all__ = ["Built", "StaleBuild", "build_gates", "check_built", "open_built"]
