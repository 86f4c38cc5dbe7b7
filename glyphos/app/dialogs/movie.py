"""A movie: how large, how it is read and heard, and writing it in the background."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QDialog, QFormLayout, QWidget

from ...progress import share
from ...rates import frame_rate
from ...scene.documents import Scene
from ..model.ask import Ask
from ..model.context import Context
from ..model.jobs import Told
from .common import buttons, combo

if TYPE_CHECKING:  # it brings the solver with it
    from ...handoff.kept import Kept

KINDS = "MP4 (*.mp4);;WebM (*.webm);;ProRes (*.mov);;Pictures in a folder (*.png-folder)"
SIZE = (1280, 720)
SIZES = (
    ("1280x720", "1280 × 720"), ("1920x1080", "1920 × 1080"), ("3840x2160", "3840 × 2160"), ("854x480", "854 × 480"),
    ("1080x1080", "1080 × 1080, square"), ("1080x1920", "1080 × 1920, upright"), ("720x1280", "720 × 1280, upright"),
)  # fmt: skip
CAPTIONS = (("none", "none"), ("burnt", "on the picture"), ("track", "as a track that can be switched on"), ("file", "in a file beside it"))  # fmt: skip
LOUD = (
    ("", "as it is"),
    ("-23", "−23 LUFS, broadcast (EBU R 128)"),
    ("-16", "−16 LUFS, for the web"),
)
PICTURE = "picture"
GROUNDS = (("", "as the scene says"), ("paper", "paper"), ("night", "night"), ("none", "see-through"), (PICTURE, "a picture…"))  # fmt: skip
RATES = ("12", "15", "24", "25", "30", "50", "60")


@dataclass(frozen=True)
class Wanted:
    """How a movie is to be."""

    size: tuple[int, int] = SIZE
    fps: str = ""  # the production's
    captions: str = "none"
    loud: float | None = None
    fine: bool = False
    background: str = ""  # as the scene says


class MovieDialog(QDialog):
    """Asks how a movie is to be."""

    def __init__(self, title: str, fps: str, ask: Ask, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._ask = ask
        self.setWindowTitle(f"Movie of {title}")
        self.size_box = combo("Size", SIZES, "1280x720")
        self.size_box.setEditable(True)
        rates = list(dict.fromkeys([fps, *RATES]))
        self.rate_box = combo("Frames a second", [(r, f"{r} fps") for r in rates], fps)
        self.captions_box = combo("Captions", CAPTIONS, "none")
        self.loud_box = combo("Loudness", LOUD, "")
        self.fine_box = combo("Quality", [("", "quick"), ("fine", "fine (takes about eight times as long)")], "")  # fmt: skip
        self.ground_box = combo("Background", GROUNDS, "")
        self.ground_box.activated.connect(self._ask_for_picture)
        form = QFormLayout(self)
        for box in (
            self.size_box,
            self.rate_box,
            self.captions_box,
            self.loud_box,
            self.ground_box,
            self.fine_box,
        ):
            form.addRow(box.accessibleName(), box)
        form.addRow(buttons(self, ok="Choose where…"))
        self.resize(420, 230)

    def wanted(self) -> Wanted:
        """What was chosen."""
        loud = _data(self.loud_box)
        return Wanted(
            size_of(self.size_box.currentText()), _data(self.rate_box), _data(self.captions_box),
            float(loud) if loud else None, bool(_data(self.fine_box)), _data(self.ground_box),
        )  # fmt: skip

    def _ask_for_picture(self) -> None:
        """A picture of one's own behind whoever is seen."""
        if _data(self.ground_box) != PICTURE:
            return
        found = self._ask.open_files(
            "A picture for the background", "Pictures (*.png *.jpg *.jpeg *.webp)"
        )
        if found:
            self.ground_box.insertItem(self.ground_box.count() - 1, found[0].name, str(found[0]))
        last = self.ground_box.count() - 2
        self.ground_box.setCurrentIndex(last if found else 0)


def _data(box: QComboBox) -> str:
    return str(box.currentData())


def size_of(text: str) -> tuple[int, int]:
    """Of `1280 × 720, wide`; SaveError where it is none."""
    from ...errors import SaveError

    try:
        width, height = (int(x) for x in text.split(",")[0].lower().replace("×", "x").split("x"))
    except ValueError:
        raise SaveError(f"“{text}” is no size; write 1280x720, for one.") from None
    return width, height


def ask_for_movie(context: Context, scene: Scene, title: str) -> None:
    """Ask how, then where to, and write it."""
    dialog = MovieDialog(title, context.document.header.fps, context.ask)

    def go() -> None:
        context.talk.try_to(
            lambda: make_movie(
                context, scene, title, scene.slug, dialog.wanted(), context.scenery.kept
            )
        )

    dialog.accepted.connect(go)
    context.ask.show(dialog)


def make_movie(context: Context, scene: Scene, title: str, stem: str, wanted: Wanted | None = None, kept: Kept | None = None) -> None:  # fmt: skip
    """Ask where to, and write a movie with its sound in the background. kept: sounds that were read already."""
    from ...handoff.filming import Filming, Look
    from ...scene.movie import check_film
    from ...scene.painting import readable_background

    wanted = wanted or Wanted(SIZE)
    production = context.document.production
    chosen = context.ask.save_file(f"Movie of {title}", f"{stem}.mp4", KINDS)
    if chosen is None:
        return
    path, kind = chosen
    if not path.suffix:
        ending = kind.partition("*")[2].rstrip(")") if "*" in kind else ".mp4"
        path = path.with_suffix(ending or ".mp4")
    check_film(path, wanted.size)
    look = Look(
        frame_rate(wanted.fps or production.header.fps), wanted.size, fine=wanted.fine,
        burnt=wanted.captions == "burnt", loud=wanted.loud, background=readable_background(wanted.background),
    )  # fmt: skip
    filming = Filming(scene, production, look, kept) if kept else Filming(scene, production, look)
    filming.keep_off(path)

    def work(told: Told) -> Path:
        from ...handoff.scenes import film_scene

        film_scene(filming, path, captions=wanted.captions, progress=share(told, 0.0, 1.0))
        return path

    context.jobs.submit(
        f"Filming {title}", work, lambda done: context.talk.say(f"The movie is written to {done}."), name="movie"
    )  # fmt: skip
