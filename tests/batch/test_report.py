"""Reports: sorted by doubt, whole without a network, quick in a browser; and the shell."""

from __future__ import annotations

import csv
import html.parser
import io
import json
import os
import shutil
import signal
import subprocess
import sys
import unittest
from unittest import mock

import msgspec

from glyphos.batch.engine import Here
from glyphos.batch.job import Outcome
from glyphos.batch.mouths import ROW, strip_of
from glyphos.batch.recipe import read_recipe
from glyphos.batch.report.rows import rows_of
from glyphos.batch.report.writing import write_report
from glyphos.batch.running import Run
from glyphos.motion.delivery import Delivery
from glyphos.motion.perform import perform
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Line
from glyphos.production.production import Production
from glyphos.proof.finding import Finding
from tests.batch.folders import Jobs
from tests.patience import PATIENCE, until
from tests.scene.scenes import demo
from tests.shell import invoke

BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")


class Tags(html.parser.HTMLParser):
    """Which tags a page opens and closes, and what they point to."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.seen: list[tuple[str, dict[str, str | None]]] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.seen.append((tag, dict(attrs)))
        if tag not in ("meta", "input", "img", "br"):
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag, tag


def finding(severity: str, check: str = "late", start: float = 1.0) -> Finding:
    return Finding(check, "mouth", severity, f"It is <{severity}> & so.", "x", start, start + 1)  # type: ignore[arg-type]


class Reports(Jobs):
    def reported(self, *outcomes: Outcome) -> str:
        self.target.mkdir(exist_ok=True)
        run = Run(
            self.target, "24", workers=2, outcomes=list(outcomes), refused=("x.doc is none.",)
        )
        return write_report(run).read_text(encoding="utf-8")

    def test_what_is_most_in_doubt_comes_first_in_all_three(self) -> None:
        line = Line("fine", "fine.wav", "Pip", duration=5.0)
        other = lambda slug: msgspec.structs.replace(line, slug=slug)  # noqa: E731
        accepted = msgspec.structs.replace(finding("bad"), accepted="meant so")
        page = self.reported(
            Outcome(line, "done", findings=(accepted,)), Outcome(other("poor"), "done", findings=(finding("poor"),)),
            Outcome(other("broken"), "failed", "It is <empty>."), Outcome(other("bad"), "there", findings=(finding("bad"),)),
        )  # fmt: skip
        order = ["broken", "bad", "poor", "fine"]
        rows = list(csv.DictReader(io.StringIO((self.target / "report.csv").read_text())))
        self.assertEqual([r["line"] for r in rows], order)
        document = json.loads((self.target / "report.json").read_text())
        self.assertEqual([x["line"] for x in document["lines"]], order)
        self.assertEqual([page.index(f'data-line="{s}"') for s in order], sorted(page.index(f'data-line="{s}"') for s in order))  # fmt: skip
        self.assertIn("It is &lt;empty&gt;.", page)
        self.assertIn("It is &lt;poor&gt; &amp; so.", page)
        tags = Tags()
        tags.feed(page)
        self.assertEqual(tags.open, [])
        for _, given in tags.seen:  # nothing of it comes from elsewhere
            for name in ("src", "href", "data-src"):
                self.assertNotIn("//", given.get(name) or "")

    def test_many_findings_of_one_kind_are_told_as_one(self) -> None:
        many = tuple(finding("poor", "doubtful-word", float(k)) for k in range(9))
        page = self.reported(Outcome(Line("x", "x.wav"), "done", findings=many))
        self.assertEqual(page.count('<li class="poor">'), 1)
        self.assertIn("and 8 more such", page)
        self.assertEqual(rows_of([Outcome(Line("x", "x.wav"), "done", findings=many)])[0].count("poor"), 9)  # fmt: skip

    def test_mouths_stand_over_their_words(self) -> None:
        line = demo().line("03-pip-wind")
        strip = strip_of(line.reading, perform(line.reading, fps=24), Delivery())
        for word in ("Probably", "the", "wind", "Osric"):
            self.assertIn(f">{word}</text>", strip)
        self.assertIn('href="#m1"', strip)  # the closed lips of /p/ and /b/
        long = demo().line("07-mabel-night-log")
        self.assertLessEqual(strip_of(long.reading, perform(long.reading, fps=24), Delivery()).count("<use"), 3 * ROW)  # fmt: skip

    @unittest.skipUnless(BROWSER, "needs a browser")
    def test_a_thousand_lines_open_in_a_browser_that_has_no_network(self) -> None:
        line = demo().line("03-pip-wind")
        strip = strip_of(line.reading, perform(line.reading, fps=24), Delivery())
        outcomes = []
        for k in range(1000):
            path = f"mouths/l{k}.svg"
            (self.target / "mouths").mkdir(parents=True, exist_ok=True)
            (self.target / path).write_text(strip)
            own = msgspec.structs.replace(line, slug=f"l{k}")
            outcomes.append(
                Outcome(own, "done", findings=(finding("poor"),) * (k % 3), mouths=path)
            )
        self.reported(*outcomes)
        probe = self.target / "probe.html"
        text = (self.target / "report.html").read_text()
        script = "<script>addEventListener('load',()=>{document.title='loaded '+Math.round(performance.now())})</script>"
        probe.write_text(text.replace("</body>", f"{script}</body>"))
        ran = subprocess.run(
            [str(BROWSER), "--headless", "--no-sandbox", "--disable-gpu", "--virtual-time-budget=4000",
             "--host-resolver-rules=MAP * ~NOTFOUND", "--dump-dom", probe.as_uri()],
            capture_output=True, text=True, timeout=PATIENCE, check=True,
        )  # fmt: skip
        title = ran.stdout.partition("<title>")[2].partition("</title>")[0]
        self.assertRegex(title, r"loaded \d+")
        self.assertEqual(ran.stdout.count("<tr class="), 1000)
        loaded = ran.stdout.count(
            ' src="mouths/'
        )  # as they come into sight: all at once took half a minute
        self.assertTrue(0 < loaded < 100, loaded)


class Shell(Jobs):
    def run_it(self, *words: object, code: int = 0) -> str:
        ran = invoke(["batch", *map(str, words)])
        self.assertEqual(ran.exit_code, code, ran.output + str(ran.exception))
        return str(ran.output) + str(ran.exception or "")

    def test_two_commands_of_a_newcomer(self) -> None:
        self.spoken("slt_hts-001")
        (self.source / "torn.wav").write_bytes(b"RIFF")
        recipe = self.folder / "night.toml"
        told = self.run_it(self.source, "--to", self.target, "--formats", "json,vtt", "--life", 1, "--workers", 1,
                           "--save-recipe", recipe, code=1)  # fmt: skip
        self.assertIn("1 line done, 1 failed", told)
        self.assertIn("torn.wav is not a sound", told)
        self.assertTrue((self.target / "handoff" / "slt-hts-001.timing.vtt").exists())
        self.assertEqual(read_recipe(recipe).life.strength, 1.0)
        self.assertIn("say --resume", self.run_it(self.source, "--to", self.target, code=1))
        (self.source / "torn.wav").unlink()
        told = self.run_it(self.target, "--to", self.folder / "more", "--recipe", recipe, "--no-report", "--workers", 1, code=1)  # fmt: skip
        self.assertIn("The recording torn.wav is missing", told)
        self.assertFalse((self.folder / "more" / "report.html").exists())

    def test_wrong_words(self) -> None:
        self.sounds("a")
        for words in (
            ("--steps", "hear"),
            ("--fps", "x"),
            ("--formats", "wav"),
            ("--watch", "--steps", "x"),
        ):
            self.run_it(
                self.source, "--to", self.target, *words, code=2 if "--steps" in words else 1
            )
        table = self.folder / "t.csv"
        table.write_text("file\na.wav\n")
        self.assertIn("Only a folder", self.run_it(table, "--to", self.target, "--watch", code=1))

    def test_languages_of_what_is_added_and_the_line_that_is_opened(self) -> None:
        folder = copy_demo(self.folder / "d.glyphos")
        self.sounds("nuovo")
        ran = invoke(["add", str(folder), str(self.source), "--language", "it"])
        self.assertEqual(ran.exit_code, 0, ran.output)
        self.assertEqual(Production.open(folder).line("nuovo").language, "it")

    def test_control_c_after_the_last_line_is_told_as_before_it(self) -> None:
        self.spoken("slt_hts-001")
        close = Here.close

        def interrupted(engine: Here, **how: bool) -> None:
            close(engine, **how)
            raise KeyboardInterrupt

        words = (self.source, "--to", self.target, "--workers", 1, "--resume")
        for late in (
            mock.patch.object(Here, "close", interrupted),
            mock.patch("glyphos.batch.report.writing.write_report", side_effect=KeyboardInterrupt),
        ):
            with late:
                self.assertIn("done is kept: go on with --resume", self.run_it(*words, code=1))
        self.assertIn("there already", self.run_it(*words))

    def test_control_c_ends_it_and_nothing_is_left_behind(self) -> None:
        self.ended_by(signal.SIGINT)

    def test_so_does_a_farm_that_ends_it(self) -> None:
        self.ended_by(signal.SIGTERM)

    def ended_by(self, number: signal.Signals) -> None:
        self.spoken("slt_hts-001", "flite_rms-001", "flite_awb-001", "kal_diphone-001")
        room = self.folder / "temporary"
        room.mkdir()
        process = subprocess.Popen(
            [sys.executable, "-m", "glyphos", "batch", str(self.source), "--to", str(self.target)],
            stderr=subprocess.PIPE, start_new_session=True, env=os.environ | {"TMPDIR": str(room)},
            # a suite that was begun in the background hands down that it is to be ignored
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
        )  # fmt: skip
        until(lambda: (self.target / "batch.log").exists())
        os.kill(process.pid, number)
        _, told = process.communicate(timeout=PATIENCE)
        self.assertEqual(process.returncode, 1, told)
        self.assertNotIn(b"Traceback", told)
        self.assertIn(b"--resume", told)
        hands = ["pgrep", "-f", f"glyphos.hands.stem [0-9]+ {process.pid}"]
        own = subprocess.run(hands, capture_output=True, text=True)
        self.assertEqual(own.stdout.split(), [])
        self.assertEqual(list(room.iterdir()), [])


if __name__ == "__main__":
    unittest.main()
