"""What the live mouth sees of recordings, and what it should answer: python -m tools.live.see TO FOLDER...

Lines of a voice are joined to streams of one to seven, so that beginnings are heard as often as what goes on; each is
spoiled in several ways (`spoil`). One file a stream and way. With --doubt, lines of which listening was not sure are left out.
"""

from __future__ import annotations

import argparse
import zlib
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from glyphos.live.ear import CHANNELS, Bands
from glyphos.live.speaker import middle_of, shut_at

from . import material
from .material import LEAD, Array, Line
from .spoil import KINDS, spoiled

TOGETHER = (1, 1, 2, 3, 7)  # lines in a stream
LEAST = 4.6  # seconds of a stream
SOUNDS = ("p", "b", "m", "t", "d", "n", "k", "ɡ", "ŋ", "f", "v", "θ", "ð", "s", "z", "ʃ", "ʒ", "h", "l", "ɹ", "r", "ɾ",
          "j", "w", "tʃ", "dʒ", "i", "ɪ", "e", "ɛ", "æ", "a", "ɑ", "ɒ", "ɔ", "o", "ʊ", "u", "ʌ", "ə", "ɜ", "y", "ø", "œ",
          "ɲ", "ʎ", "x", "ɣ", "β", "ʁ")  # fmt: skip


def streams(lines: Sequence[Line], draw: np.random.Generator) -> list[Line]:
    voices: dict[str, list[Line]] = {}
    for line in lines:
        voices.setdefault(line.voice, []).append(line)
    out = []
    for own in voices.values():
        order = [own[k] for k in draw.permutation(len(own))]
        while order:
            n = int(draw.choice(TOGETHER))
            part, order = order[:n], order[n:]
            gaps = np.where(
                draw.random(len(part)) < 0.6,
                draw.uniform(0, 0.3, len(part)),
                draw.uniform(0.3, 1.6, len(part)),
            )
            level = 10 ** float(draw.uniform(-4.5, -3))
            out.append(material.lasting(material.joined(part, gaps.tolist(), level), LEAST, level))
    return out


def asked(line: Line, centre: Array) -> dict[str, Array]:
    """At those times: curves (n, 11), shut lips, speech, which frames count for speech, and the sound: 0 for none, from
    1 on those of SOUNDS, −1 for any other."""
    curves = np.stack(
        [np.interp(centre - LEAD, line.times, line.curves[c], left=0, right=0) for c in CHANNELS], 1
    )
    speaks, counts = np.ones(len(centre)), np.ones(len(centre))
    for a, b in line.gaps(0.04):
        inside = (centre >= a + 0.01) & (centre < b)
        (speaks if b - a >= 0.15 else counts)[inside] = 0
    speaks[centre > line.seconds] = 0
    sound = np.zeros(len(centre))
    for ipa, a, b in line.phones:
        sound[(centre >= a) & (centre < b)] = _number(ipa)
    return {
        "curves": curves,
        "shut": shut_at(line.phones, centre),
        "speaks": speaks,
        "counts": counts,
        "sound": sound,
    }


def _number(ipa: str) -> int:
    plain = ipa.strip("ˈˌː̯̩")
    names = [n for n in (plain, plain[:2], plain[:1]) if n in SOUNDS]
    return SOUNDS.index(names[0]) + 1 if names else -1


def see(line: Line) -> dict[str, Array]:
    mel = Bands().push(line.samples)
    return {"mel": mel, **asked(line, np.array([middle_of(k) for k in range(len(mel))]))}


def one(line: Line, kind: str, others: Sequence[Line], to: Path) -> str:
    draw = np.random.default_rng(zlib.crc32(f"{line.name} {kind}".encode()))
    made = see(spoiled(line, kind, others, draw))
    np.savez(to, **{k: v.astype(np.float16) for k, v in made.items()})
    return to.name


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("to", type=Path)
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--kinds", default=",".join(KINDS))
    parser.add_argument("--each", type=int, default=len(KINDS), help="of those, for each stream")
    parser.add_argument("--doubt", type=float, default=1.0, help="of a line, at most")
    options = parser.parse_args()
    options.to.mkdir(parents=True, exist_ok=True)
    draw = np.random.default_rng(0)
    with ProcessPoolExecutor() as crew:
        jobs = []
        for folder in options.folders:
            lines = material.load(folder, options.doubt)
            kinds = options.kinds.split(",")
            for k, line in enumerate(streams(lines, draw)):
                others = [lines[j] for j in draw.integers(0, len(lines), 9)]
                for kind in draw.permutation(kinds)[: options.each].tolist():
                    jobs.append(
                        crew.submit(
                            one,
                            line,
                            kind,
                            others,
                            options.to / f"{folder.name}-{k:04d}-{kind}.npz",
                        )
                    )
        for k, job in enumerate(jobs):
            job.result()
            if k % 50 == 0:
                print(f"{k} of {len(jobs)}", flush=True)


if __name__ == "__main__":
    main()
