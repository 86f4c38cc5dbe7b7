"""How a job that runs is held from another thread."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field


@dataclass
class Control:
    """How a job that runs is held from another thread."""

    paused: threading.Event = field(default_factory=threading.Event)
    stopped: threading.Event = field(default_factory=threading.Event)
