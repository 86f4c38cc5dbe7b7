"""What leaves of a scene besides its movie: captions, the mix, a stem a lane, curves on one time axis."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from ..errors import SaveError
from ..files import make_folder, write_atomic
from ..production.documents import slugify
from ..progress import Progress, share
from ..scene.movie import save_wav
from ..speech.script import read_aloud
from .curves import save
from .filming import Filming
from .scene_gltf import save_scene_gltf
from .scene_usd import save_scene_usd
from .timeline import save_otio
from .timing import to_srt, to_webvtt

EXPORTS = ("mix", "stems", "captions", "curves", "otio", "gltf", "usd")
ENDINGS = {
    "mix": "mix.wav",
    "stem": "stem.wav",
    "captions": "vtt",
    "curves": "curves.csv",
    "otio": "otio",
    "gltf": "glb",
    "usd": "usda",
}


def save_captions(filming: Filming, path: Path) -> Path:
    """Captions of a film beside it: WebVTT, or SRT by the ending of path."""
    srt = path.suffix.lower() == ".srt"
    told = filming.captions
    write_atomic(path, to_srt(told) if srt else to_webvtt(told, filming.voices))
    return path


def film_scene(
    filming: Filming, path: Path, *, captions: str = "none", silent: bool = False,
    workers: int | None = None, progress: Progress | None = None,
) -> Path | None:  # fmt: skip
    """Write a movie with its captions, of CAPTIONS; the file beside it if there is one."""
    from ..scene.movie import write_film
    from ..scene.subtitles import Subtitle

    film = filming.film(silent=silent, progress=share(progress, 0.0, 0.1))
    if captions == "track":
        told = [Subtitle(p.start, p.end, read_aloud(p.text)) for p in filming.captions.phrases]
        film = replace(film, subtitles=tuple(told))
    write_film(film, path, workers=workers, progress=share(progress, 0.1, 1.0))
    if captions != "file":
        return None
    beside = path / "captions.vtt" if path.is_dir() else path.with_suffix(".vtt")
    return save_captions(filming, beside)


def export_scene(
    filming: Filming,
    folder: Path,
    what: Sequence[str],
    *,
    progress: Progress | None = None,
    said: list[str] | None = None,
) -> list[Path]:
    """Write parts of a scene, of EXPORTS, into a folder; all begin and end with the scene. said: takes what
    was left out, in words. A model nobody has is left out of everything, and refused where it is all."""
    make_folder(folder)
    scene, made = filming.scene, []
    jobs: list[tuple[str, str]] = []
    if "mix" in what:
        jobs.append(("mix", ""))
    if "stems" in what:
        jobs += [("stem", name) for name in dict.fromkeys(x.name for x in scene.lanes)]
    if "captions" in what:
        jobs.append(("captions", ""))
    jobs += [(kind, "") for kind in ("otio", "gltf", "usd") if kind in what]
    if "curves" in what:
        jobs += [("curves", speaker) for speaker in scene.speakers]
    taken: dict[str, set[str]] = {}
    for number, (kind, name) in enumerate(jobs):
        if progress is not None:
            progress(number / len(jobs))
        there = taken.setdefault(kind, set())
        own = slugify(name, there) if name else ""
        there.add(own)
        path = folder / ".".join(filter(None, (scene.slug, own, ENDINGS[kind])))
        if kind == "captions":
            save_captions(filming, path)
        elif kind == "otio":
            save_otio(filming, path)
        elif kind in ("gltf", "usd"):
            part = share(progress, number / len(jobs), (number + 1) / len(jobs))
            if not _model(kind, filming, path, said if said is not None else [], len(jobs) == 1, part):  # fmt: skip
                continue
        elif kind == "curves":
            save(filming.faces[name], path, still=True)
        else:
            save_wav(path, filming.stem(name) if kind == "stem" else filming.sound())
        made.append(path)
    return made


def _model(
    kind: str, filming: Filming, path: Path, said: list[str], alone: bool, progress: Progress | None
) -> bool:  # fmt: skip
    """Heads of a scene in one file; whether there are any. SaveError where it is all that is wished for."""
    work = save_scene_gltf if kind == "gltf" else save_scene_usd
    try:
        said += work(filming, path, progress=progress)
    except SaveError as error:
        if alone:
            raise
        said.append(str(error))
        return False
    return True
