"""The extension. `NATIVE_CFLAGS` adds words for the compiler: `make native` says -Werror, `native-fuzz` sanitizers."""

import os
from glob import glob

from setuptools import Extension, setup

FLAGS = ["-std=c11", "-O2", "-fvisibility=hidden", "-Wall", "-Wextra"]

setup(
    ext_modules=[
        Extension(
            "dutiful_gate_native._core",
            sources=sorted(glob("src/*.c")),
            depends=sorted(glob("src/*.h")),
            include_dirs=["src"],
            extra_compile_args=[*FLAGS, *os.environ.get("NATIVE_CFLAGS", "").split()],
            extra_link_args=os.environ.get("NATIVE_LDFLAGS", "-s").split(),
        )
    ]
)
