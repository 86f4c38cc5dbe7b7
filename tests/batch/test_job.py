"""Jobs on this machine: bad lines among good ones, limits, retries, resuming, changes, scripts, watching."""

from __future__ import annotations

import os
import random
import re
import signal
import subprocess
import sys
import textwrap
import time
import unittest
from collections import Counter
from unittest import mock

import msgspec

from glyphos.batch.control import Control
from glyphos.batch.job import Job
from glyphos.batch.recipe import Bounds, Files, Recipe, Scripts
from glyphos.batch.running import needed_by, run_batch
from glyphos.batch.task import Pack, unpacked
from glyphos.batch.watching import watch
from glyphos.errors import Cancelled, DocumentError, GlyphosError, SaveError, ScriptError
from glyphos.handoff.handed import known_folders
from glyphos.production.demo import copy_demo
from glyphos.production.kinds import line_key
from glyphos.production.production import Production
from glyphos.production.store import Store
from glyphos.speech.listen import listen
from glyphos.speech.reading import Mark
from tests.batch.doing import told
from tests.batch.folders import DATA, Jobs
from tests.patience import PATIENCE

PLAIN = Recipe(steps=("listen", "hand"))


class Real(Jobs):
    def test_a_folder_becomes_a_production_with_files_and_mouths(self) -> None:
        self.spoken("slt_hts-001", "flite_rms-001")
        run = self.run_job(engine=self.real())
        self.assertEqual(set(self.states(run).values()), {"done"})
        alone = listen(DATA / "slt_hts-001.flac", (DATA / "slt_hts-001.txt").read_text())
        line = self.made.line("slt-hts-001")
        self.assertEqual(line.reading.phrases, alone.phrases)
        self.assertGreater(line.duration, 2.0)
        self.assertIn("handoff/slt-hts-001.curves.csv", self.files())
        self.assertIn(b"<symbol", self.files()["mouths/slt-hts-001.svg"])
        self.assertGreater(run.cpu, 0.1)
        again = self.run_job(engine=self.real(), resume=True)
        self.assertEqual(set(self.states(again).values()), {"there"})

    def test_a_production_is_handed_over_as_the_window_does_it(self) -> None:
        self.source = copy_demo(self.folder / "demo.glyphos")
        recipe = Recipe(steps=("hand",), hand=Files("csv", "vtt", "glb"))
        chosen = ("03-pip-wind", "05-mabel-hush")
        run = self.run_job(recipe, self.real(), only=lambda s: s in chosen)
        self.assertEqual(self.states(run), dict.fromkeys(chosen, "done"))
        from glyphos.handoff.deliver import deliver, plan

        shown = Production.open(self.source)
        deliver(
            plan(shown, [shown.line(s) for s in chosen], recipe.wish("24")), self.folder / "plain"
        )
        for path in (self.folder / "plain").iterdir():
            self.assertEqual(path.read_bytes(), (self.target / "handoff" / path.name).read_bytes(), path.name)  # fmt: skip
        self.assertEqual(len(known_folders(Production.open(self.source))), 1)

    def test_characters_of_a_recipe_speak(self) -> None:
        self.spoken("slt_hts-001")
        head = self.folder / "mine.glb"
        from glyphos.characters.builtin import builtin_path

        head.write_bytes(builtin_path("pip").read_bytes())
        recipe = Recipe(characters={"*": str(head)}, hand=Files("", character="csv"), steps=("listen", "hand"))  # fmt: skip
        self.run_job(recipe, self.real())
        self.assertEqual(list(self.files()), ["handoff/slt-hts-001.mine.csv"])
        self.assertEqual(self.made.character_for("").name, "mine")
        head.write_bytes(builtin_path("osric").read_bytes())  # another head under the same name
        again = self.run_job(recipe, self.real(), resume=True)
        self.assertEqual(self.states(again), {"slt-hts-001": "done"})

    def test_what_a_line_needs_is_loaded_once_for_all_processes(self) -> None:
        self.spoken("slt_hts-001")
        recipe = Recipe(characters={"*": "pip"}, hand=Files(character="glb"))
        self.run_job(recipe, self.engine(1, told, loaded=needed_by(recipe)))
        late = self.files()["handoff/late.txt"].decode().split()
        self.assertEqual([name for name in late if not name.split(".")[-1].startswith("_")], [])

    def test_recordings_that_are_none_too_long_or_gone(self) -> None:
        self.spoken("slt_hts-001")
        (self.source / "torn.wav").write_bytes(b"RIFF....WAVE")
        (self.source / "empty.mp3").write_bytes(b"")
        run = self.run_job(Recipe(steps=("listen",), limits=Bounds(minutes=0.03)), self.real())  # fmt: skip
        said = {o.line.slug: o.problem for o in run.outcomes}
        self.assertIn("cut it into lines, or allow more", said["slt-hts-001"])
        self.assertIn("torn.wav is not a sound", said["torn"])
        self.assertIn("empty.mp3 is empty", said["empty"])
        self.assertEqual(self.made.line("torn").state, "problem")
        (self.source / "torn.wav").unlink()
        with mock.patch("glyphos.batch.packing.LARGEST", 10):
            run = self.run_job(Recipe(steps=("listen",)), self.real(), resume=True)
        self.assertIn("too much for one line", {o.line.slug: o.problem for o in run.outcomes}["slt-hts-001"])  # fmt: skip


