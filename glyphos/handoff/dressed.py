"""A character's curves as files: CSV and JSON in its own names, order and range."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ..characters.dressing import Dress, Dressed
from ..errors import SaveError
from ..files import DISK, json_lines, make_folder
from ..motion.fewest import eased, reduced
from .curves import DIGITS
from .handing import Handing, rested


def to_csv(dress: Dress, handing: Handing) -> bytes:
    """`frame,seconds,` and a column for every channel of the character; those not driven are 0."""
    names = ",".join(_cell(c) for c in dress.channels)
    rows = ["frame,seconds," + names]
    for number, row in enumerate(dress.values + 0.0):
        cells = ",".join(f"{v:.{DIGITS}f}" for v in row)
        rows.append(f"{number + handing.first_frame},{number / float(dress.fps):.6f},{cells}")
    return ("\n".join(rows) + "\n").encode()


def _cell(name: str) -> str:
    return '"' + name.replace('"', '""') + '"' if set(name) & set(',"\n') else name


def to_json(dress: Dress, handing: Handing) -> bytes:
    """Values of every frame; keys within the stated error, straight between them; and fewer, eased ones,
    with the slopes (a frame) that come in and go out."""
    channels = {}
    for k, name in enumerate(dress.channels):
        low, high = dress.ranges[k]
        keys = reduced(dress.values[:, k], high - low, handing.error)
        soft = eased(dress.values[:, k], high - low, handing.error)
        channels[name] = {
            "range": [low, high],
            "values": [round(float(v), DIGITS) for v in dress.values[:, k]],
            "keys": [
                [int(f) + handing.first_frame, round(float(v), DIGITS)]
                for f, v in zip(keys.frames, keys.values, strict=True)
            ],
            "eased": [
                [int(f) + handing.first_frame, *(round(float(x), DIGITS) for x in rest)]
                for f, *rest in zip(
                    soft.frames, soft.values, soft.slope_in, soft.slope_out, strict=True
                )
            ],
        }
    fps = int(dress.fps) if dress.fps.denominator == 1 else str(dress.fps)
    document = {
        "format": "glyphos-character-motion", "version": 1, "fps": fps, "first_frame": handing.first_frame,
        "error": handing.error, "channels": channels,
    }  # fmt: skip
    return json_lines(document)


def hand_over(
    dress: Dress, dressed: Dressed, path: Path, handing: Handing | None = None
) -> list[Path]:
    """Write a line on a character in the format that the ending of `path` says; returns the files.

    Raises SaveError for another ending, or a format that the model's own does not allow.
    """
    from .gltf_animation import to_glb, to_gltf
    from .usd_animation import to_usda
    from .vrm_animation import to_vrma

    handing = handing or Handing(name=path.stem)
    dress = rested(dress, handing)
    writers: dict[str, Callable[[], dict[str, bytes]]] = {
        ".csv": lambda: {path.name: to_csv(dress, handing)},
        ".json": lambda: {path.name: to_json(dress, handing)},
        ".glb": lambda: {path.name: to_glb(dress, dressed, handing)},
        ".gltf": lambda: to_gltf(dress, dressed, handing, path),
        ".vrma": lambda: {path.name: to_vrma(dress, dressed, handing)},
        ".usda": lambda: {path.name: to_usda(dress, dressed, handing, path)},
    }
    writer = writers.get(path.suffix.lower())
    if writer is None:
        raise SaveError(
            f"{path.name} should end in {', '.join(writers)}, to say how the character's curves are "
            "written."
        )
    files = {path.parent / name: data for name, data in writer().items()}
    for place in {p.parent for p in files}:
        make_folder(place)
    DISK.write_all(files)
    return list(files)
