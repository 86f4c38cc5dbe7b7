"""Figures of characters: heads read, posed, drawn, fitted; drawings chosen and dragged."""

from __future__ import annotations

import time

import numpy as np
from bench_tools import DEMO, LOG, bare_window, best

from glyphos.motion.perform import perform
from glyphos.speech.listen import listen
from glyphos.speech.reading import Reading


def heads(reading: Reading) -> None:
    """What heads cost: reading, posing, drawing, fitting, dressing, keys."""
    from glyphos.characters.builtin import builtin, builtin_path
    from glyphos.characters.dressing import Dressed
    from glyphos.characters.models.gltf import read_gltf
    from glyphos.characters.poses import POSES
    from glyphos.characters.posing import Poser, played
    from glyphos.motion.fewest import eased, reduced
    from glyphos.stage.renderer import Shot, Stage
    from tests.characters.remade import nameless, plain

    head = builtin("mabel")
    poser, pose = Poser(head), {**POSES["grin"], **POSES["u"], "head_yaw": 10.0}
    read = best(lambda: read_gltf(builtin_path("mabel")))
    posing = best(lambda: poser.play(pose), 15)
    stage = Stage()
    shot = Shot(head, *played(head, pose))
    stage.draw([shot], (480, 480))
    quick = best(lambda: stage.draw([shot], (480, 480)), 15)
    began = time.perf_counter()
    for k in range(60):  # as a face moves that speaks and looks about
        values = pose | {"jaw_open": 0.3 + 0.3 * np.sin(k / 3), "head_yaw": 3 * np.sin(k / 9)}
        stage.draw([Shot(head, *played(head, values))], (480, 480))
    moving = (time.perf_counter() - began) / 60
    fine = best(lambda: stage.draw([shot], (480, 480), fine=True), 3)
    print(f"head: read in {read * 1000:.0f} ms, posed in {posing * 1000:.1f} ms, drawn at 480x480 in "
          f"{quick * 1000:.0f} ms at best and {moving * 1000:.0f} ms moving ({1 / moving:.0f} a second, posed on the way), {fine * 1000:.0f} ms finely; {stage.driver}")  # fmt: skip
    stage.close()
    foreign = nameless(plain(builtin("osric")))
    fitting = best(lambda: Dressed(foreign), 3)
    dressed = Dressed(foreign)
    motion = perform(reading, fps=60)
    worn = best(lambda: dressed.wear(motion), 3)
    slider = best(lambda: dressed.weights_for(POSES["o"]), 15)
    print(f"fitting a head of {len(foreign.targets)} targets: {fitting:.2f} s; two minutes at 60 fps on it: {worn:.2f} s; "
          f"one moment: {slider * 1000:.0f} ms")  # fmt: skip
    dress = dressed.wear(perform(reading, fps=24))
    keys = sum(len(reduced(dress.values[:, k], 1.0).frames) for k in range(len(dress.channels)))
    soft = sum(len(eased(dress.values[:, k], 1.0).frames) for k in range(len(dress.channels)))
    print(f"keys of the long line at 24 fps within 0.5 %: {dress.values.size / keys:.1f} times fewer, eased {dress.values.size / soft:.1f}; "
          f"closures whose lips stay open: {int((dress.gap > 0.01).sum())} frames")  # fmt: skip


def drawings(reading: Reading) -> None:
    """Held drawings: what they cost, what is seen of closures, how often they change, what pictures say."""
    import msgspec

    from glyphos.characters.builtin import set_path
    from glyphos.characters.drawings.choosing import expose, shown
    from glyphos.characters.drawings.documents import Mouth, Wish
    from glyphos.characters.drawings.looks import poses_seen
    from glyphos.characters.drawings.opening import open_picture
    from glyphos.characters.drawings.reading import read_drawings
    from glyphos.production.production import Production

    spoken = [x.reading for x in Production.open(DEMO).lines if x.reading is not None]
    fft = best(lambda: np.fft.rfft(np.ones(2**20)))
    for name in ("osric", "pip"):
        folder = set_path(f"{name}-drawings")
        mouths = read_drawings(folder).drawings.mouths
        twelve = (
            *mouths,
            *(Mouth(f"m{k}", "", {"jaw_open": k / 9, "lips_part": k / 9}) for k in range(12)),
        )[:12]
        long = perform(reading, fps=24)
        cost = best(lambda m=long, t=twelve: expose(m, t), 5)
        seen = total = 0
        for fps, step in ((12, 1), (24, 1), (25, 1), (30, 1), (24, 2), (30, 2)):
            motion = perform(reading, fps=fps)
            closed = np.array([m.closed for m in mouths])[
                shown(expose(motion, mouths, Wish(step=step)))
            ]
            shut = np.concatenate(([0], (motion.channel("lips_part") <= 0.03).astype(int), [0]))
            for a, b in np.flatnonzero(np.diff(shut)).reshape(-1, 2).tolist():
                if step == 1 or b - a > 1:
                    seen, total = seen + bool(closed[a:b].any()), total + 1
        pictures = [open_picture(folder / m.file, drawn=420).pixels for m in mouths]
        by_eye = [
            msgspec.structs.replace(m, pose=p)
            for m, p in zip(mouths, poses_seen(pictures), strict=True)
        ]
        rates, same = [], []
        for one in spoken:
            motion = perform(one, fps=24)
            made = expose(motion, mouths)
            rates.append((len(made) - 1) / sum(p.end - p.start for p in one.phrases))
            same.append(shown(made) == shown(expose(motion, by_eye)))
        print(f"drawings, {name}: two minutes with 12 in {cost * 1000:.0f} ms ({cost / fft:.1f} × a transform of a million samples); "
              f"closures {seen} of {total}; changes a second {min(rates):.1f} to {max(rates):.1f}; by pictures alone the same "
              f"drawing at {np.mean(np.concatenate(same)):.1%} of frames")  # fmt: skip
    _dragged_cost()


def _dragged_cost() -> None:
    """A two-minute line in drawings while the cost of a change is dragged: how often the strip is new."""
    import msgspec

    from glyphos.production.kinds import line_key

    application, made, idle = bare_window()
    from glyphos.production.demo import copy_demo

    made.productions.open(copy_demo())
    idle()
    made.context.selection.show("07-mabel-night-log")
    idle()
    line = made.context.document.kept_line("07-mabel-night-log")
    spoken = listen(DEMO / "audio" / "07-mabel-night-log.ogg", LOG.read_text())
    new = msgspec.structs.replace(line, speaker="Osric", reading=spoken)
    made.context.document.change("x", {line_key(line.slug): new})
    idle()
    exposing, holding = made.context.exposing, made.pages["score"].holding
    while not exposing.settled or exposing.pictures(exposing.character) is None:
        application.processEvents()
    came: list[float] = []
    exposing.sheet_ready.connect(lambda: came.append(time.perf_counter()))
    began = time.perf_counter()
    spent = []
    for k in range(90):
        at = time.perf_counter()
        holding.change.setValue(30 + k % 60)
        application.processEvents()
        spent.append((time.perf_counter() - at) * 1000)
        while time.perf_counter() - at < 1 / 60:
            application.processEvents()
    print(f"dragging the cost of a change, two minutes: {len(came) / (time.perf_counter() - began):.0f} new strips a second, "
          f"a step {np.median(spent):.1f} ms, 95 % within {np.percentile(spent, 95):.1f}")  # fmt: skip
    made.close()