class Limits(Jobs):
    def test_lines_that_crash_hang_or_eat_memory_take_only_themselves(self) -> None:
        self.sounds("a", "die", "hungry", "bad", "z")
        run = self.run_job(Recipe(limits=Bounds(retries=1)), self.engine(2, megabytes=330))
        said = {o.line.slug: (o.state, o.problem) for o in run.outcomes}
        self.assertEqual((said["a"][0], said["z"][0]), ("done", "done"))
        self.assertIn("ended by signal 9", said["die"][1])
        self.assertIn("more than 330 MB", said["hungry"][1])
        self.assertEqual(said["bad"][1], "It holds nothing.")
        tries = {o.line.slug: o.tries for o in run.outcomes}
        self.assertEqual((tries["die"], tries["bad"]), (2, 1))  # lost is tried again
        self.sounds("hang")
        run = self.run_job(Recipe(limits=Bounds(retries=1)), self.engine(2, seconds=0.5), resume=True)  # fmt: skip
        (hung,) = [o for o in run.outcomes if o.line.slug == "hang"]
        self.assertIn("not done after 0.5 seconds", hung.problem)
        self.assertEqual(hung.tries, 1)

    def test_a_process_that_is_lost_once_is_no_failure(self) -> None:
        self.sounds("once", "b")
        run = self.run_job(Recipe(words_model=str(self.folder)))
        self.assertEqual(self.states(run), {"once": "done", "b": "done"})
        self.assertIn("once again: The process", (self.target / "batch.log").read_text())

    def test_stopped_and_paused(self) -> None:
        self.sounds(*(f"slow{k}" for k in range(12)))
        control = Control()

        def enough(_: float) -> None:
            if len(self.heard) >= 3:
                control.stopped.set()

        with self.assertRaises(Cancelled):
            self.run_job(control=control, progress=enough)
        done = len(self.heard)
        self.assertLess(done, 9)
        run = self.run_job(resume=True)
        states = Counter(self.states(run).values())
        self.assertGreaterEqual(states["there"], done)
        self.assertEqual(states["there"] + states["done"], 12)

    def test_what_cannot_begin_says_why(self) -> None:
        for begin, kind, said in (
            (lambda: self.run_job(), ScriptError, "no recordings"),
            (lambda: run_batch(self.folder / "x", self.target, Recipe(), self.engine()), ScriptError, "There is nothing at"),
            (lambda: self.run_job(Recipe(scripts=Scripts(before="no-such-program"))), GlyphosError, "no program that can be run"),
        ):  # fmt: skip
            with self.assertRaises(kind) as caught:
                begin()
            self.assertIn(said, str(caught.exception))
        self.sounds("a", "b")
        self.run_job(PLAIN, resume=True)
        with self.assertRaises(DocumentError) as caught2:
            self.run_job(PLAIN)
        self.assertIn("say --resume", str(caught2.exception))
        same = Recipe(steps=("listen", "hand"), hand=Files(names="all"))
        with self.assertRaises(ScriptError) as caught3:
            self.run_job(same, resume=True)
        self.assertIn("Files of a and b would both be named all", str(caught3.exception))

    def test_a_target_that_cannot_be_written_ends_the_job_with_its_sentence(self) -> None:
        self.sounds("a", "b")
        (self.target).write_text("a file")
        with self.assertRaises(SaveError) as caught:
            self.run_job()
        self.assertIn("is a file", str(caught.exception))
        self.target.unlink()
        real = os.replace

        def full(one: str, other: str) -> None:
            if str(other).endswith("b.csv"):
                raise OSError(28, "No space left on device")
            real(one, other)

        with mock.patch("glyphos.batch.kept.os.replace", full), self.assertRaises(SaveError) as caught:  # fmt: skip
            self.run_job()
        self.assertIn("no space left on device", str(caught.exception))
        self.assertEqual(set(self.states(self.run_job(resume=True)).values()) - {"done", "there"}, set())  # fmt: skip


