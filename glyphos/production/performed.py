"""The motion of a line's whole face, as everything that is kept with it says."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..errors import GlyphosError, SaveError
from ..motion.curve import Motion
from ..motion.loudness import measure
from ..motion.perform import perform
from ..speech.recording import open_recording
from .documents import Line

if TYPE_CHECKING:  # it brings SciPy with it
    from ..voice.voice import Voice


def samples_of(line: Line, audio: Path) -> NDArray[np.float32] | None:
    """What of its recording a line is heard in: mono, 16 kHz; None where it cannot be read."""
    try:
        return open_recording(audio, channel=line.channel - 1 if line.channel else None).samples
    except GlyphosError:
        return None


def motion_of(
    line: Line, audio: Path, rate: Fraction, folder: Path, *, samples: NDArray[np.float32] | None = None,
    voice: Voice | None = None,
) -> Motion:  # fmt: skip
    """The motion of a line's whole face, with the loudness and the voice of its recording where that can
    be read. samples, voice: of it, if they are known."""
    assert line.reading is not None
    samples = samples_of(line, audio) if samples is None else samples
    loudness = (
        measure(samples, 16_000) if samples is not None else None
    )  # away, it takes nothing from shapes
    speech = perform(line.reading, line.delivery, fps=rate, loudness=loudness)
    if not line.lives:
        return speech
    from ..motion.whole import whole_of
    from .layers import layers_of

    layers, said = layers_of(line, folder, float(rate))
    if said:  # a file without what lies on its line would pass for the whole
        raise SaveError(f"{line.title}: {' '.join(said)}")

    return whole_of(
        speech,
        line.reading,
        line.delivery,
        samples,
        line.life,
        line.moods,
        line.faces,
        layers=layers,
        happenings=line.happenings,
        touches=line.touches,
        mix=line.mix,
        voice=voice,
    )
