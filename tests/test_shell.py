"""The shell: real processes, exit codes, clean output."""

from __future__ import annotations

import io
import json
import os
import signal
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile

from glyphos.cli.main import main
from glyphos.handoff.curves import from_json
from tests.labels import DATA

TEXT = "Bring me the blue map before the dome opens."
CLIP = str(DATA / "slt_hts-001.flac")


@dataclass(frozen=True)
class Done:
    """What a command left: its exit code and what it said."""

    returncode: int
    stdout: str
    stderr: str


def glyphos(*arguments: str, encoding: str = "utf-8") -> Done:
    """Run a command as the shell would, but in this process, which is quicker."""
    out, err = io.TextIOWrapper(io.BytesIO(), encoding=encoding), io.StringIO()
    code = 0
    with (
        mock.patch.object(sys, "argv", ["glyphos", *arguments]), redirect_stdout(out), redirect_stderr(err),
        mock.patch.dict(os.environ, COLUMNS="200"),
    ):  # fmt: skip
        try:
            main()
        except SystemExit as stop:
            code = stop.code if isinstance(stop.code, int) else int(bool(stop.code))
    out.flush()
    return Done(code, out.buffer.getvalue().decode(encoding), err.getvalue())


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class Process(Folder):
    def test_a_process_of_its_own_answers_alike(self) -> None:
        """Exit codes and streams as a shell sees them."""
        for arguments in (
            ["listen", "missing.wav", "--text", "x"],
            ["listen", CLIP, "--text", TEXT],
        ):
            real = subprocess.run([sys.executable, "-m", "glyphos", *arguments], capture_output=True, text=True,
                                  env=os.environ | {"COLUMNS": "200"}, check=False)  # fmt: skip
            here = glyphos(*arguments)
            self.assertEqual((real.returncode, real.stdout), (here.returncode, here.stdout))
            self.assertEqual(real.stderr.splitlines()[-1:], here.stderr.splitlines()[-1:])


