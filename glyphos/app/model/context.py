"""What a page is given: everything it may use, and never the window."""

from __future__ import annotations

from dataclasses import dataclass

from ..drawing.staging import Staging
from .ask import Ask
from .current import Current
from .derived import Derived
from .document import Document
from .dresses import Dresses
from .exposing import Exposing
from .jobs import Jobs
from .living import Living
from .preferring import Preferring
from .proofing import Proofing
from .queue import Queue
from .retaking import Retaking
from .scenery import Scenery
from .selection import Selection
from .talk import Talk
from .tracking import Tracking
from .transport import Transport


@dataclass(frozen=True)
class Context:
    """The model of one window."""

    document: Document
    selection: Selection
    current: Current
    transport: Transport
    derived: Derived
    dresses: Dresses
    living: Living
    tracking: Tracking
    exposing: Exposing
    staging: Staging
    scenery: Scenery
    proofing: Proofing
    queue: Queue
    retaking: Retaking
    jobs: Jobs
    talk: Talk
    ask: Ask
    preferring: Preferring
