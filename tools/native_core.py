"""`make native` and the second half of `make test`: the native core, built and installed beside the package.

    python tools/native_core.py build    build it with every warning an error, and install it
    python tools/native_core.py test     build it where that can be done; run the tests without it, and with it
    python tools/native_core.py fuzz     sanitizers on: its readers of bytes, then all of it beside Python (--seconds)

Building needs a C compiler and the headers of this Python. `NATIVE_CFLAGS` are words for the compiler.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import time
from pathlib import Path

from dutiful_gate.declare.native_forms import header

ROOT = Path(__file__).parent.parent
NATIVE = ROOT / "native"


def lacking() -> str:
    """What is not here that building needs, "" for nothing."""
    compiler = (os.environ.get("CC") or sysconfig.get_config_var("CC") or "cc").split()[0]
    if shutil.which(compiler) is None:
        return f"no C compiler ({compiler}): install one, or name it in CC"
    if not Path(sysconfig.get_path("include"), "Python.h").exists():
        return "no headers of this Python (Python.h): install its development package"
    return ""


def build() -> int:
    """Build and install; the exit status."""
    told = lacking()
    if told:
        print(f"the native core cannot be built: {told}", file=sys.stderr)
        return 1
    forms = NATIVE / "src/forms.h"
    if forms.read_text() != header():
        forms.write_text(header())
        print("native/src/forms.h written anew")
    words = {"NATIVE_CFLAGS": "-Werror", **os.environ}
    with tempfile.TemporaryDirectory() as folder:  # so that nothing is left in the tree
        copied = shutil.copytree(NATIVE, Path(folder) / "native")
        install = [sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
        install += ["--force-reinstall", "--no-deps", str(copied)]
        done = subprocess.run(install, env=words, capture_output=True, text=True, check=False)
    if done.returncode:
        print(done.stdout + done.stderr, file=sys.stderr)
        return done.returncode
    print(f"the native core is built and installed: {state()}")
    return 0


def state() -> str:
    """What a new process says of the core."""
    words = "from dutiful_gate.engine.native.core import core; print(core()[1])"
    return subprocess.run([sys.executable, "-c", words], capture_output=True, text=True, check=True).stdout.strip()


def tests(*, native: bool) -> int:
    """Run the tests, and say how; the exit status."""
    print(f"tests {'with' if native else 'without'} the native core", flush=True)
    words = {**os.environ, "DUTIFUL_NATIVE": "on" if native else "off"}
    return subprocess.run([sys.executable, "-m", "pytest", "-n", "2"], env=words, cwd=ROOT, check=False).returncode


def both_ways() -> int:
    """Run the tests without the core, and with it where it can be built; the exit status."""
    told = lacking()
    built = build() if not told else 0
    status = tests(native=False)
    if told:
        print(f"tests with the native core were not run: {told}")
    return status or built or (0 if told else tests(native=True))


SANITIZED = ["-std=c11", "-g", "-O1", "-fno-omit-frame-pointer", "-fsanitize=address,undefined", "-Wall", "-Wextra"]
BYTES_ALONE = ("strings", "numbers", "moments", "tables")


def fuzz(seconds: int, seed: int) -> int:
    """Fuzz the readers of bytes alone, then compare a core with sanitizers and Python; the exit status."""
    told = lacking()
    if told:
        print(f"nothing is fuzzed: {told}", file=sys.stderr)
        return 1
    compiler = (os.environ.get("CC") or sysconfig.get_config_var("CC") or "cc").split()[0]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        target = folder / "pure"
        sources = [NATIVE / "fuzz/pure.c", *(NATIVE / f"src/{each}.c" for each in BYTES_ALONE)]
        subprocess.run([compiler, *SANITIZED, *map(str, sources), "-o", str(target)], check=True)
        corpus = sorted(map(str, (NATIVE / "fuzz/corpus").iterdir()))
        print(f"readers of bytes, {seconds} s, seed {seed}", flush=True)
        status = subprocess.run([str(target), str(seconds), str(seed), *corpus], check=False).returncode
        package = shutil.copytree(NATIVE / "python/dutiful_gate_native", folder / "dutiful_gate_native")
        made = package / f"_core{sysconfig.get_config_var('EXT_SUFFIX')}"
        include = f"-I{sysconfig.get_path('include')}"
        every = sorted(map(str, (NATIVE / "src").glob("*.c")))
        shared = [compiler, "-shared", "-fPIC", *SANITIZED, "-fno-sanitize-recover=undefined", include]
        subprocess.run([*shared, *every, "-o", str(made)], check=True)
        libraries = [_library(compiler, each) for each in ("libasan.so", "libubsan.so")]
        words = {"LD_PRELOAD": " ".join(libraries), "ASAN_OPTIONS": "detect_leaks=0", "PYTHONMALLOC": "malloc"}
        path = os.pathsep.join([str(folder), str(ROOT / "src")])
        compare = [sys.executable, str(ROOT / "tests/native_against_python.py"), "--seconds", str(seconds)]
        print(f"all of it beside Python, {seconds} s, seed {seed}", flush=True)
        environment = {**os.environ, **words, "PYTHONPATH": path}
        done = subprocess.run([*compare, "--seed", str(seed)], env=environment, check=False)
    return status or done.returncode


def _library(compiler: str, name: str) -> str:
    told = subprocess.run([compiler, f"-print-file-name={name}"], capture_output=True, text=True, check=True)
    return told.stdout.strip()


def main() -> int:
    """Do what is asked; the exit status."""
    parser = argparse.ArgumentParser(description="Build the native core, test it, or fuzz it.")
    parser.add_argument("job", choices=["build", "test", "fuzz"], help="what to do")
    parser.add_argument("--seconds", type=int, default=60, help="how long each half is fuzzed  [default: 60]")
    parser.add_argument(
        "--seed", type=int, default=int(time.time()) % 1_000_000, help="of what is drawn  [default: new]"
    )
    asked = parser.parse_args()
    if asked.job == "fuzz":
        return fuzz(asked.seconds, asked.seed)
    return build() if asked.job == "build" else both_ways()


if __name__ == "__main__":
    sys.exit(main())
