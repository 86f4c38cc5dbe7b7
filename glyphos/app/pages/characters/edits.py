"""What can be done to characters: each a named step that undo takes back."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from ....characters.builtin import SETS, set_path
from ....characters.fittings import (
    Fitting,
    carried_over,
    decode_fitting,
    digest_of,
    encode_fitting,
    fitting_for,
)
from ....characters.head import Head
from ....characters.models.opening import open_head
from ....errors import DocumentError, EditError
from ....files import write_atomic
from ....production.documents import Character, known_as, slugify
from ....production.kinds import character_key
from ...model.context import Context
from ...model.jobs import Told

SET_BY_HAND = ("ranges", "limits", "strength", "answers", "by_hand", "never", "whole")


class CharacterEdits:
    """Changes characters of the open production."""

    def __init__(self, context: Context) -> None:
        self._c = context

    def find(self, slug: str) -> Character | None:
        """The character with this slug, kept or one of ours that stands in."""
        characters = self._c.document.production.characters
        return next((c for c in characters if c.slug == slug), None)

    def add(self, path: Path, then) -> None:  # type: ignore[no-untyped-def]
        """A model's file becomes a character; read in the background. `then` gets its slug."""
        self._c.document.need()  # places are told from it
        folder = self._c.document.folder

        def work(told: Told) -> Head:
            digest_of(path)  # known by the time it is asked for
            return open_head(path, progress=told)

        def apply(head: Head) -> None:
            taken = {c.slug for c in self._c.document.production.characters}
            slug = slugify(path.stem, taken)
            model = Path(os.path.relpath(path.resolve(), folder.resolve())).as_posix()
            fitting = msgspec.structs.replace(fitting_for(head), model=model)
            like = self._like(head)
            if like is not None:
                kept = {f: getattr(like.fitting, f) for f in SET_BY_HAND}
                fitting = msgspec.structs.replace(fitting, **kept)
                self._c.talk.say(
                    f"Its channels have the names of {like.name}: what was set there is taken over"
                )
            made = Character(slug, path.stem, model, fitting=fitting)
            self._c.document.change(f"Add {path.name}", {character_key(slug): made})
            then(slug)

        self._c.jobs.submit(f"Reading {path.name}", work, apply, name=f"read {path}")

    def add_drawings(
        self, paths: Sequence[Path], then: Callable[[str], None], grid: tuple[int, int] | None = None
    ) -> None:  # fmt: skip
        """Drawings, a folder of them or one sheet become a character; read in the background. grid:
        columns and rows that a sheet is cut into."""
        from ....characters.drawings.reading import Found, read_drawings

        self._c.document.need()  # places are told from it
        folder = self._c.document.folder

        own = {set_path(n).resolve(): n for n in SETS}

        def work(told: Told) -> Found:
            return read_drawings(list(paths), grid=grid, progress=told)

        def apply(found: Found) -> None:
            taken = {c.slug for c in self._c.document.production.characters}
            slug = slugify(found.drawings.name, taken)
            here = found.folder.resolve()
            relative = Path(os.path.relpath(here, folder.resolve())).as_posix()
            place = own.get(here, relative)
            made = Character(
                slug,
                found.drawings.name,
                place,
                drawings=found.drawings,
                notes="\n".join(found.said),
            )
            self._c.document.change(f"Add {found.drawings.name}", {character_key(slug): made})
            then(slug)
            self._c.talk.say("; ".join(found.said[:3]))

        self._c.jobs.submit(f"Reading {paths[0].name}", work, apply, name=f"read {paths[0]}")

    def _like(self, head: Head) -> Character | None:
        """A character whose channels have the same names, and on which something was set."""
        usual = Fitting()
        return next((
            c for c in self._c.document.production.characters
            if set(c.fitting.channels) == set(head.channels)
            and any(getattr(c.fitting, f) != getattr(usual, f) for f in SET_BY_HAND)
        ), None)  # fmt: skip

    def put(self, name: str, character: Character, *, merge: bool = False, **changes: Any) -> None:
        """A character with other fields."""
        made = msgspec.structs.replace(character, **changes)
        self._c.document.change(name, {character_key(made.slug): made}, merge=merge)

    def refit(
        self, name: str, character: Character, *, merge: bool = False, **changes: Any
    ) -> None:
        """A character with other fields of its fitting."""
        made = msgspec.structs.replace(character.fitting, **changes)
        self.put(name, character, merge=merge, fitting=made)

    def remove(self, character: Character) -> None:
        self._c.document.change(f"Remove {character.name}", {character_key(character.slug): None})

    def give(self, character: Character, speaker: str) -> None:
        """Give a character to a speaker, whose lines all follow; whoever had it gives it up."""
        changes: dict[Any, Any] = {}
        for other in self._c.document.production.characters:
            kept = tuple(s for s in other.speakers if known_as(s) != known_as(speaker))
            if other.slug != character.slug and kept != other.speakers:
                changes[character_key(other.slug)] = msgspec.structs.replace(other, speakers=kept)
        mine = tuple(dict.fromkeys((*character.speakers, speaker)))
        changes[character_key(character.slug)] = msgspec.structs.replace(character, speakers=mine)
        self._c.document.change(f"Give {character.name} to {speaker}", changes)

    def by_hand(
        self, character: Character, gesture: str, cells: Mapping[str, float] | None
    ) -> None:
        """Wear a gesture with these channels; None: as it is found."""
        now = dict(character.fitting.by_hand)
        if cells is None:
            now.pop(gesture, None)
        else:
            now[gesture] = {c: round(float(v), 3) for c, v in cells.items()}
        what = gesture.replace("_", " ")
        self.refit(
            f"Fit {what} by hand" if cells is not None else f"Fit {what} as found",
            character,
            by_hand=now,
        )

    def setting(
        self, name: str, character: Character, field: str, key: str, value: Any, usual: Any
    ) -> None:
        """One entry of a mapping of the fitting; the usual value takes it out."""
        now = dict(getattr(character.fitting, field))
        if value == usual:
            now.pop(key, None)
        else:
            now[key] = value
        self.refit(name, character, **{field: now})

    def leave_alone(self, character: Character, channel: str, never: bool) -> None:
        kept = tuple(c for c in character.fitting.never if c != channel)
        self.refit("Leave a channel alone" if never else "Use a channel again", character,
                   never=(*kept, channel) if never else kept)  # fmt: skip

    def follow_model(self, character: Character, head: Head) -> list[str]:
        """Carry a fitting over to a model that changed on disk; what changed, in words."""
        digest = digest_of(head.path)
        fitting = character.fitting
        if not fitting.digest or fitting.digest == digest:
            return []
        made, said = carried_over(fitting, head)
        self.put(
            "Follow the changed model",
            character,
            fitting=msgspec.structs.replace(made, digest=digest),
        )
        return said or ["its shapes are others"]

    def export(self, character: Character, path: Path) -> None:
        """The fitting as a file of its own, which names the model from where it lies; of a character
        of drawings its document."""
        if character.drawings is not None:
            from ....characters.drawings.documents import encode_drawings
            from ....characters.drawings.reading import Found, relative_to

            folder = self._c.document.production.drawings_folder(character)
            write_atomic(
                path, encode_drawings(relative_to(Found(character.drawings, folder), path))
            )
            return
        model = Path(self._c.document.production.model_path(character))
        relative = (
            Path(os.path.relpath(model, path.resolve().parent)).as_posix()
            if model.is_file()
            else character.model
        )
        write_atomic(
            path, encode_fitting(msgspec.structs.replace(character.fitting, model=relative))
        )

    def take_in(self, character: Character, path: Path, head: Head) -> list[str]:
        """Use what another fitting has set, by the names of channels; what does not fit is told."""
        try:
            data = path.read_bytes()
        except OSError:
            raise DocumentError(f"{path.name} cannot be read; choose a fitting.") from None
        other: Fitting = decode_fitting(data, path.name)
        if other.channels and not set(other.channels) & set(head.channels):
            raise EditError(
                f"{path.name} is for a head with other channels; none of its names is here."
            )
        made, said = carried_over(other, head)
        fitting = msgspec.structs.replace(
            made, model=character.fitting.model, digest=character.fitting.digest
        )
        self.put(f"Take in {path.name}", character, fitting=fitting)
        return said
