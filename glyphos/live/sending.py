"""Where a live face goes: OSC bundles, lines of JSON over UDP, a WebSocket with a page of its own.

`docs/live-protocol.md` is the protocol. Nothing here ever waits for whoever listens: what cannot be sent at once is
left out, and the next moment is sent instead.
"""

from __future__ import annotations

import json
import re
import socket
import threading
import time
from contextlib import suppress
from importlib.resources import files
from typing import TYPE_CHECKING, Any, Protocol

from ..errors import GlyphosError
from ..files import reason
from .packets import Moment, face_json, face_osc
from .port import why_not

if TYPE_CHECKING:  # it brings pictures with it
    from .drawn import DrawnFace

LOOPBACK = "127.0.0.1"
OWN = "/own"  # where our channels are told, whoever is the character


class SendingError(GlyphosError):
    """A port is in use, or an address is none."""


class Sink(Protocol):
    """Takes moments; `send` never blocks and never raises."""

    sent: int
    lost: int
    problem: str  # a sentence while nothing arrives; "" else

    def send(self, moment: Moment) -> None: ...
    def close(self) -> None: ...


def address_of(text: str, port: int) -> tuple[str, int]:
    """HOST:PORT, HOST or PORT; loopback where no host is named. An address of IPv6 stands in brackets before a port
    (RFC 3986, 3.2.2), as in [::1]:9141. SendingError for what is none."""
    named = text.strip()
    host, colon, number = named.rpartition(":")
    if named.endswith("]") or (named.count(":") > 1 and not host.endswith("]")):
        host, number = named, str(port)
    elif not colon:
        host, number = ("", named) if named.isdecimal() else (named, str(port))
    if host.startswith("[") and host.endswith("]"):
        host = host[1:-1]
    if not number.strip().isdecimal() or not 0 < int(number) < 65_536:
        raise SendingError(f"“{text}” is no address; write as in 127.0.0.1:{port}.")
    return host or LOOPBACK, int(number)


class Datagrams:
    """UDP, as OSC bundles with a time tag or as lines of JSON."""

    def __init__(self, address: tuple[str, int], *, osc: bool) -> None:
        self.address, self._osc = address, osc
        self.sent = self.lost = 0
        self.problem = ""
        try:
            family = socket.getaddrinfo(*address, type=socket.SOCK_DGRAM)[0]
        except OSError:
            raise SendingError(f"There is no machine “{address[0]}”; check its name.") from None
        self._socket = socket.socket(family[0], socket.SOCK_DGRAM)
        self._socket.setblocking(False)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
        self._to = family[4]

    def send(self, moment: Moment) -> None:
        data = face_osc(moment, time.time()) if self._osc else face_json(moment)
        try:
            self._socket.sendto(data, self._to)
            self.sent += 1
            self.problem = ""
        except (BlockingIOError, ConnectionRefusedError):  # the network is full, or nobody listens
            self.lost += 1
        except OSError as error:
            self.lost += 1
            self.problem = f"No packet reaches {self.address[0]}: {reason(error)}."

    def close(self) -> None:
        self._socket.close()


class Web:
    """A WebSocket that sends each moment as JSON to whoever is connected, and a page that draws it, or shows a
    character's own drawings."""

    def __init__(self, port: int, host: str = LOOPBACK, *, drawn: DrawnFace | None = None) -> None:
        from websockets.sync.server import serve

        self.sent = self.lost = 0
        self.problem = ""
        self._drawn = drawn
        self._views = drawn.views if drawn is not None else []
        self._news = threading.Condition()
        self._last: Moment | None = None
        self._count = 0
        self._over = False
        try:
            self._server = serve(self._talk, host, port, process_request=self._page, max_size=4096, compression=None)  # fmt: skip
        except (OSError, OverflowError) as error:
            raise SendingError(
                f"Port {port} cannot be used: {why_not(error)}; choose another."
            ) from None
        self.port = int(self._server.socket.getsockname()[1])
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True, name="web")
        self._thread.start()

    def _page(self, connection: Any, request: Any) -> Any:
        """The page, and the drawings on it, for a browser that asks for them."""
        if request.headers.get("Upgrade", "").lower() == "websocket":
            return None
        kind, data = self._asked(request.path.partition("?")[0])
        response = connection.respond(200 if data else 404, "")
        for name, value in (
            ("Content-Type", kind or "text/plain; charset=utf-8"),
            ("Content-Length", str(len(data))),
        ):
            del response.headers[name]
            response.headers[name] = value
        response.body = data
        return response

    def _asked(self, path: str) -> tuple[str, bytes]:
        """Kind and bytes of what lies there; nothing where nothing does."""
        if path == "/":
            return "text/html; charset=utf-8", (
                files("glyphos.data") / "live" / "face.html"
            ).read_bytes()
        if path == "/drawings.json":
            return "application/json", json.dumps(self._views).encode()
        number = re.fullmatch(r"/drawings/(\d{1,4})\.png", path)
        if number is not None and self._drawn is not None:
            with suppress(IndexError, GlyphosError):
                return "image/png", self._drawn.picture(int(number[1]))
        return "", b""

    def _talk(self, connection: Any) -> None:
        """One listener: always the newest moment; one that is slow misses some."""
        seen, own = 0, connection.request.path == OWN
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
                    moment, seen = self._last, self._count
                if moment is not None:
                    connection.send(face_json(moment, own=own).decode())
                self.sent += 1
        except Exception:  # it went away
            return

    def send(self, moment: Moment) -> None:
        with self._news:
            self._last, self._count = moment, self._count + 1
            self._news.notify_all()

    def close(self) -> None:
        with self._news:
            self._over = True
            self._news.notify_all()
        self._server.shutdown()
        self._thread.join(2)
