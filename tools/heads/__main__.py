"""Build the heads that ship: python -m tools.heads [NAMES] [--out FOLDER] [--measure]"""
import argparse
import time
from pathlib import Path

from .build import build
from .cast import CAST
from .measure import report
from .writing import write

ap = argparse.ArgumentParser(description=__doc__)
ap.add_argument("names", nargs="*", default=list(CAST), help=f"some of: {', '.join(CAST)}")
ap.add_argument("--out", type=Path, default=Path(__file__).parents[2] / "glyphos" / "data" / "heads")
ap.add_argument("--measure", action="store_true", help="print the figures instead")
ap.add_argument("--seed", type=int, default=1)
given = ap.parse_args()
for name in given.names:
    began = time.perf_counter()
    character, parts = build(name, light=not given.measure)
    print(f"{character.name}: {time.perf_counter() - began:.1f} s, {len(parts)} parts, {sum(len(p['faces']) for p in parts)} triangles")
    if given.measure:
        report(character, parts, seed=given.seed)
    else:
        given.out.mkdir(parents=True, exist_ok=True)
        write(character, parts, given.out / f"{name}.glb")
