"""Work that kills its own process on one line (in a module of its own, so that workers find it)."""

from __future__ import annotations

import os
import signal
from typing import Any


def killed_works(works: Any) -> list[tuple[str, bytes, str]]:
    if any(work.slug == "03-pip-wind" for work in works):
        os.kill(os.getpid(), signal.SIGKILL)
    return [(work.slug, b"", "") for work in works]
