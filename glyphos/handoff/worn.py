"""A speaker's character on every frame of a film."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from ..characters.drawings.documents import Drawings
from ..characters.drawings.sheet import Sheet, sheet_of
from ..characters.head import Doubles
from ..characters.sources import poses_beside
from ..motion.curve import Motion
from ..production.documents import Character, Line
from ..scene.acting import Said
from ..scene.picture import Drawn
from ..speech.reading import AudioInfo, Reading
from ..stage.messages import Ask
from ..stage.views import Camera

if TYPE_CHECKING:  # it brings all of the solver with it
    from ..characters.dressing import Dress, Dressed


class Worn(Protocol):
    """What is painted for a face on a frame, seen by a camera."""

    def on(self, frame: int, camera: Camera) -> Ask | Drawn: ...


@dataclass(frozen=True)
class HeadWorn:
    """A head. dress: of one whose channels are its own, or that was altered by hand."""

    face: Motion
    model: str
    poses: str
    framing: tuple[float, ...]
    dress: Dress | None

    def on(self, frame: int, camera: Camera) -> Ask:
        values = dict(zip(self.face.names, self.face.values[frame].tolist(), strict=True))
        weights = self.dress.weights(frame) if self.dress is not None else {}
        seen = (camera.azimuth, camera.elevation, camera.near, camera.lift, camera.back)
        bones = (
            {n: tuple(t[frame].ravel().tolist()) for n, t in self.dress.bones.items()}
            if self.dress
            else {}
        )
        return Ask(self.model, seen, self.poses, values, weights, self.framing, bones=bones)


def head_worn(character: Character, model: str, dressed: Dressed, face: Motion, bones: Mapping[int, Doubles]) -> HeadWorn:  # fmt: skip
    """A head of ours or of a file, fitted as its character says. bones: turns of its nodes, frame by frame."""
    from ..characters.fittings import Fitting

    poses = str(poses_beside(model, character.poses) or "")
    plain = dressed.own and character.fitting == Fitting()
    dress = None if plain else replace(dressed.wear(face), bones=bones)
    return HeadWorn(face, model, poses, tuple(dressed.framing), dress)


class DrawingsWorn:
    """A character of drawings: each line as its own exposures say, pins and all."""

    def __init__(
        self, drawings: Drawings, folder: Path, face: Motion, lines: Sequence[tuple[Said, Line]]
    ) -> None:
        self._folder = str(folder)
        silence = Reading("en", AudioInfo("silence", face.duration, 16_000))
        self._sheet = sheet_of(face, drawings, (), silence)
        self._said: list[tuple[Said, Sheet]] = []
        for said, line in lines:
            assert line.reading is not None
            own = sheet_of(said.motion, drawings, line.held, line.reading, line.delivery)
            self._said.append((said, own))

    def on(self, frame: int, camera: Camera) -> Drawn:
        sheet, at = self._sheet, frame
        for said, own in self._said:
            if said.first <= frame < said.first + said.frames:
                sheet, at = own, min(frame - said.first + said.cut, own.frames - 1)
        view = self._sheet.view_at(frame)
        mouth = sheet.drawings.in_view(view, sheet.mouth(sheet.at(at)))
        states = self._sheet.states_at(frame, view)
        return Drawn(view, self._folder, mouth, tuple(sorted(states.items())))
