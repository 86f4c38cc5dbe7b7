"""Characters of the open production, fitted: their heads and how they wear the motion.

Read and measured in the background, kept by what they were made from; signals say what has come.
"""

from __future__ import annotations

from collections import OrderedDict
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ...characters.fittings import Fitting
from ...characters.head import Head
from ...characters.sources import HeadState, head_state, poses_beside
from ...files import GONE
from ...motion.curve import Motion
from ...production.documents import Character
from .document import Document
from .jobs import Jobs, Told

KEPT = 8
Source = tuple[str, str, HeadState]  # model, list of poses, and what they are just now


class Dresses(QObject):
    """Caches by what things are made from."""

    dressed_ready = Signal(str)  # slug of a character whose head was fitted, or could not be
    dress_ready = Signal(str)  # slug of a character that wears a motion now

    def __init__(self, document: Document, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._jobs = document, jobs
        # By character and source: several may wear one model, each in its own way
        self._dressed: OrderedDict[tuple[str, Source], tuple[Fitting, object]] = OrderedDict()
        self._dress: OrderedDict[tuple[int, int], tuple[object, Motion, object]] = OrderedDict()
        self._problems: dict[tuple[str, Source], tuple[Fitting, str]] = {}
        self._bare: dict[Source, Head] = {}  # the last that was read, but could not be fitted
        self._making: dict[str, object] = {}
        document.opened.connect(self._forget)

    def _forget(self) -> None:
        """Of another production; a head that was measured is the same there, as long as its file is."""
        pairs = [(source, known) for (_, source), known in self._dressed.items()]
        self._dressed = OrderedDict((("", source), known) for source, known in pairs)
        self._dress.clear()
        self._problems.clear()
        self._bare = {}

    # ---- the head and its fitting -------------------------------------------------------------

    def source(self, character: Character) -> Source:
        """What a character's model is just now."""
        model = self._document.production.model_path(character)
        poses = poses_beside(model, character.poses)
        return model, str(poses or ""), head_state(model, poses)

    def is_ours(self, character: Character) -> bool:
        """Whether it is one of our own heads, as it is made."""
        from ...characters.builtin import BUILTIN

        return (
            self.source(character)[0] in BUILTIN and character.fitting == type(character.fitting)()
        )

    def dressed(self, character: Character):  # type: ignore[no-untyped-def]
        """The fitted head if it is there; else it is made, and `dressed_ready` tells."""
        source = self.source(character)
        key = (character.slug, source)
        same = [known for (_, other), known in reversed(self._dressed.items()) if other == source]
        known = next((k for k in same if k[0] == character.fitting), None)
        if known is not None:
            self._keep(key, known)
            return known[1]
        if not self.problem(character):
            self._make(character, source, same[0][1] if same else None)
        return None

    def _keep(self, key: tuple[str, Source], made: tuple[Fitting, object]) -> None:
        self._dressed[key] = made
        self._dressed.move_to_end(key)
        while len(self._dressed) > KEPT:
            self._dressed.popitem(last=False)

    def latest(self, character: Character):  # type: ignore[no-untyped-def]
        """The fitted head as it was last, perhaps before its fitting was changed."""
        known = self._dressed.get((character.slug, self.source(character)))
        return known[1] if known is not None else None

    def problem(self, character: Character) -> str:
        """Why a character cannot be used; "" if it can, or nobody knows yet."""
        fitting, problem = self._problems.get((character.slug, self.source(character)), (None, ""))
        return problem if fitting == character.fitting else ""

    def bare(self, character: Character) -> Head | None:
        """The head of a character that cannot be used because of its fitting, so that it can be mended."""
        return self._bare.get(self.source(character)) if self.problem(character) else None

    def _make(self, character: Character, source: Source, like: object) -> None:
        fitting, slug = character.fitting, character.slug
        name = f"dress {slug}"
        if self._under_way(name, fitting):
            return

        read: list[Head] = []

        def work(told: Told) -> object:
            from ...characters.dressing import Dressed
            from ...characters.fittings import digest_of
            from ...characters.models.opening import open_head
            from ...progress import share

            digest_of(Path(source[0]))  # known by the time the page asks whether the model changed
            if isinstance(like, Dressed):
                read.append(like.head)
                return Dressed(like.head, fitting, like=like, progress=told)
            poses = Path(source[1]) if source[1] else None
            head = open_head(source[0], poses=poses, progress=share(told, 0.0, 0.5))
            read.append(head)
            return Dressed(head, fitting, progress=share(told, 0.5, 1.0))

        def apply(made: object) -> None:
            self._keep((slug, source), (fitting, made))
            self.dressed_ready.emit(slug)

        def ended(problem: str) -> None:
            if problem and problem != "Stopped.":
                self._problems[slug, source] = fitting, problem
                if read:
                    self._bare = {source: read[0]}
                self.dressed_ready.emit(slug)

        quiet = like is not None or source[2][0] == GONE
        self._jobs.submit(f"Fitting {character.name}", work, apply, name=name, quiet=quiet, instead=True,
                          ended=ended)  # fmt: skip

    # ---- a motion on it -----------------------------------------------------------------------

    def dress(self, character: Character, motion: Motion):  # type: ignore[no-untyped-def]
        """The character's curves for a motion if they are there; else they are made, and
        `dress_ready` tells."""
        dressed = self.dressed(character)
        if dressed is None:
            return None
        key = (id(dressed), id(motion))
        known = self._dress.get(key)
        if known is not None:
            return known[2]
        slug = character.slug
        name = f"wear {slug}"
        if self._under_way(name, key):
            return None

        def apply(made: object) -> None:
            self._dress[key] = dressed, motion, made  # held, so that their identities stay theirs
            while len(self._dress) > KEPT:
                self._dress.popitem(last=False)
            self.dress_ready.emit(slug)

        self._jobs.submit("Dressing the line", lambda told: dressed.wear(motion, progress=told), apply,
                          name=name, quiet=True, instead=True)  # fmt: skip
        return None

    def _under_way(self, name: str, what: object) -> bool:
        """Whether just this is being made already; else it is from now on."""
        if self._jobs.find(name) is not None and self._making.get(name) == what:
            return True
        self._making[name] = what
        return False
