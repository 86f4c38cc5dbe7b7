"""Put ears that were taught apart side by side: python -m tools.live.together OUT.npz A.npz B.npz+C.npz ...

Each name is an ear that `learn` left. A+B is one of their weights' mean, for two that went on from the same ear
(Wortsman et al. 2022); it costs nothing and mishears less than either.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Weights = dict[str, Array]
ADDED = ("in_b", "own_b", "out_b")  # to rows of one


def read(path: Path) -> Weights:
    """An ear that `learn` left."""
    data = np.load(path)
    return {name: data[name].astype(np.float64) for name in data}


def seen_as(ear: Weights, mean: Array, scale: Array) -> Weights:
    """The same ear for what is seen, less another mean and in another scale."""
    plain = ear["scale"][:, None] * ear["look_w"]
    shifted = ear["look_b"] + (mean - ear["mean"]) @ plain
    return {**ear, "mean": mean, "scale": scale, "look_w": plain / scale[:, None], "look_b": shifted}  # fmt: skip


def mixed(ears: Sequence[Weights]) -> Weights:
    """The mean of ears that went on from one."""
    own = [seen_as(e, ears[0]["mean"], ears[0]["scale"]) for e in ears]
    return {name: np.mean([e[name] for e in own], axis=0) for name in own[0]}


def side_by_side(ears: Sequence[Weights]) -> Weights:
    """As `glyphos.live.ear` reads them."""
    own = [seen_as(e, ears[0]["mean"], ears[0]["scale"]) for e in ears]
    made: Weights = {"mean": own[0]["mean"], "scale": own[0]["scale"]}
    for name in own[0]:
        if name not in made:
            stacked = np.stack([e[name] for e in own])
            made[name] = stacked[:, None] if name in ADDED else stacked
    return made


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path)
    parser.add_argument("ears", nargs="+")
    options = parser.parse_args()
    ears = [mixed([read(Path(p)) for p in name.split("+")]) for name in options.ears]
    kept = side_by_side(ears)
    np.savez_compressed(
        options.out,
        **{k: v.astype(np.float16 if k.endswith("_w") else np.float32) for k, v in kept.items()},  # type: ignore[arg-type]
    )


if __name__ == "__main__":
    main()
