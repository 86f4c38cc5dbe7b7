"""A tracker beside the window: listened to while it is wanted, shown on the face, recorded onto the line."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, Qt, QTimer, Signal

from ...errors import EditError
from ...live.port import PORT
from ...production.documents import Recorded
from ...production.kinds import line_key
from ...production.layers import take_kept
from .current import Current
from .document import Document
from .jobs import Jobs
from .talk import Talk
from .transport import Transport

if TYPE_CHECKING:  # it brings a library with it
    from ...booth.microphone import Microphone
    from ...live.ear import Known
    from ...live.face import Controls, LiveFace
    from ...live.packets import Moment
    from ...live.speaker import Reader
    from ...live.tracker import Health, Take, Tracker


class _Into:
    """Moments of a live face go straight into a tracker; `tell` hears of each, in the thread of the sound."""

    def __init__(self, tracker: Tracker, tell: Callable[[], object]) -> None:
        self._tracker, self._tell = tracker, tell
        self.sent = self.lost = 0
        self.problem = ""

    def send(self, moment: Moment) -> None:
        from ...live.packets import json_packet

        self._tracker.take_in(json_packet(moment.values, moment.number, moment.seconds))
        self.sent += 1
        self._tell()

    def close(self) -> None:
        pass


TICK = 16  # milliseconds from one look to the next
TOLD = 15  # looks, after which how it does is told again
TAKE = "take-"
BEHIND = 0.03  # seconds of sound that wait, above which a moment is not shown: sound goes first
FROZEN = 0.2  # seconds without a picture after which one is shown in any case


class Tracking(QObject):
    """One tracker at a time."""

    changed = Signal()  # whether it is listened to, how it does, whether it is recorded
    moved = Signal()  # another moment of the face
    left = Signal()  # what was spoken may wait to become a line
    _came = Signal()  # a moment of a live face, from its thread

    def __init__(
        self, document: Document, current: Current, transport: Transport, jobs: Jobs, talk: Talk
    ) -> None:  # fmt: skip
        super().__init__()
        self._document, self._current, self._transport = document, current, transport
        self._jobs, self._talk = jobs, talk
        self._tracker: Tracker | None = None
        self.live: LiveFace | None = None  # what moves it, if that is a voice
        self.known: Known | None = None  # of the speaker, as it was chosen
        self._learnt: Known | None = None  # of who spoke last and was new, while they did
        self._slug = ""  # the line that is recorded on
        self._started = False  # whether its sound was heard to begin
        self._replaces = ""  # a file that the take stands in for
        self._said, self._looks = "", 0
        self._telling = False  # of a moment that was not shown yet
        self._moved_at = 0.0  # when one was shown
        self.smoothing = 0.5
        self._timer = QTimer(self)
        self._timer.setInterval(TICK)
        self._timer.timeout.connect(self._look)
        self._came.connect(self._show, Qt.ConnectionType.QueuedConnection)
        document.opened.connect(self.drop)
        document.opened.connect(self._end_spoken)
        current.line_changed.connect(self.drop)

    # ---- listening ----------------------------------------------------------------------------

    @property
    def on(self) -> bool:
        return self._tracker is not None

    @property
    def recording(self) -> bool:
        return self._tracker is not None and self._tracker.taking

    @property
    def health(self) -> Health | None:
        return self._tracker.health() if self._tracker is not None else None

    def listen(self, port: int = PORT, *, everywhere: bool = False) -> None:
        """Listen on a port, to this machine or to all devices of the network; GlyphosError where that cannot be."""
        from ...live.tracker import Tracker

        self.close()
        self._tracker = Tracker(
            port, "0.0.0.0" if everywhere else "127.0.0.1", smoothing=self.smoothing
        )
        self._timer.start()
        self.changed.emit()

    def speak(self, make: Callable[[], Microphone], controls: Controls) -> LiveFace:
        """A microphone moves the face that is shown; MicrophoneError where it cannot be opened. It is a tracker like
        any other: takes of its curves can be recorded."""
        from ...live.face import LiveFace
        from ...live.tracker import Tracker

        self.close()
        tracker = Tracker(0, smoothing=0.0)
        live = LiveFace(make, [_Into(tracker, self._tell)], controls=controls)
        self._let_know(live)
        try:
            live.start()
        except BaseException:
            live.close()
            tracker.close()
            raise
        self._tracker, self.live = tracker, live
        self._timer.start()
        self.changed.emit()
        return live

    def calibrate(self) -> Reader:
        """Learn the speaker anew; what takes what they read. EditError where nobody speaks."""
        if self.live is None:
            raise EditError("Begin with Speak now; then a voice can be learnt.")
        self.know(None)
        return self.live.calibrate()

    def know(self, known: Known | None) -> None:
        """What was learnt of the speaker, for this face and those that follow; None: they are new."""
        self.known, self._learnt = known, None
        if self.live is not None:
            self._let_know(self.live)

    def _let_know(self, live: LiveFace) -> None:
        """A voice that is new is learnt while it speaks; so far it is taken for the one that spoke last."""
        live.know(self.known or self._learnt)
        if self.known is None:
            from ...speech.words import chosen

            line, document = self._current.line, self._document
            spoken = document.production.header.language if document.is_open else "en"
            live.learn(line.language if line is not None else spoken, str(chosen() or ""))

    def close(self) -> None:
        """Listen no more; what is being recorded is dropped."""
        self._timer.stop()
        if self.live is not None:
            self._learnt = self.live.learnt or self._learnt
            self.live.close()
            self.live = None
            self.left.emit()
        if self._tracker is not None:
            self._tracker.close()
            self._tracker = None
            self._slug = ""
            self.changed.emit()
            self.moved.emit()

    def values(self) -> dict[str, float]:
        """The face that the device shows now; nothing while none does."""
        return self._tracker.values() if self._tracker is not None else {}

    def zero(self) -> None:
        """The face as it is now is its rest."""
        self._need().zero()
        self._talk.say("The face as it was just now is its rest")

    def smooth(self, smoothing: float) -> None:
        self.smoothing = smoothing
        if self._tracker is not None:
            self._tracker.smooth(smoothing)

    def _need(self) -> Tracker:
        if self._tracker is None:
            raise EditError(
                "Listen to a tracker first; `glyphos tracker --demo` plays a made-up one."
            )
        return self._tracker

    def _look(self) -> None:
        tracker = self._tracker
        if tracker is None:
            return
        state = tracker.health().state
        self._looks += 1
        if state != self._said or self._looks % TOLD == 0:
            self.changed.emit()
        if state != self._said:
            what = "tracker" if self.live is None else "sound"
            if state == "vanished":
                self._talk.say(f"The {what} has vanished; it is taken up again when it comes back")
                self.moved.emit()  # to what is kept
            elif state == "receiving" and self._said == "vanished":
                self._talk.say(f"The {what} is back")
            self._said = state
        if self.recording:
            self._started = self._started or self._transport.playing
            if self._started and not self._transport.playing:
                self._talk.try_to(self.end)
        if state == "receiving" and self.live is None:
            self.moved.emit()

    def _tell(self) -> None:
        """A live face is shown as it comes, not at the next look; one telling waits at most."""
        if not self._telling:
            self._telling = True
            self._came.emit()

    def _show(self) -> None:
        self._telling = False
        if self.live is None:
            return
        now = monotonic()
        if self.live.behind <= BEHIND or now - self._moved_at > FROZEN:
            self._moved_at = now
            self.moved.emit()

    # ---- recording ----------------------------------------------------------------------------

    def record(self, replaces: str = "") -> None:
        """Play the line from its start and record what the tracker sends; it ends with the line, or with
        `end`. replaces: the file of a take that is recorded again."""
        tracker, line = (
            self._need(),
            self._document.kept_line(self._current.line.slug if self._current.line else ""),
        )
        if line is None or line.reading is None:
            raise EditError("Listen to the line first; then a take can be recorded on it.")
        if not self.values():
            raise EditError("Nothing comes from the tracker yet; start it, then record.")
        self._slug, self._replaces, self._started = line.slug, replaces, False
        self._transport.stop()
        self._transport.seek(0.0)
        tracker.begin()
        self._transport.play(0.0)
        self.changed.emit()

    def _end_spoken(self) -> None:
        """What is spoken belongs to the production that was open; it waits there to become a line."""
        take = self.live.end_take() if self.live is not None else None
        if take is not None:
            self._talk.say(
                f"What was spoken is kept in {take.path}; open that production to bring it in"
            )
        self.left.emit()

    def drop(self) -> None:
        """Record no more; nothing is kept."""
        if self._tracker is not None and self._tracker.taking:
            self._tracker.drop()
            self.changed.emit()

    def end(self) -> None:
        """Keep what was recorded as a layer of the line; other takes are off then."""
        tracker, slug, replaces = self._need(), self._slug, self._replaces
        if not tracker.taking:
            raise EditError("Nothing is being recorded.")
        self._transport.stop()
        take: Take = tracker.end()
        self.changed.emit()
        folder, table = self._document.folder, take.table()

        def apply(kept: Recorded) -> None:
            line = self._document.kept_line(slug)
            if line is None:
                return
            others = tuple(
                msgspec.structs.replace(r, on=False) if Path(r.file).name.startswith(TAKE) else r
                for r in line.recorded if r.file != replaces
            )  # fmt: skip
            made = msgspec.structs.replace(line, recorded=(*others, kept))
            self._document.change("Record a take", {line_key(slug): made})
            told = f"{Path(kept.file).stem}: {take.times[-1]:.1f} s"
            if take.lost:
                told += f", {take.lost} packets lost and bridged"
            if take.gaps > 0:
                told += f", nothing came for {take.gaps:.1f} s"
            self._talk.say(told)

        self._jobs.submit(
            "Keeping the take", lambda _: take_kept(folder, table, TAKE), apply, name="take"
        )
