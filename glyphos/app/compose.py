"""Puts the parts of one window together: model, pages, shell."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject

from .dialogs.asking import Asking
from .drawing import theme as themes
from .drawing.staging import Staging
from .drawing.theme import Theme
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
from .model.proofing import Proofing
from .model.queue import Queue
from .model.retaking import Retaking
from .model.scenery import Scenery
from .model.selection import Selection
from .model.settings import Preferences
from .model.talk import Talk
from .model.tracking import Tracking
from .model.transport import Loader, Transport
from .page import Page, PageEntry
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
    proofing, queue = Proofing(document, current, jobs), Queue(document, jobs, talk)
    queue.written.connect(proofing.written)
    return Context(document, selection, current, transport, derived, Dresses(document, jobs),
                   living, Tracking(document, current, transport, jobs, talk), Exposing(document, current, living, jobs), Staging(), Scenery(document, jobs, loader), proofing, queue, Retaking(document, derived, current, selection, jobs, talk), jobs, talk, ask or Asking(),
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
    window = Window(context, _pages(context, theme), unsaved=unsaved)
    for part in vars(context).values():
        if isinstance(part, QObject):
            part.setParent(window)  # all of a window ends with it
    return window


def _pages(context: Context, theme: Theme) -> list[PageEntry]:
    """The pages in the order of the switch; their modules are read when they are first wanted."""
    score = ScorePage(context, theme)

    def curves() -> Page:
        from .pages.curves.page import CurvesPage

        return CurvesPage(context, theme)

    def characters() -> Page:
        from .pages.characters.page import CharactersPage

        return CharactersPage(context, theme)

    def scene() -> Page:
        from .pages.scene.page import ScenePage

        return ScenePage(context, theme, lambda: score.go())

    def booth() -> Page:
        from .pages.booth.page import BoothPage

        return BoothPage(context, theme)

    def handoff() -> Page:
        from .pages.handoff.page import HandoffPage

        return HandoffPage(context, lambda: score.go())

    return [
        PageEntry("score", "Score", lambda: score),
        PageEntry("curves", "Curves", curves),
        PageEntry("characters", "Characters", characters),
        PageEntry("scene", "Scene", scene),
        PageEntry("booth", "Booth", booth),
        PageEntry("handoff", "Handoff", handoff),
    ]


def _use_model(context: Context) -> None:
    """Make out words with the model that is preferred, now and when another is."""

    def use(now: Preferences) -> None:
        from ..speech.words import prefer

        folder = Path(now.words_model) if now.words_model else None
        if not context.talk.try_to(lambda: prefer(folder)):
            prefer(None)

    context.preferring.changed.connect(lambda _, now: use(now))
    if context.preferring.now.words_model:
        use(context.preferring.now)
