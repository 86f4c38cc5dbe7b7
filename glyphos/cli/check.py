"""`glyphos check`: what a recording is like, and what that does to the result."""

from __future__ import annotations

from typing import Annotated

import typer
from rich.console import Console
from rich.table import Table

from ..files import json_lines
from ..proof.recording_check import RecordingCheck
from .talk import Audio, console, put_out


def check(
    audio: Audio,
    json: Annotated[bool, typer.Option("--json", help="As JSON instead of a table.")] = False,
) -> None:
    """Check a recording: level, clipping, noise, music, channels; what each does to the result."""
    result = measured(audio)
    if json:
        put_out(json_lines(result), None)
    else:
        show(result, console())


def measured(audio: str) -> RecordingCheck:
    from ..proof.recording_check import check as measure

    return measure(audio)


def show(result: RecordingCheck, console: Console) -> None:
    """The check as a table."""
    table = Table(box=None, show_header=False, pad_edge=False)
    for name, value in (
        ("recording", result.file), ("length", f"{result.duration:.2f} s"),
        ("sample rate", f"{result.sample_rate} Hz"), ("channels", str(result.channels)),
        ("loudness", f"{result.loudness:.1f} LUFS"), ("peak", f"{result.peak:.1f} dB"),
        ("noise floor", f"{result.noise_floor:.1f} dB"), ("voice above noise", f"{result.signal_to_noise:.1f} dB"),
        ("clipped samples", str(result.clipped)), ("heard up to", f"{result.bandwidth:.0f} Hz"),
    ):  # fmt: skip
        table.add_row(name, value)
    for finding in result.findings:
        table.add_row(finding.severity, f"{finding.text} {finding.advice}".strip())
    console.print(table)
