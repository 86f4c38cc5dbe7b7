"""Captions as a track of a movie, which whoever looks at it can switch on: 3GPP timed text in MP4 and MOV,
WebVTT in WebM."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any

CLOCK = Fraction(1, 1000)
CODECS = {"mp4": "mov_text", "mov": "mov_text", "webm": "webvtt"}
# What FFmpeg's encoders of text are opened with: one plain style
STYLE = (
    "[Script Info]\r\nScriptType: v4.00+\r\n\r\n[V4+ Styles]\r\n"
    "Format: Name, Fontname, Fontsize, PrimaryColour, SecondaryColour, OutlineColour, BackColour, Bold, Italic, "
    "Underline, StrikeOut, ScaleX, ScaleY, Spacing, Angle, BorderStyle, Outline, Shadow, Alignment, MarginL, MarginR, "
    "MarginV, Encoding\r\n"
    "Style: Default,Sans,16,&Hffffff,&Hffffff,&H0,&H0,0,0,0,0,100,100,0,0,1,1,0,2,10,10,10,1\r\n\r\n"
    "[Events]\r\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\r\n"
)


@dataclass(frozen=True)
class Subtitle:
    """What is read from a time to another, in seconds."""

    start: float
    end: float
    text: str


def track(out: Any, container: str, subtitles: Sequence[Subtitle]) -> Callable[[float], None]:
    """A track of an open file; what it gives puts in what begins before a time. Of what overlaps the later
    one is read."""
    import av

    codec = CODECS[container]
    stream = out.add_stream(codec)
    stream.time_base = CLOCK
    stream.codec_context.subtitle_header = STYLE.encode()
    waiting = sorted(subtitles, key=lambda s: (s.start, s.end))
    ends = [min(a.end, b.start) if b.start > a.start else a.end for a, b in pairwise(waiting)]
    ends += [waiting[-1].end] if waiting else []
    at = [0]

    def until(seconds: float) -> None:
        while at[0] < len(waiting) and waiting[at[0]].start < seconds:
            one, end = waiting[at[0]], ends[at[0]]
            data = one.text.encode()
            packet = av.Packet(len(data).to_bytes(2, "big") + data if codec == "mov_text" else data)
            packet.stream, packet.time_base = stream, CLOCK
            packet.pts = packet.dts = round(one.start / CLOCK)
            packet.duration = max(1, round(end / CLOCK) - packet.pts)
            out.mux(packet)
            at[0] += 1

    return until
