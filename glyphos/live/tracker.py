"""A tracker that is listened to: the newest moment of a face, how the device does, and takes of it.

A thread waits for packets; everything else may be asked from any thread. Lost packets are counted and bridged,
a device that vanishes is said and taken up again when it comes back.
"""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..characters.channels import face_channels
from ..characters.recorded import from_rest
from ..errors import GlyphosError
from ..motion.euro import OneEuro
from .packets import MOST, Packet, read_packet
from .port import PORT, why_not

GONE = 1.0  # seconds without a packet after which a device has vanished
RESTART = 100  # a number so much lower than the last is a device that began again
LEAP = 1000  # a number so much higher is a device that counts anew
BRIDGE = 0.25  # seconds without packets that are bridged in a take; longer ones go to rest and back


@dataclass(frozen=True)
class Health:
    """How a tracker does. state: "waiting", "receiving" or "vanished"; rate: packets a second; since: seconds
    since the last."""

    state: str
    rate: float = 0.0
    received: int = 0
    lost: int = 0
    bad: int = 0
    since: float = 0.0
    unknown: tuple[str, ...] = ()


@dataclass(frozen=True)
class Moment:
    """A packet of a take: which run of the device it is of, when it was sent and came, its values."""

    session: int
    sent: float
    arrived: float
    values: Mapping[str, float]


@dataclass(frozen=True)
class Take:
    """What was recorded: channels (n,) at rising seconds from its start (n,)."""

    times: NDArray[np.float64]
    curves: Mapping[str, NDArray[np.float64]]
    lost: int = 0
    gaps: float = 0.0  # seconds in which nothing came

    def table(self) -> str:
        """As CSV, to be laid on a line."""
        names = list(self.curves)
        rows = [",".join(["seconds", *names])]
        columns = [self.curves[n].tolist() for n in names]
        for k, t in enumerate(self.times.tolist()):
            rows.append(",".join([f"{t:.4f}", *(f"{c[k]:.5f}" for c in columns)]))
        return "\n".join(rows) + "\n"


