"""Where a live face goes: OSC bundles, lines of JSON over UDP, a WebSocket with a page of its own.

`docs/live-protocol.md` is the protocol. Nothing here ever waits for whoever listens: what cannot be sent at once is
left out, and the next moment is sent instead.
"""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Mapping
from importlib.resources import files
from typing import Any, Protocol

from ..errors import GlyphosError
from .packets import face_json, face_osc

LOOPBACK = "127.0.0.1"


class SendingError(GlyphosError):
    """A port is in use, or an address is none."""


class Sink(Protocol):
    """Takes moments; `send` never blocks and never raises."""

    sent: int
    lost: int

    def send(self, values: Mapping[str, float], number: int, seconds: float) -> None: ...
    def close(self) -> None: ...


def address_of(text: str, port: int) -> tuple[str, int]:
    """HOST:PORT, HOST or PORT; loopback where no host is named. SendingError for what is none."""
    host, colon, number = text.strip().rpartition(":")
    if not colon:
        host, number = ("", text) if text.strip().isdecimal() else (text.strip(), str(port))
    if not number.strip().isdecimal() or not 0 < int(number) < 65_536:
        raise SendingError(f"“{text}” is no address; write as in 127.0.0.1:{port}.")
    return host or LOOPBACK, int(number)


class Datagrams:
    """UDP, as OSC bundles with a time tag or as lines of JSON."""

    def __init__(self, address: tuple[str, int], *, osc: bool) -> None:
        self.address, self._osc = address, osc
        self.sent = self.lost = 0
        try:
            family = socket.getaddrinfo(*address, type=socket.SOCK_DGRAM)[0]
        except OSError:
            raise SendingError(f"There is no machine “{address[0]}”; check its name.") from None
        self._socket = socket.socket(family[0], socket.SOCK_DGRAM)
        self._socket.setblocking(False)
        self._to = family[4]

    def send(self, values: Mapping[str, float], number: int, seconds: float) -> None:
        data = face_osc(values, number, seconds, time.time()) if self._osc else face_json(values, number, seconds)  # fmt: skip
        try:
            self._socket.sendto(data, self._to)
            self.sent += 1
        except OSError:  # nobody listens, or the network is full
            self.lost += 1

    def close(self) -> None:
        self._socket.close()


class Web:
    """A WebSocket that sends each moment as JSON to whoever is connected, and a page that draws it."""

    def __init__(self, port: int, host: str = LOOPBACK) -> None:
        from websockets.sync.server import serve

        self.sent = self.lost = 0
        self._news = threading.Condition()
        self._last = b""
        self._count = 0
        self._over = False
        try:
            self._server = serve(self._talk, host, port, process_request=self._page, max_size=4096, compression=None)  # fmt: skip
        except OSError as error:
            raise SendingError(f"Port {port} cannot be used ({(error.strerror or str(error)).lower()}); choose another.") from None  # fmt: skip
        self.port = int(self._server.socket.getsockname()[1])
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True, name="web")
        self._thread.start()

    def _page(self, connection: Any, request: Any) -> Any:
        """The page, for a browser that asks for it."""
        if request.headers.get("Upgrade", "").lower() == "websocket":
            return None
        page = (files("glyphos.data") / "live" / "face.html").read_text(encoding="utf-8")
        response = connection.respond(200, page)
        del response.headers["Content-Type"]
        response.headers["Content-Type"] = "text/html; charset=utf-8"
        return response

    def _talk(self, connection: Any) -> None:
        """One listener: always the newest moment; one that is slow misses some."""
        seen = 0
        try:
            while True:
                with self._news:
                    if self._count == seen and not self._over:
                        self._news.wait(timeout=1.0)
                    if self._over:
                        return
                    if self._count == seen:
                        continue
                    self.lost += max(0, self._count - seen - 1) if seen else 0
                    data, seen = self._last, self._count
                connection.send(data.decode())
                self.sent += 1
        except Exception:  # it went away
            return

    def send(self, values: Mapping[str, float], number: int, seconds: float) -> None:
        data = face_json(values, number, seconds)
        with self._news:
            self._last, self._count = data, self._count + 1
            self._news.notify_all()

    def close(self) -> None:
        with self._news:
            self._over = True
            self._news.notify_all()
        self._server.shutdown()
        self._thread.join(2)
