"""What hands are asked in tests of them; it needs next to nothing itself, so that a stem begins soon."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile


def number() -> tuple[int, int]:
    return os.getpid(), os.getppid()


def has(module: str) -> bool:
    return module in sys.modules


def told(name: str) -> tuple[str, str]:
    return os.environ.get(name, ""), tempfile.mkdtemp()


def with_a_helper() -> int:
    return subprocess.Popen(["sleep", "60"]).pid


def gone() -> None:
    os._exit(3)
