"""Pictures of the main views from the demo production: `python tools/shot.py FOLDER [NAME …]`."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parents[1]))
import msgspec
from PySide6.QtCore import QSettings
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QApplication, QDialog, QPushButton

from glyphos.app.compose import make_window
from glyphos.app.main import make_application
from glyphos.app.model.settings import Preferences
from glyphos.app.pages.characters.pairs import IMAGES
from glyphos.app.sound.devices import SilentDevice
from glyphos.booth.microphone import StandInMicrophone
from glyphos.characters.builtin import builtin
from glyphos.characters.dressing import Dressed
from glyphos.characters.poses import POSES
from glyphos.motion.life.event import Liveliness
from glyphos.motion.mood import MoodSpan
from glyphos.production.demo import copy_demo
from glyphos.production.kinds import line_key
from glyphos.speech.parts import Edge, Part
from glyphos.stage.sheets import draw_sheet, save_png


def settle(application: QApplication, seconds: float = 0.3) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        application.processEvents()
        time.sleep(0.01)


class Shots:
    """A window on a copy of the demo, brought into the state of each picture."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        QSettings.setDefaultFormat(QSettings.Format.IniFormat)
        temporary = Path(tempfile.mkdtemp())
        QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(temporary))
        self.application = make_application()
        self.window = make_window(device=SilentDevice(), preferences=Preferences())
        self.context = self.window.context
        self.score = self.window.pages["score"]
        self.characters = self.window.pages["characters"]
        self.window.show()
        self.window.productions.open(copy_demo(temporary / "hollow-hill.glyphos"))
        self.idle()

    def idle(self, seconds: float = 120.0) -> None:
        """Wait until nothing is being done any more."""
        settle(self.application, 0.1)
        finder = self.score.desk.finder
        self.finish(
            lambda: (
                not self.context.jobs.running and not finder.busy and self.context.current.settled
            ),
            seconds,
        )
        settle(self.application, 0.1)

    def finish(self, condition: Callable[[], bool], seconds: float = 60.0) -> None:
        end = time.monotonic() + seconds
        while not condition() and time.monotonic() < end:
            settle(self.application, 0.05)

    def take(self, name: str) -> None:
        settle(self.application)
        for head in (self.window.face_panel.head, self.characters.head):
            if head.isVisible() and self.context.tracking.live is None:
                self.finish(lambda h=head: h.fine, 10.0)
        if self.context.tracking.live is not None:  # it moves: in the middle of a word
            self.finish(self._speaks, 8.0)
        self.window.grab().save(str(self.folder / f"{name}.png"))

    def _speaks(self) -> bool:
        """Whether the mouth stays open for a tenth of a second."""
        part = self.context.tracking.values
        for _ in range(5):
            if part().get("lips_part", 0.0) < 0.3:
                return False
            settle(self.application, 0.025)
        return True

    def with_dialog(self, name: str) -> None:
        """The window with the dialog that is open on it."""
        self.finish(lambda: any(d.isVisible() for d in self.window.findChildren(QDialog)))
        settle(self.application)
        dialog = next(d for d in self.window.findChildren(QDialog) if d.isVisible())
        picture = self.window.grab()
        inner = dialog.grab()
        painter = QPainter(picture)
        x, y = (picture.width() - inner.width()) // 2, (picture.height() - inner.height()) // 2
        painter.fillRect(0, 0, picture.width(), picture.height(), QColor(0, 0, 0, 70))
        painter.drawPixmap(x, y, inner)
        painter.end()
        picture.save(str(self.folder / f"{name}.png"))
        dialog.close()
        settle(self.application, 0.1)

    # ---- the pictures -----------------------------------------------------------------------

    def show(self, slug: str, part: Part | None = None) -> None:
        self.window.show_page("score")
        self.context.selection.show(slug)
        self.context.selection.select(part)
        self.idle()

    def score_paper(self) -> None:
        self.context.preferring.set(theme="paper")
        self.show("01-mabel-beam", Part("word", 14))
        self.context.transport.seek(6.98)

    def score_night(self) -> None:
        self.score_paper()
        self.context.preferring.set(theme="night")

    def score_large(self) -> None:
        """The page on the whole of a large window, with the legend."""
        self.score_paper()
        self.context.preferring.set(legend=True)
        self.window.resize(1920, 1080)
        self.window.show_whole(True)

    def unheard(self) -> None:
        """A line that was not listened to."""
        self.window.show_whole(False)
        self.context.preferring.set(legend=False)
        self.window.resize(1280, 800)
        self.show("02-osric-door")

    def loupe(self) -> None:
        self.context.preferring.set(theme="paper")
        self.show("01-mabel-beam", Part("word", 15))
        flat, desk = self.context.current.flat, self.score.desk
        assert flat is not None
        first = flat.first[15]
        desk.nudge_edge(Edge(first), 0, -0.012)
        desk.nudge_edge(Edge(first + 1), 0, 0.01)
        self.idle()
        desk.mark("breath", 5.4)
        self.score.split.setSizes([420, 330])
        self.context.selection.choose_edge(Edge(first + 1))
        self.context.transport.seek(flat.phones[first + 1].start)

    def lines(self) -> None:
        self.score.split.setSizes([590, 165])
        self.window.batch.start()
        self.idle()
        self.show("09-ospite-italiano", Part("word", 4))

    def handoff(self) -> None:
        """All lines through the Queue, to the end."""
        page = self.window.pages["handoff"]
        page.folder.setText(str(self.night))
        page.which.setCurrentIndex(2)
        page.timing.setCurrentIndex(0)
        for box in (page.listen, page.report):
            box.setChecked(True)
        self.window.show_page("handoff")
        page.write()
        self.idle()
        page.folder.setText("~/shows/hollow-hill/night")
        self.talk_away()

    def talk_away(self) -> None:
        """Without the message, which names a folder of this machine."""
        self.context.talk.clear()

    @property
    def night(self) -> Path:
        return Path(self.context.document.folder).parent / "night"

    def characters_page(self) -> None:
        """Osric on his own head, at the widest moment of a line."""
        self.context.preferring.set(theme="paper")
        self.window.show_page("score")
        self.show("03-pip-wind")
        self.window.show_page("characters")
        self.characters.choose("pip")
        motion = self.context.current.motion
        assert motion is not None
        self.context.transport.seek(int(motion.channel("lips_round").argmax()) / float(motion.fps))
        self.idle()
        self.drawn()

    def drawn(self) -> None:
        """Wait for the pictures of a fitting."""
        pairs = self.characters.pairs
        self.finish(
            lambda: all(all(pairs.item(k).data(IMAGES)) for k in range(pairs.count())), 30.0
        )
        self.characters.head.refresh()
        settle(self.application, 1.0)

    def in_drawings(self) -> None:
        """Osric's line with the exposure strip, and how his drawings are held."""
        self.context.preferring.set(theme="paper")
        self.show("04-osric-boots")
        self.finish(lambda: self.window.face_panel.drawings.pictures is not None)
        self.context.transport.seek(1.2)
        self.score.drawings.step(1)
        buttons = self.window.findChildren(QPushButton)
        next(b for b in buttons if b.accessibleName() == "Section Drawings").setChecked(True)
        self.idle()

    def drawings_chart(self) -> None:
        """His chart on the Characters page."""
        self.in_drawings()
        self.window.show_page("characters")
        self.characters.choose("osric-drawn")
        self.characters.drawn.choose("mouth-oval")
        self.idle()

    def exposure_sheet(self) -> None:
        self.drawings_chart()
        self.characters.drawn.tabs.setCurrentIndex(1)
        self.context.transport.seek(1.5)
        self.idle()

    def life_and_mood(self) -> None:
        """A line that lives, with a mood, a recorded head on it, and the pitch of its voice."""
        self.context.preferring.set(theme="paper")
        self.show("03-pip-wind")
        line = self.context.document.kept_line("03-pip-wind")
        assert line is not None and line.reading is not None
        spans = (MoodSpan("joy", 0.4, line.reading.audio.duration * 0.6, 0.7),)
        made = msgspec.structs.replace(line, moods=spans, life=Liveliness())
        self.context.document.change("Feel it", {line_key(line.slug): made})
        self.window.commands.do("pitch")
        self.section("Life and mood")
        self.context.transport.seek(1.4)
        self.idle()

    def curves(self) -> None:
        """One smile, raised over a word; what each layer brings."""
        self.context.preferring.set(theme="paper")
        self.on_curves("lens", "lip_corner_up_left", "Layers")

    def on_curves(self, word: str, channel: str, section: str) -> None:
        self.show("01-mabel-beam")
        self.window.show_page("curves")
        page, reading = self.window.pages["curves"], self.context.current.reading
        assert reading is not None
        words = [w.text.strip(".,") for w in reading.words()]
        at = list(reading.words())[words.index(word)]
        page.desk.take(channel)
        self.context.transport.seek((at.start + at.end) / 2)
        self.context.selection.select(Part("word", words.index(word)))
        page.desk.choose((page.desk.touches()[0][0], 1))
        self.section(section)
        self.idle()

    def section(self, title: str) -> None:
        """Open a section of the inspector."""
        for button in self.window.findChildren(QPushButton):
            if button.accessibleName() == f"Section {title}":
                button.setChecked(True)

    def face_views(self) -> None:
        """One sound from three places, on the stage alone."""
        dressed = Dressed(builtin("mabel"))
        poses = {"o": POSES["o"], "grin": POSES["grin"]}
        views = ["front", "three quarters", "side"]
        save_png(draw_sheet(dressed, poses, views, (360, 400)), self.folder / "face-views.png")

    def scene(self) -> None:
        """The demo's scene, a line of it chosen, two in sight."""
        self.context.preferring.set(theme="paper")
        self.window.show_page("scene")
        page = self.window.pages["scene"]
        self.idle()
        self.finish(lambda: self.context.scenery.settled)
        page.desk.choose((1, 0))
        self.context.transport.seek(25.3)
        self.idle()
        settle(self.application, 3.0)

    def proof(self) -> None:
        """Findings of a line with a script that was changed, and marks in the score and the list."""
        self.context.preferring.set(theme="paper")
        self.show("07-mabel-night-log")
        self.window.commands.do("proof-all")
        self.idle()
        self.window.commands.do("proof-next")
        self.idle()
        settle(self.application, 1.0)

    def report(self) -> None:
        """What a night's work came to, as a browser shows it."""
        import shutil
        import subprocess

        browser = shutil.which("chromium")
        if browser is None:
            print("report: there is no browser here; its picture stays as it is")
            return
        path = self.folder / "report.png"
        subprocess.run(
            [browser, "--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,800", "--virtual-time-budget=4000",
             f"--screenshot={path}", (self.night / "report.html").as_uri()], check=True, capture_output=True,
        )  # fmt: skip

    def booth(self) -> None:
        """A play that was typed and said, its first line with a take, and a voice that moves the face now."""
        self.context.preferring.set(theme="paper")
        self.window.show_page("booth")
        page = self.window.pages["booth"]
        page.saying.text.setPlainText(
            "MABEL: The beam is out again. Somebody moved my map.\n"
            "OSRIC: Not me. I was wiping my boots.\n\nPIP: Probably the wind, Osric."
        )
        self.window.commands.do("booth-make")
        self.idle()
        spoken = StandInMicrophone(
            Path(self.context.document.folder) / "audio" / "05-mabel-hush.flac"
        )
        page.recording.make_microphone = lambda: spoken
        page.recording.count_in.setValue(0)
        self.window.commands.do("booth-record")
        settle(self.application, 1.4)
        self.window.commands.do("booth-record")
        self.idle()
        talking = StandInMicrophone(
            Path(self.context.document.folder) / "audio" / "01-mabel-beam.flac"
        )
        page.recording.make_microphone = lambda: talking
        self.window.commands.do("booth-live")
        page.recording.live.keep.click()
        settle(self.application, 1.0)

    def palette(self) -> None:
        self.show("01-mabel-beam")
        self.window.commands.do("shortcuts")


PLAIN = (
    "score_paper", "score_night", "score_large", "unheard", "loupe", "lines", "in_drawings", "drawings_chart",
    "exposure_sheet", "life_and_mood", "curves", "characters_page", "scene", "proof", "handoff", "booth",
)  # fmt: skip
STAGE = ("face_views", "report")  # without the window
DIALOGS = ("palette",)


def main() -> None:
    target = Path(sys.argv[1])
    target.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[2:] or [*PLAIN, *DIALOGS, *STAGE]
    shots = Shots(target)
    for name in wanted:
        getattr(shots, name)()
        if name in STAGE:
            continue
        if name in DIALOGS:
            shots.with_dialog(name.replace("_", "-"))
        else:
            shots.take(name.removesuffix("_page").replace("_", "-"))
    shots.window.close()


if __name__ == "__main__":
    main()