class Tracker:
    """Listens on a port until it is closed; GlyphosError where it cannot. smoothing: of OneEuro."""

    def __init__(
        self, port: int = PORT, host: str = "127.0.0.1", *, smoothing: float = 0.5,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self._clock = clock
        self._lock = threading.Lock()
        self._filter = OneEuro(smoothing)
        self._zero: dict[str, float] = {}
        self._raw: dict[str, float] = {}
        self._values: dict[str, float] = {}
        self._arrived: list[float] = []  # of the last second
        self._last: Packet | None = None
        self._at = -1e9  # when the last came
        self._began = False
        self._session = 0  # how often the device began again
        self._received = self._lost = self._bad = 0
        self._missing: set[int] = set()  # numbers that did not come so far
        self._unknown: dict[str, None] = {}
        self._taking: list[Moment] | None = None
        self._since, self._lost_before = 0.0, 0
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            self._socket.bind((host, port))
        except (OSError, OverflowError) as error:
            self._socket.close()
            raise GlyphosError(
                f"Port {port} cannot be listened on: {why_not(error)}; choose another port."
            ) from None
        self.port = int(self._socket.getsockname()[1])
        self._socket.settimeout(0.1)
        self._open = True
        self._thread = threading.Thread(target=self._listen, name="tracker", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Listen no more."""
        self._open = False
        self._thread.join(1.0)
        self._socket.close()

    def _listen(self) -> None:
        while self._open:
            try:
                data = self._socket.recv(MOST)
            except TimeoutError:
                continue
            except OSError:
                if self._open:
                    time.sleep(0.05)  # the network may come back
                continue
            self.take_in(data)

    # ---- what comes ---------------------------------------------------------------------------

    def take_in(self, data: bytes) -> None:
        """One packet, as it came."""
        packet, now = read_packet(data), self._clock()
        with self._lock:
            if packet is None:
                self._bad += 1
                return
            self._unknown |= dict.fromkeys(packet.unknown)
            if not self._counts(packet):
                return
            sent = now if packet.seconds is None else packet.seconds
            self._received += 1
            self._arrived = [t for t in self._arrived if now - t < 1.0] + [now]
            self._last, self._at, self._began = packet, now, True
            self._raw |= packet.values
            moved = {n: self._from_zero(n, v) for n, v in packet.values.items()}
            self._values |= self._filter(sent, moved)
            if self._taking is not None:
                self._taking.append(Moment(self._session, sent, now, dict(self._values)))

    def _counts(self, packet: Packet) -> bool:
        """Whether a packet is news; those that did not come before it are missing until they do, late."""
        last = self._last.number if self._last is not None else None
        if packet.number is None or last is None:
            return True
        ahead = packet.number - last
        if ahead > 0:
            if ahead < LEAP:
                self._lost += ahead - 1
                oldest = packet.number - RESTART
                self._missing = {n for n in self._missing if n > oldest}
                self._missing.update(range(max(last + 1, oldest), packet.number))
            return True
        if -ahead >= RESTART or packet.number == 0 or self._clock() - self._at > GONE:
            self._session += 1  # it began again
            self._missing.clear()
            self._filter = OneEuro(self._filter.smoothing)
            return True
        if packet.number in self._missing:  # it only came late
            self._missing.discard(packet.number)
            self._lost -= 1
        return False

    def _from_zero(self, name: str, value: float) -> float:
        return float(from_rest(name, np.asarray(value), self._zero.get(name, 0.0)))

    # ---- asking -------------------------------------------------------------------------------

    def values(self) -> dict[str, float]:
        """The newest moment, from its zero pose, smoothed; nothing of a device that vanished."""
        with self._lock:
            return dict(self._values) if self._clock() - self._at <= GONE else {}

    def health(self) -> Health:
        """How it does."""
        with self._lock:
            now = self._clock()
            since = now - self._at
            state = "waiting" if not self._began else "receiving" if since <= GONE else "vanished"
            rate = float(len([t for t in self._arrived if now - t < 1.0]))
            return Health(
                state, rate, self._received, self._lost, self._bad, max(0.0, since) if self._began else 0.0,
                tuple(self._unknown),
            )  # fmt: skip

    def zero(self) -> None:
        """The face as it is now is the rest from which it moves; GlyphosError while nothing comes."""
        with self._lock:
            if self._clock() - self._at > GONE:
                raise GlyphosError(
                    "Nothing comes from a tracker; start it, then set the zero pose."
                )
            self._zero = dict(self._raw)
            self._values = {n: self._from_zero(n, v) for n, v in self._raw.items()}
            self._filter = OneEuro(self._filter.smoothing)

    def no_zero(self) -> None:
        """As it comes."""
        with self._lock:
            self._zero = {}

    def smooth(self, smoothing: float) -> None:
        with self._lock:
            self._filter = OneEuro(smoothing)

    # ---- takes --------------------------------------------------------------------------------

    @property
    def taking(self) -> bool:
        return self._taking is not None

    def begin(self) -> None:
        """Record from now on; what was recorded and not ended is dropped."""
        with self._lock:
            self._taking, self._since = [], self._clock()
            self._lost_before = self._lost

    def end(self) -> Take:
        """What was recorded; GlyphosError where nothing came."""
        with self._lock:
            rows, self._taking = self._taking or [], None
            lost = self._lost - self._lost_before
            return taken(rows, self._since, lost)

    def drop(self) -> None:
        """Record no more; nothing is kept."""
        with self._lock:
            self._taking = None


def taken(moments: Sequence[Moment], start: float, lost: int = 0) -> Take:
    """Moments as curves from the start on, where the sender's clock has them: as they came soonest, so that
    jitter of the way does not shake a take. Where nothing came for long the face goes to rest and back, it does
    not stay as it was."""
    soonest: dict[int, float] = {}
    for m in moments:
        way = m.arrived - m.sent
        soonest[m.session] = min(soonest.get(m.session, way), way)
    rows = sorted(
        ((m.sent + soonest[m.session] - start, m.values) for m in moments), key=lambda r: r[0]
    )
    kept = [
        r for k, r in enumerate(rows) if r[0] >= -0.05 and (k == 0 or r[0] - rows[k - 1][0] > 1e-4)
    ]
    if len(kept) < 2:
        raise GlyphosError(
            "Nothing came from the tracker while it was recorded; check that it sends here."
        )
    names = [n for n in face_channels() if any(n in values for _, values in kept)]
    at = [t for t, _ in kept]
    usual = float(np.median(np.diff(at)))
    times: list[float] = []
    table: list[list[float]] = []
    gaps, rest = 0.0, [0.0] * len(names)
    for k, (t, values) in enumerate(kept):
        if k and t - at[k - 1] > max(BRIDGE, 3 * usual):
            gaps += t - at[k - 1]
            edge = min(0.1, (t - at[k - 1]) / 3)
            times += [at[k - 1] + edge, t - edge]
            table += [rest, rest]
        times.append(t)
        table.append([values.get(n, 0.0) for n in names])
    made = np.array(table)
    return Take(np.array(times), {n: made[:, k] for k, n in enumerate(names)}, lost, gaps)