class Again(Jobs):
    def test_only_what_changed_is_made_anew(self) -> None:
        self.sounds("a", "b", "c")
        self.run_job(PLAIN)
        other = msgspec.structs.replace(PLAIN, hand=Files("json"))
        run = self.run_job(other, resume=True)
        self.assertEqual(set(self.states(run).values()), {"done"})
        self.assertEqual(sum(o.fresh for o in run.outcomes), 0)  # handed over anew, not listened to
        (self.source / "b.txt").write_text("Other words.")
        run = self.run_job(other, resume=True)
        self.assertEqual(self.states(run), {"a": "there", "b": "done", "c": "there"})
        self.assertEqual(self.made.line("b").script, "Other words.")
        self.sounds("x", "a")  # another recording under the name of an old one, and a new one
        run = self.run_job(other, resume=True)
        self.assertEqual({o.line.slug for o in run.outcomes if o.fresh}, {"a", "x"})
        (self.target / "handoff" / "c.csv").write_text("spoilt")
        run = self.run_job(other, resume=True)
        self.assertEqual(self.states(run)["c"], "done")
        self.assertEqual((self.target / "handoff" / "c.csv").read_text(), "c\n")

    def test_another_language_listens_again_but_not_where_a_person_worked(self) -> None:
        self.sounds("a", "b")
        self.run_job(PLAIN)
        store = Store.open(self.target)
        own = store.production.line("a")
        marked = msgspec.structs.replace(own.reading, marks=(Mark("breath", 0.1, 0.2),))
        edited = msgspec.structs.replace(own, reading=marked, script="By hand.")
        store.keep({line_key("a"): edited})
        store.close()
        (self.source / "a.txt").write_text("From the folder.")
        run = self.run_job(msgspec.structs.replace(PLAIN, lexicon=self.lexicon()), resume=True)
        self.assertEqual(self.made.line("a").script, "By hand.")
        self.assertEqual(self.made.line("a").reading, marked)
        self.assertTrue(next(o for o in run.outcomes if o.line.slug == "b").fresh)

    def lexicon(self) -> str:
        path = self.folder / "names.txt"
        path.write_text("Osric AA1 Z R IH0 K\n")
        return str(path)

    def test_killed_at_random_moments_nothing_is_missing_and_nothing_done_twice(self) -> None:
        """As many.md asks: kill -9 at any moment loses at most the lines in work."""
        names = [f"l{k:02d}" for k in range(40)]
        self.sounds(*names)
        code = textwrap.dedent(f"""
            from pathlib import Path
            from glyphos.batch.engine import Here
            from glyphos.batch.recipe import Recipe
            from glyphos.batch.running import run_batch
            from tests.batch.doing import quick
            run_batch(Path({str(self.source)!r}), Path({str(self.target)!r}), Recipe(steps=("listen", "hand")),
                      Here(2, doing=quick), resume=True)
        """)
        draw, kills = random.Random(4), 0
        for _ in range(20 if os.environ.get("GLYPHOS_FUZZ") else 4):
            process = subprocess.Popen([sys.executable, "-c", code], start_new_session=True)
            try:
                process.wait(draw.uniform(0.5, 1.5))
                break
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
                kills += 1
        self.assertGreater(kills, 0)
        run = self.run_job(PLAIN, resume=True)
        self.assertEqual(len(run.outcomes), 40)
        self.assertEqual(sorted(self.made.slugs), names)
        self.assertEqual(len(self.files()), 40)
        done = Counter(re.findall(r"(l\d\d) done", (self.target / "batch.log").read_text()))
        twice = [n for n, count in done.items() if count > 1]
        self.assertLessEqual(len(twice), kills)  # a line whose log came and whose results did not


