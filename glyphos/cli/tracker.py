"""`glyphos tracker`: a face from a device, over UDP; or a simulated device that plays a made-up one."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Annotated

import typer

from ..live.port import PORT
from .talk import counted, messages, only_for, progress


def tracker(
    context: typer.Context,
    demo: Annotated[bool, typer.Option("--demo", help="Play a made-up performance, as a device would.")] = False,
    record: Annotated[Path | None, typer.Option("--record", help="Record a take into a table (.csv).")] = None,
    seconds: Annotated[float | None, typer.Option(help="How long; without it until Ctrl+C.")] = None,
    port: Annotated[int, typer.Option(help="UDP port.")] = PORT,
    host: Annotated[str, typer.Option(help="Where to send to, or listen on.")] = "127.0.0.1",
    rate: Annotated[float, typer.Option(help="Packets a second that --demo sends.")] = 60.0,
    osc: Annotated[bool, typer.Option("--osc", help="Let --demo send OSC instead of JSON lines.")] = False,
    lose: Annotated[float, typer.Option(help="Share of packets that --demo loses, 0 to 1.")] = 0.0,
    zero: Annotated[bool, typer.Option("--zero", help="Take the first moment of a recording as the face at rest.")] = False,
    smoothing: Annotated[float, typer.Option(help="Of a recording: 0 none, 1 usual.")] = 0.5,
) -> None:  # fmt: skip
    """Show what a tracker sends, record a take of it, or be a simulated one."""
    from ..live.simulated import play

    if demo and record is not None:
        raise typer.BadParameter("--demo sends and --record listens; run them in two shells")
    if demo:
        only_for(context, ("zero", "smoothing"), "a recording")
    else:
        only_for(context, ("rate", "osc", "lose"), "--demo")
    if seconds is not None and not 0 < seconds < 1e6:
        raise typer.BadParameter("--seconds is more than 0")
    if not 0 < rate <= 1000 or not 0 <= lose <= 1 or not 0 <= smoothing <= 10:
        raise typer.BadParameter("--rate is up to 1000, --lose 0 to 1, --smoothing 0 to 10")
    if demo:
        messages.print(f"Playing a made-up face to {host}, port {port}; Ctrl+C ends it.")
        sent = 0
        try:
            for number in play(host, port, rate=rate, seconds=seconds, osc=osc, lose=lose):
                sent = number + 1
        except KeyboardInterrupt:
            pass
        messages.print(f"{counted(sent, 'moment')} played")
        return
    _listen(port, host, record, seconds, zero, smoothing)


def _listen(
    port: int, host: str, record: Path | None, seconds: float | None, zero: bool, smoothing: float
) -> None:
    from ..errors import SaveError
    from ..files import make_folder, write_atomic
    from ..live.tracker import Tracker

    if record is not None and record.suffix.lower() != ".csv":
        raise SaveError(f"{record.name} should end in .csv, since that is what a take is.")
    listened = Tracker(port, host, smoothing=smoothing)
    said = ""
    try:
        messages.print(f"Listening on {host}, port {listened.port}; Ctrl+C ends it.")
        end = time.monotonic() + (seconds if seconds is not None else 1e9)
        began = False
        try:
            with progress("Listening") as told:
                while time.monotonic() < end:
                    time.sleep(0.05)
                    health = listened.health()
                    if health.state == "receiving" and not began:
                        began = True
                        if zero:
                            listened.zero()
                        if record is not None:
                            listened.begin()
                    if seconds is not None:
                        told(1 - max(0.0, end - time.monotonic()) / seconds)
                    if health.state != said:
                        said = health.state
                        messages.print(
                            f"{said}{f', {health.rate:.0f} a second' if health.rate else ''}",
                        )
        except KeyboardInterrupt:
            pass
        health = listened.health()
        messages.print(
            f"{health.received} received, {health.lost} lost, {health.bad} not understood",
        )
        if health.unknown:
            messages.print(f"not used: {', '.join(health.unknown[:6])}")
        if record is not None:
            take = listened.end()
            make_folder(record.parent)
            write_atomic(record, take.table().encode())
            messages.print(f"written to {record}: {take.times[-1]:.2f} s")
    finally:
        listened.close()
