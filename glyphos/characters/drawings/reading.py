"""Files that are dropped become a character of drawings: named, looked at, said in words what was
found and what was doubtful.

Names and pictures both say what a mouth shows. Where they agree the name counts, which says more;
where they do not, words count and rows of letters or numbers do not, and it is said.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import msgspec

from ...errors import DocumentError, ModelError
from ...files import file_state
from ...progress import Progress
from .cutting import cells_of, cut
from .documents import (
    FEWEST,
    MOST,
    Drawings,
    Mouth,
    Part,
    Placing,
    Pose,
    View,
    decode_drawings,
    is_drawings,
)
from .features import OTHER, unlike
from .looks import poses_seen
from .naming import Named, Pattern, in_number, named, pattern_of
from .opening import ENDINGS, GROUND, Picture, open_picture

LOOKED = 420  # pixels of the longer side that vectors are looked at with
ROW_WRONG = 1 / 3  # of a row that pictures contradict, above which its order is not the usual one
LOW, BROAD = 0.66, 0.3  # of a head's picture: where mouths lie down it, how broad they are
KEPT = 12  # of what was found, as long as files are as they were
HIGH = {"eyes": 0.42, "brows": 0.34}


@dataclass
class Found:
    """What became of files. folder: what their names in the document are relative to."""

    drawings: Drawings
    folder: Path
    said: list[str] = field(default_factory=list)


_kept: dict[tuple[object, ...], Found] = {}


@dataclass
class _Drawing:
    path: Path
    name: str
    picture: Picture
    named: Named
    cell: tuple[int, int, int, int] | None = None


def read_drawings(
    sources: Path | Sequence[Path], *, grid: tuple[int, int] | None = None, progress: Progress | None = None
) -> Found:  # fmt: skip
    """Drawings from a folder, from files, from one sheet (cut by `grid`, columns and rows, or by its
    gaps), or from a document among them. ModelError, one sentence, where no mouth can speak."""
    files, folder, said = _files([sources] if isinstance(sources, Path) else list(sources))
    key = (folder, grid, tuple(said), *(_state(p) for p in files))
    if (known := _kept.get(key)) is not None:
        return replace(known, said=list(known.said))
    found = _read(files, folder, said, grid, progress)
    if all(key[3 + k] == _state(p) for k, p in enumerate(files)):  # else it is of neither state
        _kept[key] = replace(found, said=list(found.said))
        for old in list(_kept)[:-KEPT]:
            _kept.pop(old, None)
    return found


def _state(path: Path) -> tuple[str, int, int]:
    """A file as it is now."""
    return str(path), *file_state(path)


def _read(
    files: list[Path], folder: Path, said: list[str], grid: tuple[int, int] | None, progress: Progress | None,
) -> Found:  # fmt: skip
    for path in files:
        if path.suffix.lower() == ".json":
            made = decode_drawings(path.read_bytes(), path.name)
            return Found(made, path.parent, [f"read as {path.name} says, which lies there"])
    drawn, cleared = [], 0
    for number, path in enumerate(files):
        if progress is not None:
            progress(number / max(1, len(files)))
        try:
            picture = open_picture(path, drawn=LOOKED if len(files) > 1 else 2048)
        except ModelError as error:
            said.append(f"left out: {str(error).rstrip('.')}")
            continue
        said += [s for s in picture.said if not s.endswith(GROUND)]
        cleared += any(s.endswith(GROUND) for s in picture.said)
        drawn.append(
            _Drawing(
                path,
                path.stem,
                picture,
                named(path.stem, path.parent.name if path.parent != folder else ""),
            )
        )
    if cleared:
        what = "One drawing has" if cleared == 1 else f"{in_number(cleared)} drawings have"
        said.append(f"{what} {GROUND}")
    drawn = _cut(drawn, grid, said)
    views = _views(drawn, folder, said)
    name = folder.resolve().name if len(files) != 1 else files[0].stem
    return Found(Drawings(name, tuple(views)), folder, said)


def _files(sources: list[Path]) -> tuple[list[Path], Path, list[str]]:
    """Pictures among what is named, the folder that they share, and what was left out."""
    found: list[Path] = []
    for source in sources:
        try:
            inside = (
                sorted(p for p in source.rglob("*") if p.is_file()) if source.is_dir() else [source]
            )
        except OSError:
            inside = []
        if not source.exists():
            raise ModelError(
                f"{source} cannot be read; name a folder with drawings in it, or drawings."
            )
        documents = [p for p in inside if p.suffix.lower() == ".json" and p.parent == source]
        if source.is_dir() and (document := _document(documents)) is not None:
            return [document], source, []
        found += [p for p in inside if p.name[0] != "."]
    pictures = [
        p
        for p in found
        if p.suffix.lower() in ENDINGS or (p.suffix.lower() == ".json" and len(found) == 1)
    ]
    others = [p.name for p in found if p not in pictures]
    if not pictures:
        where = sources[0].name if len(sources) == 1 else "what was given"
        raise ModelError(
            f"There are 0 drawings in {where}; a mouth needs at least {FEWEST} (PNG or SVG)."
        )
    folder = (
        sources[0]
        if len(sources) == 1 and sources[0].is_dir()
        else Path(os.path.commonpath([p.parent for p in pictures]))
    )
    said = [f"no drawings: {', '.join(others[:5])}"] if others else []
    return pictures, folder, said


def _document(files: Sequence[Path]) -> Path | None:
    """A document among files that says how drawings are to be read."""
    small = (p for p in files if p.stat().st_size < 10_000_000)
    return next((p for p in small if is_drawings(p.read_bytes())), None)


def _cut(drawn: list[_Drawing], grid: tuple[int, int] | None, said: list[str]) -> list[_Drawing]:
    """Drawings, sheets among them cut into cells."""
    made: list[_Drawing] = []
    for one in drawn:
        whole = len(drawn) > 1 and grid is None and "sheet" not in one.name.lower()
        if whole or one.named.part:
            made.append(one)
            continue
        cells = cells_of(one.picture, grid)
        if len(cells) < 2:
            made.append(one)
            continue
        said.append(f"{one.path.name} is a sheet of {len(cells)} drawings")
        for k, cell in enumerate(cells):
            name = f"{one.name} {k + 1}"
            made.append(_Drawing(one.path, name, cut(one.picture, cell), Named(), cell))
    return made


def _views(drawn: list[_Drawing], folder: Path, said: list[str]) -> list[View]:
    angles = {d.named.angle: d.named.yaw for d in drawn}
    # What names no side is of the front, or stands for all of the only side there is
    front = "front" if "front" in angles or "" in angles or not angles else next(iter(angles))
    groups: dict[str, list[_Drawing]] = {}
    for d in drawn:
        groups.setdefault(d.named.angle or front, []).append(d)
    order = sorted(groups, key=lambda a: (a != front, abs(angles.get(a, 0.0)), a))
    made = []
    for angle in order:
        try:
            made.append(
                _view(angle, angles.get(angle, 0.0), groups[angle], folder, said, len(order) > 1)
            )
        except ModelError as error:
            if angle == front:
                raise
            said.append(f"left out: {str(error).rstrip('.')}")
    return made


def _view(
    angle: str, yaw: float, drawn: list[_Drawing], folder: Path, said: list[str], several: bool
) -> View:  # fmt: skip
    mouths = [d for d in drawn if not d.named.part]
    names = [d.name for d in mouths]
    for d in mouths:
        if names.count(d.name) > 1:  # of several folders
            d.name = d.path.relative_to(folder).with_suffix("").as_posix() + (
                d.name.removeprefix(d.path.stem)
            )
    where = f"{folder.name}, {angle}" if several else folder.name
    if len(mouths) < FEWEST:
        raise ModelError(
            f"{where} has {'one drawing' if len(mouths) == 1 else f'{len(mouths)} drawings'} of a mouth; at least {FEWEST} "
            "are needed (PNG or SVG): closed, open and round are a beginning."
        )
    if len(mouths) > MOST:
        raise ModelError(f"There are {len(mouths)} drawings in {where}; at most {MOST} are used.")
    sizes = {d.picture.size for d in mouths if d.cell is None}
    if len(sizes) > 1:
        said.append(
            f"the drawings of {where} are of different sizes; each lies with its middle where the others do"
        )
    head = next((d for d in drawn if d.named.part == "head"), None)
    place = _place(head, mouths)
    made = read_mouths([d.name for d in mouths], [d.picture for d in mouths], said)
    files = [d.path.relative_to(folder).as_posix() for d in mouths]
    kept = tuple(
        msgspec.structs.replace(m, file=f, cell=d.cell)
        for m, f, d in zip(made, files, mouths, strict=True)
    )
    parts = _parts(drawn, head, folder, said)
    return View(
        angle, yaw, kept, head.path.relative_to(folder).as_posix() if head else "", place, parts
    )


def read_mouths(names: Sequence[str], pictures: Sequence[Picture], said: list[str]) -> list[Mouth]:
    """What mouths show, by name and by picture; what a person should know is added to `said`."""
    pattern = pattern_of(names)
    looked = poses_seen([p.pixels for p in pictures])
    said.append(pattern.said)
    said += pattern.doubts
    against = [
        n is not None and unlike(n, p) > OTHER for n, p in zip(pattern.poses, looked, strict=True)
    ]
    row = pattern.row and sum(against) <= ROW_WRONG * len(names)
    if pattern.row and not row:
        said.append("in this row the usual chart is not meant; what the pictures show counts")
    mouths = [
        _mouth(name, by_name, by_picture, other, pattern, row, said)
        for name, by_name, by_picture, other in zip(
            names, pattern.poses, looked, against, strict=True
        )
    ]
    _sentences(mouths, said)
    return mouths


def _mouth(
    name: str, by_name: Pose | None, by_picture: Pose, other: bool, pattern: Pattern, row: bool, said: list[str]
) -> Mouth:  # fmt: skip
    if by_name is None or (pattern.row and not row):
        return Mouth(name, "", by_picture, how="picture")
    if not other:
        return Mouth(name, "", by_name, how="both")
    a, b = in_words(by_name), in_words(by_picture)
    if pattern.row:
        said.append(
            f"{name} is {a} by its place in the row but looks {b}; what it looks like counts"
        )
        return Mouth(name, "", by_picture, how="picture")
    said.append(f"{name} is {a} by its name but looks {b}; its name counts")
    return Mouth(name, "", by_name, how="name")


def in_words(pose: Pose) -> str:
    """What a mouth shows, in a word or two."""
    mouth = Mouth("", "", pose)
    if mouth.bites:
        return "with teeth on the lip"
    if mouth.closed:
        return "closed"
    if pose.get("tongue_tip", 0) > 0.5:
        return "open with the tongue up"
    if pose.get("tongue_between_teeth", 0) > 0.5:
        return "open with the tongue between the teeth"
    gap = pose.get("lips_part", 0) * (0.38 + 0.62 * pose.get("jaw_open", 0))
    if pose.get("lips_round", 0) > 0.5:
        return "puckered" if gap < 0.13 else "rounded"
    if pose.get("lips_wide", 0) > 0.5 and gap < 0.3:
        return "spread, with teeth"
    return "slightly open" if gap < 0.25 else "open" if gap < 0.65 else "wide open"


def _sentences(mouths: Sequence[Mouth], said: list[str]) -> None:
    if not any(m.closed for m in mouths):
        said.append("none of them is closed: /p b m/ will not be seen; draw one with its lips shut")
    for k, a in enumerate(mouths):
        for b in mouths[k + 1 :]:
            if a.pose == b.pose and a.how != "picture":
                said.append(f"{a.name} and {b.name} claim to show the same mouth")


# ---- places ---------------------------------------------------------------------------------------


def _place(head: _Drawing | None, drawn: Sequence[_Drawing], high: float = LOW) -> Placing:
    """Where drawings lie on a head: over all of it if they are as large, else where mouths are."""
    if head is None or not drawn:
        return Placing()
    width, height = head.picture.size
    own = max(d.picture.size[0] for d in drawn)
    corners = {d.picture.corner for d in drawn}
    if len(corners) == 1 and corners != {(0.0, 0.0)}:  # drawn in the coordinates of the head
        (left, top), (x, y) = next(iter(corners)), head.picture.corner
        across, down = drawn[0].picture.size
        if x <= left and y <= top and left + across <= x + width and top + down <= y + height:
            return Placing(left - x + across / 2, top - y + down / 2)
    if all(d.picture.size == head.picture.size for d in drawn):
        return Placing(width / 2, height / 2)
    return Placing(round(width / 2, 1), round(high * height, 1), round(BROAD * width / own, 3))


def _parts(
    drawn: Sequence[_Drawing], head: _Drawing | None, folder: Path, said: list[str]
) -> tuple[Part, ...]:
    """Eyes and brows, of both sides or of one, each in a few states."""
    groups: dict[str, list[_Drawing]] = {}
    for d in drawn:
        if d.named.part in ("eyes", "brows"):
            side = f" {d.named.side}" if d.named.side else ""
            groups.setdefault(d.named.part + side, []).append(d)
    made = []
    for name, group in groups.items():
        states = []
        for d in group:
            if d.named.pose is None:
                said.append(
                    f"{d.path.name} has a name that does not say how {name} are in it; it is left out"
                )
                continue
            states.append(
                Mouth(d.name, d.path.relative_to(folder).as_posix(), d.named.pose, how="name")
            )
        if len(states) < 2:
            said.append(
                f"{name} would need two drawings or more, as open and closed; they are left out"
            )
            continue
        made.append(Part(name, tuple(states), _place(head, group, HIGH[name.split(" ")[0]])))
    return tuple(made)


def relative_to(found: Found, output: Path) -> Drawings:
    """The drawings as a document that lies at `output` names them; DocumentError if it cannot."""
    place = Path(os.path.relpath(found.folder.resolve(), output.resolve().parent))
    if ".." in place.parts:
        raise DocumentError(
            f"{output.name} should lie in {found.folder.name} or above it, beside its drawings."
        )

    def moved(d: Mouth) -> Mouth:
        return msgspec.structs.replace(d, file=(place / d.file).as_posix())

    views = [
        msgspec.structs.replace(
            v, mouths=tuple(map(moved, v.mouths)), head=(place / v.head).as_posix() if v.head else "",
            parts=tuple(msgspec.structs.replace(p, drawings=tuple(map(moved, p.drawings))) for p in v.parts),
        )
        for v in found.drawings.views
    ]  # fmt: skip
    return msgspec.structs.replace(found.drawings, views=tuple(views))


def carried_on(before: Drawings, found: Drawings) -> tuple[Drawings, list[str]]:
    """A set that was read anew, with what a person had set in it; and what is new or gone, in words.

    Poses that were set by hand, offsets, places and how drawings are held stay.
    """
    old = {(v.name, d.file, d.cell): d for v in before.views for d in v.drawings()}
    places = {v.name: v for v in before.views}

    def kept(view: View, d: Mouth) -> Mouth:
        known = old.get((view.name, d.file, d.cell))
        if known is None:
            return d
        by_hand = {"pose": known.pose, "how": known.how} if known.how == "hand" else {}
        return msgspec.structs.replace(d, name=known.name, offset=known.offset, **by_hand)

    views = []
    for view in found.views:
        known = places.get(view.name)
        parts = {p.name: p.place for p in known.parts} if known is not None else {}
        views.append(msgspec.structs.replace(
            view, mouths=tuple(kept(view, m) for m in view.mouths),
            place=known.place if known is not None and known.head == view.head else view.place,
            parts=tuple(msgspec.structs.replace(p, place=parts.get(p.name, p.place)) for p in view.parts),
        ))  # fmt: skip
    new = {(v.name, d.file, d.cell): d.name for v in found.views for d in v.drawings()}
    said = [f"{name} is new" for key, name in new.items() if key not in old]
    said += [f"{d.name} is gone" for key, d in old.items() if key not in new]
    return msgspec.structs.replace(
        found, name=before.name, views=tuple(views), wish=before.wish
    ), said