class Shell(Folder):
    def test_listen_then_perform_equals_performing_at_once(self) -> None:
        done = glyphos("listen", CLIP, "--text", TEXT)
        self.assertEqual(done.returncode, 0, done.stderr)
        document = json.loads(done.stdout)
        self.assertEqual(list(document)[:2], ["format", "version"])
        reading = self.folder / "r.json"
        reading.write_text(done.stdout)
        once = ["perform", str(reading), "--fps", "25", "--life", "1"]
        two = glyphos("perform", CLIP, "--text", TEXT, "--fps", "25", "--life", "1")
        self.assertEqual(glyphos(*once, "--recording", CLIP).stdout, two.stdout)
        alone = glyphos(*once)
        self.assertNotEqual(alone.stdout, two.stdout)
        self.assertIn("slt_hts-001.flac is not beside the reading", alone.stderr)
        beside = self.folder / "slt_hts-001.flac"
        beside.write_bytes((DATA / "flite_awb-001.flac").read_bytes())
        other = glyphos(*once)
        self.assertEqual(other.stdout, alone.stdout)
        self.assertIn("has changed since it was listened to", other.stderr)
        self.assertEqual(glyphos(*once, "--recording", str(beside)).returncode, 1)
        self.assertEqual(glyphos(*once, "--text", TEXT).returncode, 2)
        beside.write_bytes(Path(CLIP).read_bytes())
        one = glyphos(*once)
        self.assertEqual((one.stdout, one.stderr), (two.stdout, ""))
        motion = from_json(one.stdout.encode())
        self.assertEqual(motion.fps, 25)
        self.assertTrue(np.isfinite(motion.values).all())

    def test_a_script_tells_its_language_where_nobody_does(self) -> None:
        clip = str(DATA / "pc_diphone-006.flac")
        done = glyphos("listen", clip)
        self.assertIn("The script is in Italian.", done.stderr)
        self.assertEqual(json.loads(done.stdout)["language"], "it")
        for arguments in ([clip, "--language", "en"], [CLIP]):
            done = glyphos("listen", *arguments)
            self.assertNotIn("The script is in", done.stderr)

    def test_a_text_beside_the_recording_is_its_script(self) -> None:
        out = self.folder / "curves.csv"
        done = glyphos("perform", CLIP, "-o", str(out), "--articulation", "1.4")
        self.assertEqual(done.returncode, 0, done.stderr)
        lines = out.read_text().splitlines()
        self.assertTrue(lines[0].startswith("frame,seconds,jaw_open,lips_part"))
        self.assertTrue(all(len(x.split(",")) == 13 for x in lines))

    def test_failures_are_one_sentence_and_exit_1(self) -> None:
        (self.folder / "empty.txt").touch()
        (self.folder / "bin.txt").write_bytes(b"\0\1\2")
        (self.folder / "latin.txt").write_bytes("caffè".encode("latin-1"))
        (self.folder / "bad.json").write_text('{"format": "glyphos-reading", "version": 1}')
        target = str(self.folder / "no" / "x.json")
        for arguments in (
            ["listen", "missing.wav", "--text", "x"], ["listen", str(self.folder), "--text", "x"],
            ["listen", CLIP, "--script", str(self.folder / "empty.txt")],
            ["listen", CLIP, "--script", str(self.folder / "bin.txt")],
            ["listen", CLIP, "--script", str(self.folder / "latin.txt")],
            ["listen", CLIP, "--text", TEXT, "--language", "elvish"],
            ["listen", CLIP, "--text", TEXT, "-o", target],
            ["perform", str(self.folder / "bad.json")],
            ["picture", "pip", "--motion", "none.json", "--frame", "1", "-o", "x.png"],
            ["perform", CLIP, "--fps", "0"], ["perform", CLIP, "--lead", "900"],
        ):  # fmt: skip
            with self.subTest(arguments[-1]):
                done = glyphos(*arguments)
                self.assertEqual(done.returncode, 1, done.stderr)
                self.assertEqual(done.stdout, "")
                self.assertNotIn("Traceback", done.stderr)
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
                self.assertTrue(done.stderr.strip().endswith((".", "?")), done.stderr)
        self.assertEqual(list(self.folder.glob("**/.x*")), [])

    def test_wrong_usage_exits_2_and_help_names_the_commands(self) -> None:
        self.assertEqual(glyphos("listen").returncode, 2)
        self.assertEqual(glyphos("frobnicate").returncode, 2)
        self.assertEqual(glyphos("listen", CLIP, "--script", "a", "--text", "b").returncode, 2)
        done = glyphos("--help")
        self.assertEqual(done.returncode, 0)
        for word in ("listen", "perform", "demo"):
            self.assertIn(word, done.stdout)

    def test_an_option_that_would_have_no_effect_is_refused_before_anything_is_done(self) -> None:
        show = str(self.folder / "show.glyphos")
        glyphos("new", show)
        line = [CLIP, "--text", TEXT]
        for words, whom in (
            (["perform", *line, "--rest-after", "1"], "--rest-after is for a character"),
            (["perform", *line, "--error", "1", "--character", "osric-drawings"], "with a head"),
            (["perform", *line, "--step", "2", "--character", "pip"], "--step is for a character of drawings"),
            (["movie", show, "-o", "x.mp4", "--no-script"], "--no-script is for a recording"),
            (["scene", "new", show, "X", "--from", "x.csv", "--line", "a"], "--line is for scenes of lines"),
            (["touch", show, "a", "jaw_open", "lift", "--by", "0.1", "--to", "lips_part"], "--to is for copy"),
            (["proof", show, "--html", "--json"], "--html is for people"),
            (["tracker", "--osc"], "--osc is for --demo"),
            (["batch", show, "--to", "x", "--cluster", "tcp://x:1", "--workers", "2"], "--workers is for processes here"),
            (["say", show, "--again", "a", "--scene", "X"], "--scene is for what is said"),
            (["live", "--udp", "x:1", "--speaker", "Ann"], "--speaker is for --calibrate"),
            (["picture", "pip", "-o", "x.png", "--motion", CLIP], "give --frame"),
        ):  # fmt: skip
            with self.subTest(words[0]), mock.patch("glyphos.cli.perform._heard") as heard:
                done = glyphos(*words)
                self.assertEqual((done.returncode, done.stdout), (2, ""), done.stderr)
                self.assertIn(whom, " ".join(done.stderr.replace("│", " ").split()))
                heard.assert_not_called()


