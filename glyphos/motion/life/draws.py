"""Chance that stays: every draw is a hash of the line, the seed and what it is for, never a running
generator. The same line gives the same life bit for bit, a corrected timing keeps its draws, and a
part that is switched off changes no other."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from itertools import accumulate
from math import nextafter
from statistics import NormalDist

FAR = 2.5  # deviations that a normal draw may reach
NORMAL = NormalDist()
LESS = nextafter(1.0, 0.0)  # an even draw may be rounded to 1


class Draws:
    """Draws for one line and seed."""

    def __init__(self, line: str, seed: int) -> None:
        self._salt = f"{line}|{seed}|"

    def even(self, *what: object) -> float:
        """Between 0 and 1, neither."""
        text = self._salt + "|".join(map(str, what))
        digest = hashlib.blake2b(text.encode(), digest_size=8).digest()
        return float((int.from_bytes(digest, "big") + 0.5) / 2**64)

    def normal(self, *what: object) -> float:
        """With mean 0 and deviation 1, at most FAR away."""
        return min(FAR, max(-FAR, NORMAL.inv_cdf(min(self.even(*what), LESS))))

    def pick(self, weights: Sequence[float], *what: object) -> int:
        """A number, as often as its weight says."""
        sums = list(accumulate(weights))
        wanted = self.even(*what) * sums[-1]
        return next((k for k, s in enumerate(sums) if wanted <= s), len(sums) - 1)

    def side(self, *what: object) -> int:
        """1 or −1."""
        return 1 if self.even(*what) < 0.5 else -1
