"""Draw the plot of docs/motion.md: what sounds ask, and the curves that come of it.

python tools/plot_motion.py [docs/motion.svg]
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

from glyphos.motion import gestures
from glyphos.motion.channels import index
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.speech.reading import AudioInfo, Phone, Phrase, Reading, Word

SAID = [
    ("h", 50),
    ("i", 80),
    ("w", 60),
    ("ʌ", 80),
    ("z", 80),
    ("s", 100),
    ("p", 80),
    ("u", 150),
    ("n", 90),
]
SHOWN = (("lips_part", "gap between the lips", "#C9602E"), ("lips_round", "rounding", "#3F93C4"),
         ("lips_wide", "spreading (below the line: narrowing)", "#6B9A3E"), ("jaw_open", "jaw", "#6B6A64"))  # fmt: skip
WIDTH, BAND, LEFT, LEAD = 760, 84, 24, 0.04


def said() -> Reading:
    phones, at = [], 0.25
    for name, length in SAID:
        phones.append(Phone(name, at, at + length / 1000, 1))
        at += length / 1000
    word = Word("he was spoon", phones[0].start, at, 1.0, tuple(phones))
    phrase = Phrase("he was spoon", word.start, at, (word,))
    return Reading("en", AudioInfo("x", at + 0.4, 16_000), (phrase,))


def plot() -> str:
    reading = said()
    length = reading.audio.duration
    delivery = Delivery(stress_follow=0.0)
    fine, coarse = (perform(reading, delivery, fps=f) for f in (240, 24))
    scale = (WIDTH - 2 * LEFT) / length

    def x(seconds: float) -> float:
        return LEFT + (seconds + LEAD) * scale

    parts = []
    height = 40 + BAND * len(SHOWN)
    for k, phone in enumerate(reading.phones()):
        a, b = LEFT + phone.start * scale, LEFT + phone.end * scale
        tone = "#EAE2D2" if k % 2 else "#F1EADB"
        parts.append(
            f'<rect x="{a:.1f}" y="26" width="{b - a:.1f}" height="{height - 34}" fill="{tone}"/>'
        )
        parts.append(f'<text x="{(a + b) / 2:.1f}" y="18" text-anchor="middle">{phone.ipa}</text>')
    for row, (name, title, color) in enumerate(SHOWN):
        base = 40 + BAND * (row + 1) - 16
        low = 0.45 if name == "lips_wide" else 0.0
        rise = (BAND - 30) / (1 + low)
        zero = base - low * rise
        parts.append(
            f'<line x1="{LEFT}" x2="{WIDTH - LEFT}" y1="{zero:.1f}" y2="{zero:.1f}" stroke="#CFC5B0"/>'
        )
        parts.append(
            f'<text x="{WIDTH - LEFT}" text-anchor="end" y="{base - BAND + 32:.1f}" fill="{color}">{title}</text>'
        )
        column = index(name)
        for phone in reading.phones():
            asked = gestures.gestures_of(phone.ipa)[0]
            if asked.strength[column] > 0:
                y = zero - asked.target[column] * rise
                a = LEFT + (phone.start + 0.25 * (phone.end - phone.start)) * scale
                b = LEFT + (phone.start + 0.7 * (phone.end - phone.start)) * scale
                wide = 1.2 + 1.3 * min(2.0, float(asked.strength[column]))
                parts.append(
                    f'<line x1="{a:.1f}" x2="{b:.1f}" y1="{y:.1f}" y2="{y:.1f}" stroke="#1F2B36" stroke-width="{wide:.1f}"/>'
                )
        curve = fine.channel(name)
        points = " ".join(f"{x(k / 240):.1f},{zero - v * rise:.1f}" for k, v in enumerate(curve))
        parts.append(
            f'<polyline points="{points}" fill="none" stroke="{color}" stroke-width="2.4"/>'
        )
        for k, v in enumerate(np.asarray(coarse.channel(name))):
            parts.append(
                f'<circle cx="{x(k / 24):.1f}" cy="{zero - v * rise:.1f}" r="2.6" fill="#F5F0E4" stroke="{color}"/>'
            )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{height}" '
        f'viewBox="0 0 {WIDTH} {height}" font-family="Inter, sans-serif" font-size="13" fill="#1F2B36">'
        f'<rect width="{WIDTH}" height="{height}" fill="#F5F0E4"/>' + "".join(parts) + "</svg>\n"
    )


if __name__ == "__main__":
    Path(sys.argv[1] if len(sys.argv) > 1 else "docs/motion.svg").write_text(
        plot(), encoding="utf-8"
    )
