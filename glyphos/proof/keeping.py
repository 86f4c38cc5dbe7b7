"""What is missing of a line before anybody looks at its face."""

from __future__ import annotations

from .finding import Found, check
from .subject import Subject

COMMON = "common practice, no source"


@check("missing-recording", "keeping", "a recording that is away", COMMON, unheard=True)
def missing(subject: Subject) -> Found:
    if not subject.audio.exists():
        yield "bad", f"The recording {subject.audio.name} is missing; bring it back.", 0.0, 0.0, 0.0


@check("not-listened", "keeping", "a line that was not listened to", COMMON, unheard=True)
def not_listened(subject: Subject) -> Found:
    if not subject.heard:
        yield "poor", "The line has not been listened to; listen to it first.", 0.0, 0.0, 0.0


@check("missing-layer", "keeping", "recorded curves that are away", COMMON, unheard=True)
def missing_layer(subject: Subject) -> Found:
    for recorded in subject.line.recorded:
        if recorded.on and not (subject.folder / recorded.file).exists():
            yield "bad", f"The recorded curves {recorded.file} are missing; bring them back, or take them off.", 0.0, 0.0, 0.0  # fmt: skip
