"""A face that speaks now: sound in from a microphone, values out to whoever wants them.

Sound is taken in by the microphone's thread and worked on by one of ours; if that ever falls behind, blocks wait
and nothing is lost, and `Health` tells how late it is.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..booth.microphone import RATE as MICROPHONE
from ..booth.microphone import Microphone
from ..booth.takes import Take, TakeWriter
from .ear import CHANNELS, Known
from .hearing import Heard, Hearing
from .learning import Learning, can_learn
from .living import Living, Pitch
from .lower import DELAY, Lower
from .packets import Moment
from .sending import Sink
from .speaker import Reader

Floats = NDArray[np.float32]
HEARD = 16_000
BLOCK = 160
USUAL = 60  # packets a second
KEPT = 2000  # latencies that are remembered
AGAIN = 1.0  # seconds until a microphone that went away is asked for again
SPEAKS = 1.0  # log odds of speech
EASE = 0.2  # share of the way to rest, or back, that a mouth which is muted goes in each 10 ms


@dataclass(frozen=True)
class Controls:
    """articulation, jaw_reach: as in Delivery, 0..2. gate: log odds of speech under which the mouth rests (−6: always
    open). mute: at rest. life: strength of blinks, gaze and head."""

    articulation: float = 1.0
    jaw_reach: float = 1.0
    gate: float = -6.0
    mute: bool = False
    life: float = 1.0


@dataclass(frozen=True)
class Health:
    """seconds: of sound that came; packets: that left; late: milliseconds from a sample to its packet, median and
    95th percentile; behind: seconds of sound that wait; problem: a sentence, if there is one; learnt: shut lips from
    which the voice was learnt while it spoke."""

    seconds: float
    packets: int
    late: tuple[float, float]
    behind: float
    problem: str = ""
    learnt: int = 0


class LiveFace:
    """Runs from `start` to `close`. worn: from our channels to a character's own, if it is to be one. drawn: from our
    channels and seconds to the drawings that are shown, by the names of parts."""

    def __init__(
        self, microphone: Callable[[], Microphone], sinks: Sequence[Sink], *, controls: Controls | None = None,
        rate: float = USUAL, seed: int = 0, worn: Callable[[Mapping[str, float]], Mapping[str, float]] | None = None,
        drawn: Callable[[Mapping[str, float], float], Mapping[str, str]] | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self.controls = controls or Controls()
        self.values: dict[str, float] = {}
        self._make, self._sinks, self._worn, self._clock = microphone, list(sinks), worn, clock
        self._drawn = drawn
        self._every = HEARD / rate
        self._lower, self._open = Lower(), 0.0
        self._hearing, self._pitch, self._living = Hearing(), Pitch(), Living(seed)
        self._blocks: queue.Queue[tuple[Floats, float] | None] = queue.Queue()
        self._rest, self._came, self._done = np.zeros(0, np.float32), 0.0, 0
        self._due, self._number = 0.0, 0
        self._late: list[float] = []
        self.stamp = 0.0  # by the clock: when the sound was said that `values` show
        self._problem, self._over, self._calibrating = "", threading.Event(), threading.Event()
        self._turn = threading.Lock()  # a microphone is taken up or let go, not both at once
        self._trouble = ""  # of the newest block
        self._reader = Reader()  # of whoever calibrated last
        self._learning: Learning | None = None
        self.learnt: Known | None = None  # of who speaks, while they did
        self._take: TakeWriter | None = None
        self._microphone: Microphone | None = None
        self._thread = threading.Thread(target=self._work, daemon=True, name="live")

    # ---- life of it ---------------------------------------------------------------------------

    def start(self) -> None:
        """MicrophoneError, one sentence, where there is none."""
        self._microphone = self._make()
        self._thread.start()
        self._microphone.start(self._heard, self._lost)

    def close(self) -> Take | None:
        """End it; a recording that runs is kept."""
        self._over.set()
        self._learn_no_more()
        with self._turn:
            if self._microphone is not None:
                self._microphone.stop()
        self._blocks.put(None)
        if self._thread.is_alive():
            self._thread.join(5)
        for sink in self._sinks:
            sink.close()
        return self.end_take()

    def _heard(self, block: Floats) -> None:
        take = self._take  # which another thread may end just now
        if take is not None:
            take.write(block)
        self._blocks.put((block, self._clock()))

    def _lost(self, sentence: str) -> None:
        """The microphone went away: it is asked for again until it is there."""
        self._problem = sentence
        threading.Thread(target=self._again, daemon=True, name="again").start()

    def _again(self) -> None:
        while not self._over.wait(AGAIN):
            with self._turn:
                if self._over.is_set():
                    return
                if self._microphone is not None:  # it may keep the device to itself
                    self._microphone.stop()
                    self._microphone = None
                try:
                    microphone = self._make()
                    microphone.start(self._heard, self._lost)
                except Exception:  # not there yet
                    continue
                self._microphone, self._problem = microphone, ""
                return

    def calibrate(self) -> Reader:
        """Learn the speaker and the room anew, from the next seconds; what takes what is said in them until a pause."""
        self._reader = reader = Reader()
        if self._learning is not None:
            self.learn(*self._learning.given)  # what was said so far was another's
        self._calibrating.set()
        return reader

    def know(self, known: Known | None) -> None:
        """What was learnt of the speaker (`speaker`); no more is learnt while they speak."""
        self._learn_no_more()
        self._hearing.know(known)

    def learn(self, language: str = "en", words_model: str = "") -> None:
        """Learn who speaks while they do, from now on (`learning`), if words of the language can be made out."""
        self._learn_no_more()
        if can_learn(language, words_model):
            self._learning = Learning(language, words_model, self._learn_now)

    def _learn_now(self, known: Known) -> None:
        self.learnt = known
        self._hearing.know(known)

    def _learn_no_more(self) -> None:
        learning, self._learning = self._learning, None
        if learning is not None:
            learning.end()
        self.learnt = None

    # ---- recording ----------------------------------------------------------------------------

    def begin_take(self, folder: Path, slug: str) -> None:
        """Keep what comes from now on, as a take of a line."""
        self._take = TakeWriter(folder, slug)

    @property
    def take(self) -> Path | None:
        """Where what comes is being kept."""
        return self._take.path if self._take is not None else None

    @property
    def take_problem(self) -> str:
        """Why no more of it can be kept; "" if it can."""
        take = self._take
        return take.problem if take is not None else ""

    def end_take(self) -> Take | None:
        take, self._take = self._take, None
        return take.close() if take is not None else None

    # ---- work ---------------------------------------------------------------------------------

    def _work(self) -> None:
        while (item := self._blocks.get()) is not None:
            try:
                self._take_in(*item)
                self._trouble = ""
            except Exception as error:  # of one block; the next may do
                self._trouble = (
                    f"A moment could not be shown ({error}); what follows is tried again."
                )

    def _take_in(self, block: Floats, came: float) -> None:
        if self._calibrating.is_set():
            self._calibrating.clear()
            self._hearing.calibrate()
        self._rest = np.concatenate([self._rest, self._lower.push(block)])
        self._came += len(block) / MICROPHONE
        while len(self._rest) >= BLOCK:
            piece, self._rest = self._rest[:BLOCK], self._rest[BLOCK:]
            said = came - len(self._rest) / HEARD - DELAY - self._hearing.delay
            hertz = self._pitch.push(piece)
            for heard in self._hearing.push(piece):
                self._show(heard, hertz, said)
                self._reader.push(piece, heard.speech > SPEAKS)
                learning = self._learning  # which another thread may end just now
                if learning is not None:
                    learning.push(piece, heard.speech > SPEAKS)

    def _show(self, heard: Heard, hertz: float, said: float) -> None:
        self.values, self.stamp = self._made(heard, hertz), said
        self._done += BLOCK
        if self._done < self._due:
            return
        self._due += self._every
        if self._due < self._done:  # it was asked for more than there is
            self._due = self._done
        self._number += 1
        seconds = self._done / HEARD
        values = self.values
        moment = Moment(
            values, self._number, seconds,
            self._worn(values) if self._worn is not None else values,
            self._drawn(values, seconds) if self._drawn is not None else {},
        )  # fmt: skip
        for sink in self._sinks:
            sink.send(moment)
        self._late.append(self._clock() - said)
        del self._late[:-KEPT]

    def _made(self, heard: Heard, hertz: float) -> dict[str, float]:
        controls = self.controls
        still = controls.mute or heard.speech < controls.gate
        self._open += ((not still) - self._open) * EASE
        if still and self._open < 0.01:
            self._open = 0.0
        strength = np.full(len(CHANNELS), controls.articulation * self._open)
        strength[0] *= controls.jaw_reach
        mouth = np.clip(heard.values * strength, -1.0, 1.0)
        self._living.strength = controls.life
        rest = self._living.step(heard.speech > SPEAKS and not controls.mute, heard.loud, hertz)
        return dict(zip(CHANNELS, mouth.tolist(), strict=True)) | (
            rest if controls.life > 0 else {}
        )

    @property
    def behind(self) -> float:
        """Seconds of sound that wait to be heard."""
        return self._blocks.qsize() * 0.01

    @property
    def health(self) -> Health:
        late = np.array(self._late or [0.0]) * 1000
        middle, most = np.percentile(late, [50, 95])
        unsent = (sink.problem for sink in self._sinks)
        problem = (
            self._problem or self._trouble or self.take_problem or next(filter(None, unsent), "")
        )
        learnt = self.learnt
        told = learnt.closures if learnt is not None else 0
        return Health(
            self._came, self._number, (float(middle), float(most)), self.behind, problem, told
        )
