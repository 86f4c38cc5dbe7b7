"""How the layers of a face are mixed: each on or off, alone, how strongly, and where."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from ..errors import GlyphosError
from .regions import REGIONS, region_of

Name = Literal["speech", "life", "mood", "recorded", "touch"]
LAYERS: tuple[Name, ...] = ("speech", "life", "mood", "recorded", "touch")
ALL = tuple(REGIONS)
MOST = 1.5


class Lay(msgspec.Struct, frozen=True):
    """One layer: whether it is on, whether it is to be seen alone, its strength and the regions in which
    it acts."""

    on: bool = True
    solo: bool = False
    strength: Annotated[float, msgspec.Meta(ge=0, le=MOST)] = 1.0
    regions: tuple[str, ...] = ALL


class Mix(msgspec.Struct, frozen=True):
    """All five."""

    speech: Lay = Lay()
    life: Lay = Lay()
    mood: Lay = Lay()
    recorded: Lay = Lay()
    touch: Lay = Lay()

    def of(self, name: Name) -> Lay:
        return getattr(self, name)  # type: ignore[no-any-return]

    def counts(self, name: Name) -> bool:
        """Whether a layer is seen: it is on, and alone if any is."""
        alone = [n for n in LAYERS if self.of(n).solo]
        return self.of(name).on and self.of(name).strength > 0 and (not alone or name in alone)

    def strength(self, name: Name, channel: str) -> float:
        """How strongly a layer acts on a channel."""
        own = self.of(name)
        return own.strength if self.counts(name) and region_of(channel) in own.regions else 0.0

    def changed(self, name: Name, **changes: object) -> Mix:
        """The same with another setting of a layer."""
        return msgspec.structs.replace(
            self, **{name: msgspec.structs.replace(self.of(name), **changes)}
        )

    def only(self, name: Name) -> Mix:
        """One layer by itself, on and as strong as it is."""
        made = Mix(**{n: msgspec.structs.replace(self.of(n), solo=n == name) for n in LAYERS})
        return made.changed(name, on=True)


def check_mix(mix: Mix) -> None:
    """GlyphosError for a region that is none."""
    for name in LAYERS:
        for region in mix.of(name).regions:
            if region not in REGIONS:
                raise GlyphosError(
                    f"“{region}” is no region of a face; there are {', '.join(REGIONS)}."
                )