class Programs(Jobs):
    def script(self, name: str, text: str) -> str:
        path = self.folder / name
        path.write_text(f"#!/bin/sh\n{text}\n")
        path.chmod(0o755)
        return str(path)

    def test_before_and_after_lines_and_jobs(self) -> None:
        self.sounds("a", "b")
        before = self.script("before", 'cat > /dev/null; echo "looking"; exit 0')
        after = self.script("after", f"cat >> {self.folder}/told")
        job = self.script("job", 'cat > /dev/null; echo "all of it"')
        self.run_job(Recipe(scripts=Scripts(before, after, job, job)))
        log = (self.target / "batch.log").read_text()
        self.assertEqual(log.count("looking"), 2)
        self.assertEqual(log.count("all of it"), 2)
        told = (self.folder / "told").read_text()
        self.assertEqual(told.count('"when":"after"'), 2)
        self.assertIn('"files":["handoff/a.csv"]', told)

    def test_one_that_fails_or_never_ends_fails_its_line(self) -> None:
        self.sounds("a", "b")
        picky = self.script("picky", 'grep -q \'"line":"a"\' && { echo "not this one"; exit 3; }; exit 0')  # fmt: skip
        run = self.run_job(Recipe(scripts=Scripts(before=picky)))
        said = {o.line.slug: o.problem for o in run.outcomes}
        self.assertIn("ended with code 3: not this one", said["a"])
        self.assertEqual(said["b"], "")
        endless = self.script("endless", "sleep 600 & wait")
        began = time.monotonic()
        run = self.run_job(Recipe(scripts=Scripts(after=endless), limits=Bounds(seconds=0.7), fps="25"), resume=True)  # fmt: skip
        self.assertLess(time.monotonic() - began, PATIENCE)
        self.assertIn("not done after 0.7 seconds", run.outcomes[0].problem)
        with self.assertRaises(GlyphosError):
            self.run_job(
                Recipe(scripts=Scripts(job_before=self.script("no", "exit 1"))), resume=True
            )


class Watching(Jobs):
    def test_recordings_are_done_as_they_come(self) -> None:
        self.sounds("a")
        control, runs = Control(), []
        for run in watch(
            self.source, self.target, PLAIN, self.engine(), control=control, every=0.05
        ):
            runs.append(self.states(run))
            if len(runs) == 1:
                self.sounds("a", "b")
            elif len(runs) == 2:
                control.stopped.set()
        self.assertEqual(runs[0], {"a": "done"})
        self.assertEqual(runs[1], {"a": "there", "b": "done"})


class Tables(Jobs):
    def test_a_recording_may_hold_several_lines_and_one_that_is_named_twice_is_taken_once(
        self,
    ) -> None:
        self.sounds("a")
        self.source = self.source / "t.csv"

        def table(*rows: str) -> None:
            self.source.write_text("\n".join(("file,speaker,text", *rows)))

        def scripts() -> dict[str, str]:
            return {x.slug: x.script for x in self.made.lines}

        table("a.wav,Pip,One.", "a.wav,Pip,One.", "a.wav,Pip,Two.")
        run = self.run_job(PLAIN)
        self.assertEqual(self.states(run), {"a": "done", "a-2": "done"})
        self.assertIn("named 2 times with the same text", run.refused[0])
        self.assertEqual(scripts(), {"a": "One.", "a-2": "Two."})
        table("a.wav,Pip,One.", "a.wav,Pip,Three.", "a.wav,Pip,Four.")
        run = self.run_job(PLAIN, resume=True)
        self.assertEqual(self.states(run), {"a": "there", "a-2": "done", "a-3": "done"})
        self.assertEqual(scripts(), {"a": "One.", "a-2": "Three.", "a-3": "Four."})
        table("a.wav,Pip,Four.", "a.wav,Pip,Three.")  # rows that go or move keep their lines
        run = self.run_job(PLAIN, resume=True)
        self.assertEqual(self.states(run), {"a-3": "there", "a-2": "there"})
        self.source.write_text(
            "file,language,text\na.wav,,One.\na.wav,en,One.\n"
        )  # alike, once it is known
        run = self.run_job(Recipe(steps=PLAIN.steps, language="en"), resume=True)
        self.assertEqual(list(self.states(run)), ["a"])


class Scheduling(Jobs):
    def test_much_is_on_its_way_but_never_all(self) -> None:
        """The parent's memory stays flat: it holds the sounds of what is in work alone."""
        self.sounds(*(f"s{k:02d}" for k in range(30)))
        most = 0
        real = Job._send

        def counted(job: Job, flight: object) -> None:
            nonlocal most
            real(job, flight)  # type: ignore[arg-type]
            most = max(most, len(job._flying))

        with mock.patch.object(Job, "_send", counted):
            self.run_job(PLAIN)
        self.assertLessEqual(most, 4)


class Packs(Jobs):
    def test_a_file_name_that_leads_out_is_refused(self) -> None:
        pack = self.folder / "pack"
        pack.write_bytes(msgspec.msgpack.encode(Pack({"../out": b"x"})))
        with self.assertRaises(ScriptError):
            unpacked(str(pack))


if __name__ == "__main__":
    unittest.main()
