"""Puts the parts of one window together: model, pages, shell."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject

from ..speech.words import prefer
from .dialogs.asking import Asking
from .drawing import theme as themes
from .drawing.staging import Staging
from .model.ask import Ask
from .model.context import Context
from .model.current import Current
from .model.derived import Derived
from .model.document import Document
from .model.dresses import Dresses
from .model.exposing import Exposing
from .model.jobs import Jobs
from .model.living import Living
from .model.preferring import Preferring
from .model.scenery import Scenery
from .model.selection import Selection
from .model.settings import Preferences
from .model.talk import Talk
from .model.tracking import Tracking
from .model.transport import Loader, Transport
from .pages.characters.page import CharactersPage
from .pages.curves.page import CurvesPage
from .pages.handoff.page import HandoffPage
from .pages.scene.page import ScenePage
from .pages.score.page import ScorePage
from .shell.window import Window
from .sound.devices import Device


def make_context(
    *, device: Device | None = None, ask: Ask | None = None, preferences: Preferences | None = None
) -> Context:
    """The model of one window, with nothing open."""
    talk = Talk()
    jobs = Jobs(talk)
    document = Document(jobs)
    selection = Selection(document)
    derived = Derived(document, jobs)
    current = Current(document, selection, derived)
    transport = Transport(device)
    loader = Loader(transport, current)
    loader.setParent(transport)
    living = Living(document, current, jobs)
    return Context(document, selection, current, transport, derived, Dresses(document, jobs),
                   living, Tracking(document, current, transport, jobs, talk), Exposing(document, current, living, jobs), Staging(), Scenery(document, jobs, loader), jobs, talk, ask or Asking(),
                   Preferring(preferences))  # fmt: skip


def make_window(
    *,
    device: Device | None = None,
    unsaved: Path | None = None,
    ask: Ask | None = None,
    preferences: Preferences | None = None,
) -> Window:
    """A window with all pages. unsaved: where productions without a name are kept."""
    context = make_context(device=device, ask=ask, preferences=preferences)
    _use_model(context)
    now = context.preferring.now
    theme = themes.dressed(now.theme, now.gestures)
    scene = ScenePage(context, theme)
    pages = [
        ScorePage(context, theme),
        CurvesPage(context, theme),
        CharactersPage(context, theme),
        scene,
        HandoffPage(context),
    ]
    window = Window(context, pages, unsaved=unsaved)
    scene.line_wanted = pages[0].go
    for part in vars(context).values():
        if isinstance(part, QObject):
            part.setParent(window)  # all of a window ends with it
    return window


def _use_model(context: Context) -> None:
    """Make out words with the model that is preferred, now and when another is."""

    def use(now: Preferences) -> None:
        folder = Path(now.words_model) if now.words_model else None
        if not context.talk.try_to(lambda: prefer(folder)):
            prefer(None)

    context.preferring.changed.connect(lambda _, now: use(now))
    if context.preferring.now.words_model:
        use(context.preferring.now)
