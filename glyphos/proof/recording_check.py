"""The recording check: what a recording is like, in figures and in plain words.

Loudness after ITU-R BS.1770. Everything else is measured on 20 ms frames of the file
as it came in; each finding says what it does to the result and what can be done.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..loudness import SILENT, integrated_loudness
from ..speech.recording import read_channels

Array = NDArray[np.float32]
Doubles = NDArray[np.float64]

FRAME = 0.02
AROUND = 31  # bins whose middle is the colour of the noise
WHOLE_PAUSE = 8  # frames in a row that must be quiet to tell what the pauses hold
QUIET_LUFS, LOUD_LUFS = -33.0, -9.0
POOR_SNR, BAD_SNR = 20.0, 10.0
NOISY_FLOOR = -45.0
CLIPPED_RUN = 3  # samples in a row at the top that count as clipped
LONG_SILENCE = 3.0
LOW_RATE = 16_000
HUM_DB = 12.0
TONAL = 0.2  # flatness of the pauses, their colour taken out, below which they hold tones: music
UNLIKE = 0.5  # correlation of two channels below which they differ
READ_AT_MOST = 3600.0

Severity = Literal["good", "note", "poor", "bad"]


class Finding(msgspec.Struct, frozen=True):
    """One thing found: its kind, how grave, what it is, what it does and what to do."""

    kind: str
    severity: Severity
    text: str
    advice: str = ""


class RecordingCheck(msgspec.Struct, frozen=True):
    """Figures of a recording and findings in plain words.

    Levels in dB relative to full scale, loudness in LUFS, durations in seconds. `channel`: the
    one to listen to (from 1), 0 for all. `clean`: whether a conditioned copy helps listening.
    """

    file: str
    duration: float
    sample_rate: int
    channels: int
    loudness: float
    peak: float
    noise_floor: float
    signal_to_noise: float
    clipped: int
    bandwidth: float
    channel: int = 0
    clean: bool = False
    findings: tuple[Finding, ...] = ()
    format: Literal["glyphos-recording-check"] = "glyphos-recording-check"
    version: Literal[1] = 1

    @property
    def worst(self) -> Severity:
        order: tuple[Severity, ...] = ("good", "note", "poor", "bad")
        return max((f.severity for f in self.findings), key=order.index, default="good")


@dataclass(frozen=True)
class _Frames:
    level: Doubles  # dB of each frame
    quiet: NDArray[np.bool_]
    spectrum: Doubles  # mean power of the quiet frames
    loud_spectrum: Doubles
    flatness: float
    hz: Doubles


def check(path: str | Path) -> RecordingCheck:
    """Measure a recording; RecordingError if it cannot be read."""
    samples, rate = read_channels(path)
    mono = samples.mean(axis=1)
    peak = float(np.abs(samples).max(initial=0.0))
    frames = _frames(mono, rate)
    floor = float(np.percentile(frames.level, 10))
    speech = float(np.percentile(frames.level, 92))
    clipped = clipped_samples(samples)
    bandwidth = _bandwidth(frames)
    best, unlike = _channels(samples, rate)
    made = RecordingCheck(
        Path(path).name, round(len(samples) / rate, 3), rate, samples.shape[1],
        round(max(integrated_loudness(samples, rate), SILENT), 1), round(_db(peak), 1), round(floor, 1),
        round(speech - floor, 1), clipped, round(bandwidth), best if unlike else 0,
    )  # fmt: skip
    findings = [*_levels(made), *_noise(made, frames), *_shape(made, frames, unlike, best)]
    helps = any(f.kind in ("noise", "hum", "music") for f in findings)
    if not findings:
        findings = [Finding("all", "good", "Nothing stands in the way of a good result.")]
    return msgspec.structs.replace(made, findings=tuple(findings), clean=helps)


def _db(value: float) -> float:
    return float(20 * np.log10(max(value, 1e-5)))


def clipped_samples(samples: Array) -> int:
    """Samples in flat tops: runs at the highest level that the recording reaches."""
    count = 0
    for channel in samples.T:
        top = float(np.abs(channel).max(initial=0.0))
        if top < 0.5:
            continue
        flat = np.abs(channel) >= top * 0.9995
        edges = np.flatnonzero(np.diff(np.concatenate([[0], flat.astype(np.int8), [0]])))
        lengths = edges[1::2] - edges[::2]
        count += int(lengths[lengths >= CLIPPED_RUN].sum())
    return count


def _frames(mono: Array, rate: int) -> _Frames:
    size = max(64, int(FRAME * rate))
    count = max(1, len(mono) // size)
    padded = np.zeros(count * size, np.float32)
    padded[: min(len(mono), len(padded))] = mono[: len(padded)]
    rows = padded.reshape(count, size)
    level = 10 * np.log10((rows.astype(np.float64) ** 2).mean(axis=1) + 1e-10)
    quiet = level <= np.percentile(level, 10) + 6
    loud = level >= np.percentile(level, 70)
    span = WHOLE_PAUSE * size  # long windows, so that tones stand out
    runs = np.convolve(quiet.astype(int), np.ones(WHOLE_PAUSE, int), mode="valid")
    starts = np.flatnonzero(runs == WHOLE_PAUSE)[:4000] * size
    hz = np.asarray(np.fft.rfftfreq(span, 1 / rate), np.float64)
    quiet_powers = _powers(padded, starts, span)
    loud_powers = _powers(padded, np.flatnonzero(loud)[:4000:4] * size, span)
    flatness = _flatness(quiet_powers, hz, rate)
    return _Frames(level, quiet, _mean(quiet_powers), _mean(loud_powers), flatness, hz)


def _powers(samples: Array, starts: NDArray[np.intp], span: int) -> Doubles:
    """Power of windows at up to 100 or so places (windows, bins); none where none fits."""
    starts = starts[starts + span <= len(samples)]
    starts = starts[:: max(1, len(starts) // 100)]
    rows = samples[starts[:, None] + np.arange(span)] * np.hanning(span)
    return np.asarray(np.abs(np.fft.rfft(rows, axis=1)) ** 2 + 1e-14)


def _mean(powers: Doubles) -> Doubles:
    return np.asarray(powers.mean(axis=0)) if len(powers) else np.full(powers.shape[1], 1e-12)


def _flatness(powers: Doubles, hz: Doubles, rate: int) -> float:
    """How even the noise is once its colour is taken out, so that tones alone stand out: 1 for noise."""
    from scipy.ndimage import median_filter

    if not len(powers):
        return 1.0
    inner = powers[:, (hz > 120) & (hz < min(4000.0, rate * 0.45))]
    apart = np.pad(inner, ((0, 0), (AROUND // 2, AROUND // 2)), mode="edge")  # rows that do not mix
    around = median_filter(apart.ravel(), size=AROUND, mode="nearest").reshape(apart.shape)
    white = inner / around[:, AROUND // 2 : -(AROUND // 2)]
    return float(np.median(np.exp(np.log(white).mean(axis=1)) / white.mean(axis=1)))


def _bandwidth(frames: _Frames) -> float:
    """The frequency above which next to nothing is left of the speech."""
    power = 10 * np.log10(frames.loud_spectrum + 1e-14)
    smooth = np.convolve(power, np.ones(9) / 9, mode="same")
    heard = np.flatnonzero(smooth > smooth.max() - 62)
    return float(frames.hz[heard[-1]]) if len(heard) else 0.0


def _channels(samples: Array, rate: int) -> tuple[int, bool]:
    """The clearest channel (from 1), and whether channels differ so that one must be chosen."""
    if samples.shape[1] < 2:
        return 0, False
    power = (samples.astype(np.float64) ** 2).mean(axis=0) + 1e-14
    loud = power > power.max() * 1e-3
    size = max(1, rate // 50)
    levels = [_spread(samples[:, c], size) for c in range(samples.shape[1])]
    best = int(np.argmax([v if ok else -1e9 for v, ok in zip(levels, loud, strict=True)]))
    a = samples[:, best].astype(np.float64)
    for other in range(samples.shape[1]):
        b = samples[:, other].astype(np.float64)
        correlation = float((a * b).mean() / np.sqrt(power[best] * power[other]))
        if other != best and (correlation < UNLIKE or not loud[other]):
            return best + 1, True
    return best + 1, False


def _spread(channel: Array, size: int) -> float:
    count = max(1, len(channel) // size)
    rows = channel[: count * size].reshape(count, -1).astype(np.float64)
    level = 10 * np.log10((rows**2).mean(axis=1) + 1e-10)
    return float(np.percentile(level, 92) - np.percentile(level, 10))


def _levels(made: RecordingCheck) -> list[Finding]:
    found = []
    if made.loudness < QUIET_LUFS:
        found.append(Finding("quiet", "note", f"The recording is quiet ({made.loudness:.0f} LUFS).",
                             "It is listened to at a raised level; the file stays as it is."))  # fmt: skip
    if made.loudness > LOUD_LUFS:
        found.append(Finding("loud", "note", f"The recording is very loud ({made.loudness:.0f} LUFS).",
                             "Loudness no longer tells stressed syllables apart; lower “Loudness”."))  # fmt: skip
    if made.clipped:
        many = made.clipped > 200
        found.append(Finding("clipping", "poor" if many else "note",
                             f"{made.clipped} samples are clipped: the tops of the wave are cut off.",
                             "Sounds are found all the same, a little less surely; record lower."))  # fmt: skip
    return found


def _noise(made: RecordingCheck, frames: _Frames) -> list[Finding]:
    found: list[Finding] = []
    grave: Severity
    ratio = made.signal_to_noise
    audible = made.noise_floor > -75.0 and ratio < 45
    hum = hum_frequency(frames.spectrum, frames.hz) if audible else 0.0
    music = audible and not hum and frames.flatness < TONAL and made.noise_floor > -62.0
    if music:
        grave = "bad" if ratio < BAD_SNR else "poor"
        found.append(Finding("music", grave, f"There is music or another tone under the voice ({ratio:.0f} dB below it).",
                             "Edges become less sure, and near 0 dB unusable; ask for the voice alone, "
                             "or listen to a cleaned copy."))  # fmt: skip
    if hum:
        found.append(Finding("hum", "note", f"There is a hum at {hum:.0f} Hz.",
                             "It hides the starts of soft sounds; listen to a cleaned copy."))  # fmt: skip
    if ratio < POOR_SNR and not music:
        grave = "bad" if ratio < BAD_SNR else "poor"
        found.append(Finding("noise", grave, f"The voice stands only {ratio:.0f} dB above the noise.",
                             "Soft sounds are found less exactly; listen to a cleaned copy."))  # fmt: skip
    elif made.noise_floor > NOISY_FLOOR and not music:
        found.append(Finding("noise", "note", f"The pauses are noisy ({made.noise_floor:.0f} dB).",
                             "Pauses may be found a little too short; a cleaned copy can help."))  # fmt: skip
    return found


def hum_frequency(spectrum: Doubles, hz: Doubles) -> float:
    """50 or 60 if the pauses hum with that mains frequency and its multiples, else 0."""
    power = 10 * np.log10(spectrum + 1e-14)
    step = float(hz[1])
    for base in (50.0, 60.0):
        heights = []
        for multiple in (1, 2, 3, 4):
            at = round(base * multiple / step)
            near = power[max(0, at - 1) : at + 2].max()
            around = np.median(power[max(0, at - 12) : at + 13])
            heights.append(near - around)
        if sum(h > HUM_DB for h in heights) >= 2:
            return base
    return 0.0


def _shape(made: RecordingCheck, frames: _Frames, unlike: bool, best: int) -> list[Finding]:
    found = []
    if unlike:
        found.append(Finding("channels", "poor", f"The {made.channels} channels hold different sound.",
                             f"Listen to channel {best} alone: it is the clearest."))  # fmt: skip
    if made.sample_rate < LOW_RATE or made.bandwidth < 5200:
        found.append(Finding("bandwidth", "poor", f"Nothing is heard above {made.bandwidth / 1000:.1f} kHz, as on a telephone.",
                             "s, f, sh and th sound alike there and are found less surely."))  # fmt: skip
    silent = frames.level < max(float(np.percentile(frames.level, 10)) + 8, -60.0)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], silent.astype(np.int8), [0]])))
    runs = [(a * FRAME, (b - a) * FRAME) for a, b in edges.reshape(-1, 2)]
    long = [(at, length) for at, length in runs if length >= LONG_SILENCE]
    if long:
        at, length = max(long, key=lambda r: r[1])
        where = "at the start" if at < 0.1 else f"from {at:.1f} s"
        many = (
            f"There are {len(long)} long silences; the longest"
            if len(long) > 1
            else "A long silence"
        )
        found.append(Finding("silence", "note", f"{many} takes {length:.1f} s {where}.",
                             "The face rests there; cut the line there if it is meant to be two."))  # fmt: skip
    return found
