"""Print the figures that matter: timing errors, cost of listening, of the motion, of the window.

make bench        (or: python tools/bench.py FOLDER made by tools/synth_sets.py, for more material)
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

from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.speech.listen import listen
from glyphos.speech.parts import Edge, Part
from glyphos.speech.reading import Reading
from tests.labels import DATA, errors, found, synthesiser_labels

LOG = ROOT / "demo" / "night-log.txt"
DEMO = ROOT / "glyphos" / "data" / "demo" / "hollow-hill.glyphos"


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


def best(work, times: int = 7) -> float:  # type: ignore[no-untyped-def]
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)


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
    from glyphos.app.player import SilentDevice
    from glyphos.app.window import Window
    from PySide6.QtCore import QSettings

    from glyphos.app import theme
    from glyphos.app.main import make_application
    from glyphos.production.demo import copy_demo

    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
    application = make_application()
    theme.apply(application, theme.PAPER)
    made = Window(device=SilentDevice())
    made.show()
    made.session.open(DEMO / "audio" / "07-mabel-night-log.ogg")
    made.session.set_fps("60")
    made.session.change_line("Bench", reading=reading)
    application.processEvents()
    slider, began, updates = made.delivery.sliders["articulation"], time.perf_counter(), 0
    slider.setSliderDown(True)
    while time.perf_counter() - began < 2:
        slider.setValue(60 + updates % 80)
        application.processEvents()
        updates += 1
    print(
        f"slider on the two-minute line at 60 fps, face and score painted: {updates / 2:.0f} updates a second"
    )
    slider.setSliderDown(False)
    word = list(reading.words())[40]
    made.session.select(Part("word", 40))
    application.processEvents()
    edge, began, updates = Edge(made.session.flat.first[40] + 1), time.perf_counter(), 0  # type: ignore[union-attr]
    while time.perf_counter() - began < 2:
        made.desk.drag_edge(edge, word.start + 0.02 + 0.001 * (updates % 40))
        application.processEvents()
        updates += 1
    made.desk.drop()
    print(
        f"edge dragged on the two-minute line, Loupe, ribbon and face following: {updates / 2:.0f} updates a second"
    )
    made.session.open(copy_demo())
    made.session.select(Part("word", 10))
    application.processEvents()
    flat = made.session.flat
    assert flat is not None
    edge = Edge(flat.first[10] + 1)
    at, began, updates = flat.edge_time(edge), time.perf_counter(), 0
    while time.perf_counter() - began < 2:
        made.desk.drag_edge(edge, at + 0.001 * (updates % 40))
        application.processEvents()
        updates += 1
    made.desk.drop()
    print(f"edge dragged on a line of 12 s at 24 fps: {updates / 2:.0f} updates a second")
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
    from tests.speech.test_recognise import wrong_words

    wrong = words = 0
    cost = length = 0.0
    for clip in sorted(DATA.glob("librivox-*.wav")):
        recording = open_recording(clip)
        began = time.process_time()
        reading = listen_without_script(recording)
        cost += time.process_time() - began
        length += recording.duration
        said = clip.with_suffix(".txt").read_text().split()
        wrong += wrong_words(said, [w.text for w in reading.words()])
        words += len(said)
    print(f"without a script: {wrong} of {words} words wrong ({wrong / words:.0%}) on public-domain readings, "
          f"{cost / length:.2f} of the length")  # fmt: skip


def two_thousand_lines() -> None:
    import dataclasses

    import msgspec
    from glyphos.app.player import SilentDevice
    from glyphos.app.window import Window
    from PySide6.QtWidgets import QApplication

    from glyphos.production.production import Production

    demo = Production.open(DEMO)
    template = next(x for x in demo.lines if x.reading is not None)
    with tempfile.TemporaryDirectory() as folder:
        made = Production.create(Path(folder) / "many", name="Many")
        lines = tuple(
            msgspec.structs.replace(template, slug=f"line-{k:04d}", script=f"Number {k}. {template.script}",
                                    audio=str((DEMO / template.audio).resolve()))
            for k in range(2000)
        )  # fmt: skip
        dataclasses.replace(made, lines=lines).save()
        window = Window(device=SilentDevice())
        window.show()
        began = time.perf_counter()
        window.session.open(made.folder)
        QApplication.processEvents()
        opened = time.perf_counter() - began
        began = time.perf_counter()
        for text in ("n", "nu", "num", "number 17"):
            window.lines.search.setText(text)
            QApplication.processEvents()
        typed = (time.perf_counter() - began) / 4
        window.close()
        print(
            f"2,000 lines of {template.duration:.0f} s: open in {opened:.2f} s, filtered in {typed * 1000:.0f} ms a key"
        )


def start() -> None:
    code = (
        "from glyphos.app.main import make_application; from glyphos.app import theme;"
        "from glyphos.app.window import Window; from glyphos.app.player import SilentDevice;"
        "from glyphos.production.demo import copy_demo;"
        "a = make_application(); theme.apply(a, theme.PAPER); w = Window(device=SilentDevice());"
        "w.show(); w.session.open(copy_demo()); a.processEvents(); w.grab(); import os; os._exit(0)"
    )
    cost = best(
        lambda: subprocess.run([sys.executable, "-c", code], check=True, capture_output=True), 4
    )
    plain = best(
        lambda: subprocess.run(
            [sys.executable, "-c", "import PySide6.QtWidgets, numpy"], check=True
        ),
        4,
    )
    print(
        f"window with the demo's first line, warm: {cost:.2f} s ({cost / plain:.1f} × importing Qt and NumPy alone)"
    )


def main() -> None:
    timing(Path(sys.argv[1]) if len(sys.argv) > 1 else DATA)
    ten_minutes()
    reading = listen(DEMO / "audio" / "07-mabel-night-log.ogg", LOG.read_text())
    realignment(reading)
    without_script()
    motion(reading)
    window(reading)
    two_thousand_lines()
    start()


if __name__ == "__main__":
    main()
