"""Print the figures that matter: timing errors, cost of listening, of the motion, of the window.

make bench        (or: python tools/bench.py [FOLDER made by tools/synth_sets.py] [timing|window|lines|…])
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
    os.environ.setdefault(name, "1")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import soundfile

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

from bench_batch import batch, booth
from bench_characters import drawings, heads
from bench_faces import faces
from bench_live import live
from bench_movie import movie
from bench_scene import scene
from bench_tools import DEMO, LOG, bare_window, best, steps

from glyphos.errors import GlyphosError
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.speech.listen import listen
from glyphos.speech.parts import Edge, Part
from glyphos.speech.reading import Reading
from tests.labels import DATA, errors, found, synthesiser_labels


def timing(folder: Path) -> None:
    voices = sorted({p.name.rsplit("-", 1)[0] for p in folder.glob("*-[0-9][0-9][0-9].lab")})
    for voice in voices:
        language = "it" if voice in ("lp_diphone", "pc_diphone") else "en"
        every: list[float] = []
        failed = clips = 0
        for labels in sorted(folder.glob(f"{voice}-*.lab")):
            sound = next(p for e in (".flac", ".wav") if (p := labels.with_suffix(e)).exists())
            clips += 1
            try:
                reading = listen(sound, labels.with_suffix(".txt").read_text(), language=language)
            except Exception as error:
                failed += 1
                print(f"  {sound.name}: {error}")
                continue
            every += errors(found(reading, language), synthesiser_labels(labels, language))
        e = np.abs(every) * 1000
        print(f"starts, {voice}: {len(e)} sounds in {clips} clips, {failed} failed; mean {e.mean():.1f} ms, "
              f"median {np.median(e):.1f}, within 20 ms {np.mean(e < 20):.0%}, within 50 ms {np.mean(e < 50):.1%}")  # fmt: skip


def ten_minutes() -> None:
    samples, rate = soundfile.read(DEMO / "audio" / "07-mabel-night-log.ogg", dtype="float32")
    text = LOG.read_text()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "ten.flac"
        soundfile.write(path, np.tile(samples, 5), rate)
        began = time.process_time()
        reading = listen(path, "\n".join([text] * 5))
        cost = time.process_time() - began
    share = cost / reading.audio.duration
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"ten minutes: {reading.audio.duration:.0f} s listened in {cost:.1f} s of one core "
          f"({share:.3f} of the length), peak memory {memory:.0f} MB")  # fmt: skip


def motion(reading: Reading) -> None:
    cost = best(lambda: perform(reading, fps=60))
    sounds = sum(1 for _ in reading.phones())
    fft = best(lambda: np.fft.rfft(np.ones(2**20)))
    print(f"perform: {reading.audio.duration:.0f} s, {sounds} sounds at 60 fps in {cost * 1000:.0f} ms "
          f"({cost / fft:.1f} × a transform of a million samples)")  # fmt: skip
    for fps in (12, 24, 25, 30, 60):
        seen = total = 0
        for articulation in (0.3, 1.0, 1.8):
            made = perform(reading, Delivery(articulation=articulation), fps=fps)
            lips = made.channel("lips_part")
            for phone in reading.phones():
                if phone.ipa in "pbm":
                    low = int(np.ceil((phone.start - 0.04) * fps - 0.5))
                    high = int(np.floor((phone.end - 0.04) * fps + 0.5))
                    seen += lips[max(0, low) : high + 1].min() <= 0.02
                    total += 1
        print(f"closures seen at {fps} fps, articulation 0.3 to 1.8: {seen} of {total}")


def window(reading: Reading) -> None:
    import msgspec
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    from glyphos.production.kinds import line_key

    application, made, idle = bare_window()
    made.productions.open(DEMO / "audio" / "07-mabel-night-log.ogg")
    idle()
    context, score = made.context, made.pages["score"]
    line = context.document.kept_line(context.selection.slug)
    line = msgspec.structs.replace(line, reading=reading, script=LOG.read_text())
    context.document.change("Bench", {line_key(line.slug): line})
    made.general.set_rate("60")
    idle()
    context.derived.evidence(line)
    idle()
    script, paper, desk = score.script_area.script, score.paper, score.desk
    script.setFocus()
    print("on the interface thread, the two-minute line at 60 fps:")
    print(
        "  a letter typed in its script:",
        steps(application, lambda _: QTest.keyClick(script, Qt.Key.Key_A)),
    )
    paper.setFocus()
    print(
        "  an arrow key in the score:",
        steps(application, lambda _: QTest.keyClick(paper, Qt.Key.Key_Right)),
    )
    context.selection.select(Part("word", 40))
    edge = Edge(context.current.flat.first[40] + 1)
    at = context.current.flat.edge_time(edge)
    print(
        "  a step of a dragged edge:",
        steps(application, lambda k: desk.drag_edge(edge, at + 0.001 * (k % 40))),
    )
    print(
        "  the same, 4 ms apart:",
        steps(application, lambda k: desk.drag_edge(edge, at + 0.001 * (k % 40)), gap=0.004),
    )
    desk.give_up()
    slider = score.delivery.sliders["articulation"]
    slider.setSliderDown(True)
    print("  a step of a slider:", steps(application, lambda k: slider.setValue(60 + k % 80)))
    slider.setSliderDown(False)
    idle()
    slider.setFocus()
    print(
        "  an arrow key on a slider:",
        steps(
            application,
            lambda k: QTest.keyClick(slider, Qt.Key.Key_Left if k // 40 % 2 else Qt.Key.Key_Right),
        ),
    )
    idle()
    paper.setFocus()
    print(
        "  an edge nudged and pinned:",
        steps(application, lambda _: made.commands.do("start-later-5ms"), 60),
    )
    idle()
    made.close()


def realignment(reading: Reading) -> None:
    from glyphos.speech.edits import move_edge
    from glyphos.speech.hearing import hear
    from glyphos.speech.parts import Flat
    from glyphos.speech.realign import realign
    from glyphos.speech.recording import open_recording

    long = max(reading.phrases, key=lambda p: p.end - p.start)
    recording = open_recording(DEMO / "audio" / "07-mabel-night-log.ogg")
    evidence = hear(recording)
    flat = Flat(reading)
    edge = flat.nearest_edge((long.start + long.end) / 2)
    assert edge is not None
    moved = move_edge(reading, edge, flat.edge_time(edge) + 0.03)
    at = flat.edge_time(edge)
    cost = best(lambda: realign(moved, evidence, [(at, at + 0.03)]))
    length = long.end - long.start
    print(
        f"realignment between pins: a phrase of {length:.1f} s in {cost * 1000:.0f} ms ({cost * 10_000 / length:.0f} ms for 10 s)"
    )


def without_script() -> None:
    from glyphos.speech.recognise import listen_without_script
    from glyphos.speech.recording import open_recording
    from tests.speech.test_recognise import plain, wrong_words

    wrong, words = {"read": 0, "synthetic": 0}, {"read": 0, "synthetic": 0}
    found = closures = false = heard = 0
    alike, cost, length = [], 0.0, 0.0
    for clip in [*sorted(DATA.glob("librivox-*.wav")), *sorted(DATA.glob("[fks]*.flac"))]:
        recording = open_recording(clip)
        kind = "read" if clip.suffix == ".wav" else "synthetic"
        script = clip.with_suffix(".txt").read_text()
        began = time.perf_counter()
        reading = listen_without_script(recording)
        cost, length = cost + time.perf_counter() - began, length + recording.duration
        said = plain(script)
        wrong[kind] += wrong_words(said, plain(reading.text))
        words[kind] += len(said)
        true = listen(recording, script)
        shut, ours = (
            [(p.start + p.end) / 2 for p in r.phones() if p.ipa in "pbm"] for r in (true, reading)
        )
        found += sum(any(abs(a - b) <= 0.06 for b in ours) for a in shut)
        false += sum(not any(abs(a - b) <= 0.06 for b in shut) for a in ours)
        closures, heard = closures + len(shut), heard + len(ours)
        lips = [perform(r, fps=60).channel("lips_part") for r in (true, reading)]
        count = min(map(len, lips))
        alike.append(np.corrcoef(lips[0][:count], lips[1][:count])[0, 1])
    for kind in wrong:
        print(
            f"without a script, {kind}: {wrong[kind]} of {words[kind]} words wrong ({wrong[kind] / words[kind]:.1%})"
        )
    print(f"  {cost / length:.2f} of the length for lines of {length / len(alike):.0f} s; closures found {found} of {closures}, "
          f"false {false} of {heard}; lips_part correlates with {np.mean(alike):.3f}")  # fmt: skip


def worse() -> None:
    """What bad recordings cost: starts of sounds against those of the clean ones, words wrong."""
    from glyphos.speech.recognise import listen_without_script
    from glyphos.speech.recording import open_recording
    from tests.speech.test_recognise import plain, wrong_words
    from tests.speech.worse import WORSE, made_worse

    for how in WORSE:
        moved, wrong, words = [], 0, 0
        for clip in [*sorted(DATA.glob("librivox-*.wav")), *sorted(DATA.glob("slt_hts-*.flac"))]:
            recording = open_recording(clip)
            script = clip.with_suffix(".txt").read_text()
            bad = made_worse(recording, how)
            clean, found = (listen(r, script).phones() for r in (recording, bad))
            moved += [abs(a.start - b.start) for a, b in zip(clean, found, strict=True)]
            said = plain(script)
            words += len(said)
            try:
                wrong += wrong_words(said, plain(listen_without_script(bad).text))
            except GlyphosError:  # no words at all
                wrong += len(said)
        print(f"{how}: sounds start {np.mean(moved) * 1000:.1f} ms from where they do in the clean recording, "
              f"{wrong / words:.0%} of the words wrong without a script")  # fmt: skip


def replaced_files(count: int, size: int) -> float:
    """Seconds to write files over others, each flushed, without anything of ours."""
    data = os.urandom(size)
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(2):
            began = time.perf_counter()
            for k in range(count):
                with open(f"{folder}/new", "wb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
                os.replace(f"{folder}/new", f"{folder}/{k}")
        return time.perf_counter() - began


def two_thousand_lines() -> None:
    import msgspec

    from glyphos.production.documents import Header
    from glyphos.production.kinds import line_key
    from glyphos.production.production import Production

    template = next(x for x in Production.open(DEMO).lines if x.reading is not None)
    with tempfile.TemporaryDirectory() as folder:
        made = Production.create(Path(folder) / "many", name="Many")
        lines = tuple(
            msgspec.structs.replace(template, slug=f"line-{k:04d}", script=f"Number {k}. {template.script}",
                                    audio=str((DEMO / template.audio).resolve()))
            for k in range(2000)
        )  # fmt: skip
        Production.of(made.folder, Header("Many"), lines).save()
        application, window, idle = bare_window()
        began = time.perf_counter()
        window.productions.open(made.folder)
        idle()
        opened = time.perf_counter() - began
        context, search = window.context, window.lines.search
        texts = ("n", "nu", "num", "number 17", "")
        typed = steps(application, lambda k: search.setText(texts[k % 5]), 25)
        search.clear()
        document = context.document

        def speaker(k: int) -> None:
            line = document.kept_line(f"line-{37 * k % 2000:04d}")
            document.change(
                "Name", {line_key(line.slug): msgspec.structs.replace(line, speaker=f"S{k}")}
            )

        print(f"2,000 lines of {template.duration:.0f} s: open in {opened:.2f} s")
        print("  a key in the search:", typed)
        print("  a line changed:", steps(application, speaker, 100))
        print("  undone:", steps(application, lambda _: document.undo(), 100))
        print(
            "  moved in the order:",
            steps(
                application, lambda k: window.commands.do("line-down" if k % 2 else "line-up"), 40
            ),
        )
        idle()
        document.flush()
        everything = [msgspec.structs.replace(x, speaker="All") for x in document.production.lines]
        print(
            "  all of them changed at once:",
            steps(
                application,
                lambda _: document.change("All", document.production.put(*everything)),
                1,
            ),
        )
        began = time.perf_counter()
        problem = document.flush()
        spent = time.perf_counter() - began
        plain = replaced_files(2000, 25_000)
        print(f"  all written in the background in {spent:.2f} s {problem}(replacing 2,000 files of that "
              f"size one by one, flushed, takes {plain:.2f} s on this disk)")  # fmt: skip
        window.close()


def start() -> None:
    code = (
        "import gc; gc.disable();"  # as `glyphos open` does
        "from glyphos.app.main import make_application;"
        "from glyphos.app.compose import make_window; from glyphos.app.sound.devices import SilentDevice;"
        "from glyphos.production.demo import copy_demo; import os, time;"
        "a = make_application(); w = make_window(device=SilentDevice());"
        "w.show(); w.productions.open(copy_demo());"
        "exec('while w.context.current.motion is None or w.context.jobs.shown: a.processEvents()');"
        "a.processEvents(); w.grab(); os._exit(0)"
    )
    cost = best(
        lambda: subprocess.run([sys.executable, "-c", code], check=True, capture_output=True), 5
    )
    plain = best(
        lambda: subprocess.run(
            [sys.executable, "-c", "import PySide6.QtWidgets, numpy"], check=True
        ),
        5,
    )
    print(
        f"window with the demo's first line, warm: {cost:.2f} s ({cost / plain:.1f} × importing Qt and NumPy alone)"
    )


def sizes() -> None:
    modules = {
        p: len(p.read_text().splitlines())
        for p in (ROOT / "glyphos").rglob("*.py")
        if p.name != "__init__.py"
    }
    app = {p: n for p, n in modules.items() if "app" in p.parts}
    print(f"modules: {len(modules)}, median {np.median(list(modules.values())):.0f} lines; the longest of app/ "
          f"{max(app.values())}, window.py {modules[ROOT / 'glyphos/app/shell/window.py']}")  # fmt: skip


def main() -> None:
    folder = [Path(a) for a in sys.argv[1:] if Path(a).is_dir()]
    wanted = [a for a in sys.argv[1:] if not Path(a).is_dir()]
    reading = listen(DEMO / "audio" / "07-mabel-night-log.ogg", LOG.read_text())
    parts = {
        "timing": lambda: timing(folder[0] if folder else DATA), "ten": ten_minutes,
        "realignment": lambda: realignment(reading), "unscripted": without_script, "worse": worse,
        "motion": lambda: motion(reading), "window": lambda: window(reading),
        "heads": lambda: heads(reading), "drawings": lambda: drawings(reading), "faces": lambda: faces(reading, best, bare_window),
        "lines": two_thousand_lines, "movie": movie, "scene": scene, "start": start, "batch": batch, "booth": booth, "live": live, "sizes": sizes,
    }  # fmt: skip
    for name, part in parts.items():
        if not wanted or name in wanted:
            part()


if __name__ == "__main__":
    main()
