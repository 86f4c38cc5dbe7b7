"""Who speaks to the live face: somebody new, whoever calibrated last, or a speaker by the lines that there are."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QSignalBlocker, QTimer
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QComboBox

from ...model import settings
from ...model.context import Context
from ...model.jobs import Told

if TYPE_CHECKING:  # it brings libraries with it
    from ....live.ear import Known
    from ....live.lines import Recorded

LEARNING = "learning the voice"  # name of a job
Who = tuple[str, str]  # what is known of them, and by whose lines
NEW, CALIBRATED, LINES = "new", "calibrated", "lines"
NOBODY, CALIBRATOR = (NEW, ""), (CALIBRATED, "")
STAYS = 600  # milliseconds after a key until somebody is learnt whom it may only pass by


class WhoBox(QComboBox):
    """Says it, and has it learnt. Until a person chooses it is whoever calibrated, in this window or an earlier one."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.who: Who = NOBODY
        self._chosen = self._passing = False
        self._stays = QTimer(self, singleShot=True, interval=STAYS)
        self._stays.timeout.connect(self.begin)
        # By speaker: their lines as they were, and what those told
        self._learned: dict[str, tuple[Sequence[Recorded], Known]] = {}
        self.setAccessibleName("Who speaks to the live face")
        self.setToolTip(
            "Shut lips are told better of a voice that is known: by a sentence that was read aloud (Calibrate), by lines "
            "of theirs in this production, or, of somebody new, by what they say, after some seconds"
        )
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(6)
        self.activated.connect(lambda _: context.talk.try_to(self._choose))
        context.document.opened.connect(self._opened)
        self._show_choices()

    def showEvent(self, event: QShowEvent) -> None:
        self._show_choices()
        super().showEvent(event)

    def showPopup(self) -> None:
        self._show_choices()
        super().showPopup()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self._passing = True
        super().keyPressEvent(event)
        self._passing = False

    def begin(self) -> None:
        """The face begins to listen; who was new stays who they were, and lines may have changed."""
        if self.who[0] == LINES and self._c.jobs.find(LEARNING) is None:
            self._c.talk.try_to(lambda: self.take(self.who))
        elif not self._chosen and self.who == NOBODY and calibrated() is not None:
            self.take(CALIBRATOR)

    def reads(self) -> None:
        """Somebody is about to read the sentence aloud, and is new until then."""
        self._chosen = True
        self.take(NOBODY)

    def has_read(self, known: Known) -> None:
        """They are known now, and at the next start, too."""
        from ....live.keeping import packed

        settings.keep_voice(base64.b64encode(packed(known)).decode())
        self.take(CALIBRATOR)

    def take(self, who: Who) -> None:
        """They speak from now on, as soon as it is known how."""
        from ....live.lines import heard_lines

        document = self._c.document
        lines = heard_lines(document.production, who[1]) if who[0] == LINES else []
        self._c.jobs.cancel(LEARNING)
        self._stays.stop()
        kept = calibrated()
        self.who = NOBODY if who == CALIBRATOR and kept is None else who
        kind, speaker = self.who
        of, known = self._learned.get(speaker, ((), None))
        if of != lines:
            known = None
        self._c.tracking.know(known if kind == LINES else kept if kind == CALIBRATED else None)
        self._show_choices()
        if kind == LINES and known is None and self._passing:
            self._stays.start()
        elif kind == LINES and known is None:
            self._learn(speaker, lines)

    def _choose(self) -> None:
        self._chosen = True
        kind, speaker = self.currentData()
        try:
            self.take((kind, speaker))
        finally:
            self._show_choices()

    def _show_choices(self) -> None:
        """All who may speak, with the one who is taken to."""
        from ....live.lines import heard_speakers

        document = self._c.document
        speakers = heard_speakers(document.production) if document.is_open else []
        choices = {NOBODY: "Somebody new"}
        if self.who == CALIBRATOR or calibrated() is not None:
            choices[CALIBRATOR] = "Whoever calibrated"
        choices |= {(LINES, s): f"{s}, by their lines" for s in speakers}
        with QSignalBlocker(self):
            self.clear()
            for who, text in choices.items():
                self.addItem(text, who)
            self.setCurrentIndex(list(choices).index(self.who) if self.who in choices else 0)

    def _learn(self, speaker: str, lines: Sequence[Recorded]) -> None:
        def work(told: Told) -> Known:
            from ....live.beside import beside
            from ....live.lines import known_by

            return beside(known_by, lines, speaker, progress=told)

        def apply(made: Known) -> None:
            self._learned[speaker] = lines, made
            self._c.tracking.know(made)
            self._c.talk.say(f"The voice of {speaker} is known: its lips were shut {made.closures} times")  # fmt: skip

        self._c.jobs.submit(f"Learning the voice of {speaker}", work, apply, scope=LEARNING, name=LEARNING,
                            ended=self._ended)  # fmt: skip

    def _ended(self, problem: str) -> None:
        if problem:
            self.take(NOBODY)

    def _opened(self) -> None:
        """Another production has other lines."""
        self._learned.clear()
        if self.who[0] == LINES:
            self._chosen = False
            self.take(CALIBRATOR)
        elif self.isVisible():
            self._show_choices()


def calibrated() -> Known | None:
    """What is known of whoever calibrated last."""
    from ....live.keeping import unpacked

    try:
        return unpacked(base64.b64decode(settings.voice(), validate=True))
    except (binascii.Error, ValueError):
        return None