class Productions(Folder):
    def test_a_production_is_made_filled_listened_to_and_listed(self) -> None:
        show = str(self.folder / "a show.glyphos")
        made = glyphos("new", show, "--name", "A show", "--fps", "25")
        self.assertEqual(made.returncode, 0)
        self.assertIn(f"glyphos add '{show}' FILES", made.stderr)
        self.assertEqual(signal.getsignal(signal.SIGTERM), signal.SIG_DFL)  # as it was
        done = glyphos("add", show, CLIP, str(DATA / "flite_rms-004.flac"), "--listen")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("2 lines added", done.stderr)
        rows = json.loads(glyphos("lines", show, "--json").stdout)
        self.assertEqual([r["line"] for r in rows], ["slt-hts-001", "flite-rms-004"])
        self.assertTrue(all(r["state"] in ("listened", "doubtful") for r in rows))
        self.assertEqual(
            len(json.loads(glyphos("lines", show, "--json", "--search", "WIND").stdout)), 1
        )
        self.assertIn("flite-rms-004", glyphos("lines", show).stdout)
        again = glyphos("new", show)
        self.assertEqual((again.returncode, again.stderr.count("\n")), (1, 1))
        self.assertIn("not empty", again.stderr)

    def test_files_that_are_no_sound_are_told_and_the_rest_comes_in(self) -> None:
        show = str(self.folder / "show.glyphos")
        glyphos("new", show)
        (self.folder / "bad.wav").write_bytes(b"nothing")
        done = glyphos("add", show, str(self.folder / "bad.wav"), CLIP)
        self.assertEqual(done.returncode, 1)
        self.assertIn("left out: bad.wav", done.stderr)
        self.assertEqual(len(json.loads(glyphos("lines", show, "--json").stdout)), 1)

    def test_brackets_and_colons_are_shown_as_they_are(self) -> None:
        show, name = str(self.folder / "show.glyphos"), "take [red] :cat: [/b]"
        source = self.folder / f"{name}.flac".replace("/", "")
        source.write_bytes(Path(CLIP).read_bytes())
        source.with_suffix(".txt").write_text(
            f"Bring me the blue map before the dome opens. {name}"
        )
        glyphos("new", show)
        self.assertEqual(glyphos("add", show, str(source)).returncode, 0)
        listed = glyphos("lines", show)
        self.assertIn("[red] :cat: [/b]", " ".join(listed.stdout.split()), listed.stderr)
        out = self.folder / "x[/b][red].json"
        out.parent.mkdir(exist_ok=True)
        done = glyphos(
            "listen", str(source), "--text", TEXT, "-o", str(self.folder / "y[red].json")
        )
        self.assertIn("y[red].json", done.stderr)
        done = glyphos("listen", str(source), "--text", TEXT, "-o", str(out))
        self.assertEqual((done.returncode, out.name in done.stderr), (0, True), done.stderr)

    def test_a_terminal_of_another_encoding_shows_what_it_can(self) -> None:
        show = str(self.folder / "show.glyphos")
        for name in ("plain", "déjà"):
            source = self.folder / f"{name}.flac"
            source.write_bytes(Path(CLIP).read_bytes())
            glyphos("new", show)
            glyphos("add", show, str(source))
        listed = glyphos("lines", show, encoding="ascii")
        self.assertEqual(listed.returncode, 0, listed.stderr)
        self.assertIn("d\\xe9j\\xe0.flac", listed.stdout)

    def test_wrong_usage_is_two(self) -> None:
        show = str(self.folder / "show.glyphos")
        glyphos("new", show)
        for arguments in (["lines", show, "--state", "asleep"], ["lines", show, "--sort", "x"],
                          ["listen", CLIP, "--text", "a", "--no-script"]):  # fmt: skip
            done = glyphos(*arguments)
            self.assertEqual(done.returncode, 2, done.stderr)
        self.assertEqual(glyphos("lines", str(self.folder / "nowhere")).returncode, 1)


class Listening(Folder):
    def test_the_recording_check_as_a_table_and_as_json(self) -> None:
        table = glyphos("check", CLIP)
        self.assertEqual(table.returncode, 0, table.stderr)
        self.assertIn("LUFS", table.stdout)
        result = json.loads(glyphos("check", CLIP, "--json").stdout)
        self.assertEqual(
            (result["format"], result["sample_rate"]), ("glyphos-recording-check", 32_000)
        )
        self.assertEqual(glyphos("check", "/no/such.wav").returncode, 1)

    def test_without_a_script_with_a_lexicon_and_with_a_check(self) -> None:
        heard = json.loads(glyphos("listen", CLIP, "--no-script").stdout)
        self.assertEqual(heard["phrases"][0]["words"][0]["source"], "heard")
        sounds = json.loads(glyphos("listen", CLIP, "--sounds", "--language", "it").stdout)
        self.assertTrue(sounds["phrases"][0]["text"].startswith("/"))
        own = self.folder / "own.txt"
        own.write_text("dome  D UW1 M\n")
        done = glyphos("listen", CLIP, "--text", TEXT, "--lexicon", str(own), "--check", "--clean")
        self.assertIn("LUFS", done.stderr)
        word = json.loads(done.stdout)["phrases"][0]["words"][7]
        self.assertEqual(
            ([p["ipa"] for p in word["phones"]], word["source"]), (["d", "u", "m"], "lexicon")
        )
        own.write_text("dome  NOPE\n")
        wrong = glyphos("listen", CLIP, "--text", TEXT, "--lexicon", str(own))
        self.assertEqual((wrong.returncode, wrong.stdout), (1, ""))
        self.assertIn("line 1", wrong.stderr)

    def test_timing_is_written_as_its_ending_says(self) -> None:
        for ending, start in (
            (".vtt", "WEBVTT"),
            (".srt", "1\n"),
            (".csv", "phrase,word"),
            (".TextGrid", "File type"),
        ):
            path = self.folder / f"timing{ending}"
            done = glyphos("listen", CLIP, "--text", TEXT, "-o", str(path))
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertTrue(path.read_text().startswith(start), ending)
        wrong = glyphos("listen", CLIP, "--text", TEXT, "-o", str(self.folder / "x.doc"))
        self.assertEqual(wrong.returncode, 1)
        self.assertIn(".vtt", wrong.stderr)


