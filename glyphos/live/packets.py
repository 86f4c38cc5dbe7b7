"""What a tracker sends: one UDP packet a moment, as a line of JSON or as an OSC bundle (Open Sound Control
1.0, Wright 2002). `docs/tracker.md` is the protocol.

    {"tracker": 1, "number": 17, "seconds": 0.283, "channels": {"jaw_open": 0.21, "head_yaw": -3.5}}

    #bundle  /tracker/number i 17   /tracker/seconds d 0.283   /tracker/jaw_open f 0.21   …
"""

from __future__ import annotations

import json
import logging
from collections.abc import Mapping
from dataclasses import dataclass, field

from pythonosc.osc_bundle import OscBundle
from pythonosc.osc_bundle_builder import IMMEDIATELY, OscBundleBuilder
from pythonosc.osc_message import OscMessage
from pythonosc.osc_message_builder import OscMessageBuilder

from ..characters.channels import face_channels
from ..characters.recorded import channel_of

MOST = 60_000  # bytes of a packet
PLACE = "/tracker/"
FACE = "/face/"
FAR = 1e9  # of seconds and numbers

# The library writes of every foreign packet to the log of whoever runs us; they are counted instead.
logging.getLogger().addFilter(lambda record: "pythonosc" not in record.pathname)


@dataclass(frozen=True)
class Packet:
    """One moment: its number and the sender's seconds where it tells them, values by our channels, and
    names that mean none."""

    values: Mapping[str, float]
    number: int | None = None
    seconds: float | None = None
    unknown: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class Moment:
    """A live face. values: of our channels. shown: of the character's own, ours without one. drawings: what is shown
    of a character of drawings, by the names of its parts."""

    values: Mapping[str, float]
    number: int
    seconds: float
    shown: Mapping[str, float]
    drawings: Mapping[str, str] = field(default_factory=dict)


def json_packet(values: Mapping[str, float], number: int, seconds: float) -> bytes:
    """A moment as a line of JSON."""
    document = {"tracker": 1, "number": number, "seconds": round(seconds, 6),
                "channels": {n: round(v, 6) for n, v in values.items()}}  # fmt: skip
    return json.dumps(document, separators=(",", ":")).encode() + b"\n"


def osc_packet(values: Mapping[str, float], number: int, seconds: float) -> bytes:
    """A moment as an OSC bundle."""
    return _bundle(PLACE, values, number, seconds, IMMEDIATELY)


def face_json(moment: Moment, *, own: bool = False) -> bytes:
    """A moment of a live face as a line of JSON. own: with our channels, whoever is the character."""
    channels = moment.values if own else moment.shown
    document = {"face": 1, "number": moment.number, "seconds": round(moment.seconds, 4),
                "channels": {n: round(v, 4) for n, v in channels.items()}}  # fmt: skip
    if moment.drawings:
        document["drawings"] = dict(moment.drawings)
    return json.dumps(document, separators=(",", ":")).encode() + b"\n"


def face_osc(moment: Moment, when: float) -> bytes:
    """A moment of a live face as an OSC bundle; when: seconds since 1970, its time tag."""
    return _bundle(FACE, moment.shown, moment.number, moment.seconds, when, moment.drawings)


def _bundle(
    place: str, values: Mapping[str, float], number: int, seconds: float, when: float,
    drawings: Mapping[str, str] | None = None,
) -> bytes:  # fmt: skip
    bundle = OscBundleBuilder(when)  # type: ignore[arg-type]
    told: list[tuple[str, str, float | str]] = [
        ("number", "i", number), ("seconds", "d", seconds), *((n, "f", v) for n, v in values.items()),
        *((f"drawing/{n}", "s", v) for n, v in (drawings or {}).items()),
    ]  # fmt: skip
    for address, kind, value in told:
        message = OscMessageBuilder(place + address)
        message.add_arg(value, kind)
        bundle.add_content(message.build())
    return bytes(bundle.build().dgram)


def read_packet(data: bytes) -> Packet | None:
    """What a packet says; None for what is no packet of a tracker."""
    try:
        if data.startswith((b"#bundle\0", b"/")):
            return _from_osc(data)
        return _from_json(data)
    except Exception:  # bytes from anywhere; the library has a way of its own to fail for each
        return None


def _from_json(data: bytes) -> Packet | None:
    document = json.loads(data)
    channels = document.get("channels") if isinstance(document, dict) else None
    if not isinstance(channels, dict) or document.get("tracker", 1) != 1:
        return None
    return _packet(channels, document.get("number"), document.get("seconds"))


def _from_osc(data: bytes) -> Packet | None:
    found: dict[str, object] = {}

    def gather(content: object) -> None:
        if isinstance(content, OscBundle):
            for part in content:
                gather(part)
        elif (
            isinstance(content, OscMessage) and content.address.startswith(PLACE) and content.params
        ):
            found[content.address.removeprefix(PLACE)] = content.params[0]

    gather(OscBundle(data) if data.startswith(b"#bundle\0") else OscMessage(data))
    number, seconds = found.pop("number", None), found.pop("seconds", None)
    return _packet(found, number, seconds) if found else None


def _packet(channels: Mapping[str, object], number: object, seconds: object) -> Packet:
    values: dict[str, float] = {}
    unknown = []
    for name, value in channels.items():
        channel = channel_of(str(name))
        if channel is None:
            unknown.append(str(name))
            continue
        own = float(value)  # type: ignore[arg-type]
        if own != own:
            raise ValueError("no number")
        known = face_channels()[channel]
        values[channel] = min(max(own, known.low), known.high)
    count = int(number) if isinstance(number, (int, float)) and 0 <= number < FAR else None
    at = float(seconds) if isinstance(seconds, (int, float)) and abs(seconds) < FAR else None
    return Packet(values, count, at, tuple(unknown))