class Handing(Folder):
    def test_files_are_handed_over_as_the_page_does(self) -> None:
        from glyphos.production.demo import copy_demo

        show = str(copy_demo(self.folder / "demo"))
        out = self.folder / "out"
        done = glyphos(
            "handoff", show, "-o", str(out), "--curves", "json", "--timing", "vtt", "--fps", "30"
        )
        self.assertEqual(done.returncode, 1)  # some lines were not listened to, which is said
        self.assertIn("left out: 02-osric-door", done.stderr)
        self.assertEqual(len(list(out.glob("*.curves.json"))), len(list(out.glob("*.timing.vtt"))))
        one = glyphos("handoff", show, "-o", str(out), "--line", "05-mabel-hush")
        self.assertEqual((one.returncode, one.stderr.count("written to")), (0, 1), one.stderr)
        for wrong in (["--line", "nobody"], ["--fps", "quick"], ["--curves", "none"]):
            done = glyphos("handoff", show, "-o", str(out), *wrong)
            self.assertEqual(
                (done.returncode, len(done.stderr.strip().splitlines())), (1, 1), done.stderr
            )
        self.assertEqual(glyphos("handoff", show, "-o", str(out), "--curves", "doc").returncode, 2)
        file = self.folder / "a file"
        file.touch()
        for words in (("handoff", show, "-o", str(file)), ("new", str(file))):
            done = glyphos(*words)
            self.assertEqual(done.returncode, 1)
            self.assertIn("is a file; name a folder", done.stderr)

    def test_one_bad_line_never_stops_the_others(self) -> None:
        show = str(self.folder / "show.glyphos")
        glyphos("new", show, "--language", "en_US")
        short = self.folder / "short.wav"
        samples, rate = soundfile.read(CLIP)
        soundfile.write(short, samples[: int(0.6 * rate)], rate)
        for count in (6, 9, 12, 16):
            table = self.folder / "lines.csv"
            table.write_text(f"file,text\n{short},{'pitter patter ' * count}\n{CLIP},{TEXT}\n")
            done = glyphos("add", show, str(table), "--listen")
            self.assertNotIn("Traceback", done.stderr)
            self.assertEqual(done.returncode, 1)
        self.assertIn("too long", done.stderr)
        states = [r["state"] for r in json.loads(glyphos("lines", show, "--json").stdout)]
        self.assertEqual(states[1::2], ["listened"] * 4)
        self.assertEqual(states[-2], "problem")
        again = glyphos("lines", show, "--listen", "--json")
        self.assertEqual((again.returncode, len(json.loads(again.stdout))), (1, 8), again.stderr)
        direct = glyphos("listen", str(short), "--text", "pitter patter " * 8)
        self.assertEqual((direct.returncode, direct.stdout), (1, ""), direct.stderr)
        self.assertEqual(len(direct.stderr.strip().splitlines()), 1, direct.stderr)

    def test_sounds_may_be_given_as_the_script(self) -> None:
        done = glyphos("listen", CLIP, "--text", "/bɹɪŋ mi/ the blue map before the dome opens.")
        self.assertEqual(done.returncode, 0, done.stderr)
        word = json.loads(done.stdout)["phrases"][0]["words"][0]
        self.assertEqual([p["ipa"] for p in word["phones"]], list("bɹɪŋmi"))
        self.assertEqual(word["source"], "script")

    def test_bad_rows_are_told_and_one_line_is_one(self) -> None:
        show = str(self.folder / "show.glyphos")
        glyphos("new", show)
        table = self.folder / "lines.csv"
        table.write_text(f"file,text\n{CLIP},{TEXT}\n,nobody\n")
        done = glyphos("add", show, str(table))
        self.assertEqual(done.returncode, 1)
        self.assertIn("row 3: it names no file", done.stderr)
        self.assertIn("1 line added", done.stderr)
