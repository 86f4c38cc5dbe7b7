"""Mends really mend: for each planted fault the finding is gone once the change is made, and by no more than is needed."""

from __future__ import annotations

import tempfile
import unittest
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from unittest import mock

import msgspec

from glyphos.batch.listening import listened
from glyphos.batch.proofs import proof_many
from glyphos.characters.builtin import builtin_path
from glyphos.characters.drawings.pins import Pin
from glyphos.characters.fittings import Fitting
from glyphos.errors import EditError
from glyphos.handoff.deliver import Wish, deliver, plan
from glyphos.handoff.handed import again, delivered, known_folders
from glyphos.motion.delivery import Delivery
from glyphos.motion.life.event import Liveliness
from glyphos.motion.mix import Mix
from glyphos.motion.mood import MoodSpan
from glyphos.motion.touch.keys import Touch, key_at
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Accepted, Aside, Character, Line, Recorded
from glyphos.production.kinds import character_key, line_key
from glyphos.production.production import Production
from glyphos.proof.finding import Finding
from glyphos.proof.hearing import other_language
from glyphos.proof.mending import WAYS, Mend, mend, mendable
from glyphos.proof.proofing import proofed
from glyphos.proof.whole import Whole, proofed_whole
from tests.proof.test_proof import OF_LIFE
from tests.scene.scenes import demo
from tests.shell import invoke

FPS = Fraction(24)
SLUG = "01-mabel-beam"


def never(production: Production, line: Line) -> Line:
    raise AssertionError("This needs no listening.")


class Mending(unittest.TestCase):
    def with_line(self, slug: str = SLUG, **changes: object) -> Production:
        line = msgspec.structs.replace(demo().line(slug), **changes)
        return demo().changed({line_key(slug): line})

    def found(self, production: Production, check: str, slug: str = SLUG) -> Finding:
        found = [f for f in proofed(production.line(slug), production, FPS) if f.check == check]
        self.assertTrue(found, check)
        return found[0]

    def mended(
        self, production: Production, check: str, slug: str = SLUG, listen=never, only=None
    ) -> Mend:  # type: ignore[no-untyped-def]
        """The mend of the finding, after which it is gone and nothing new has come. only: these checks."""
        found = proofed(production.line(slug), production, FPS, only=only)
        before = {f.check: f for f in reversed(found)}
        self.assertTrue(mendable(before[check]))
        made = mend(production, before[check], FPS, listen)
        after = production.changed(made.changes)
        left = {f.check for f in proofed(after.line(slug), after, FPS, only=only)}
        self.assertNotIn(check, left)
        self.assertLessEqual(left, before.keys())
        return made

    def touch(self, channel: str, *values: tuple[float, float], free: bool = True) -> Touch:
        reading = demo().line(SLUG).reading
        keys = tuple(key_at(reading, at, value, "line") for at, value in values)
        return Touch(channel, "replace", keys, free=free)

    def test_touch_ups_that_hold_a_mouth_open_are_taken_away_and_others_stay(self) -> None:
        every = list(demo().line(SLUG).reading.words())
        gaps = [(a.end, b.start) for a, b in pairwise(every)]
        silence = max(
            [*gaps, (every[-1].end, demo().line(SLUG).duration)], key=lambda g: g[1] - g[0]
        )
        wrong = self.touch("lips_part", (silence[0] + 0.1, 0.6), (silence[1] - 0.1, 0.6))
        good = self.touch("lip_corner_up_left", (0.5, 0.3), (0.9, 0.0))
        made = self.mended(self.with_line(touches=(good, wrong)), "open-in-silence")
        self.assertEqual(made.changes[line_key(SLUG)].touches, (good,))

    def test_layers_and_delivery_go_back_to_what_they_are_as_a_rule(self) -> None:
        quiet = Mix().changed("speech", on=False)
        self.assertEqual(self.mended(self.with_line(mix=quiet), "still-mouth").changes[line_key(SLUG)].mix, Mix())  # fmt: skip
        lazy = Delivery(lead=-100.0, offset=0.25)
        made = self.mended(self.with_line(delivery=lazy), "late")
        self.assertEqual(
            made.changes[line_key(SLUG)].delivery, Delivery(offset=0.25)
        )  # its place stays
        part = Delivery(range_end=6.0)
        self.assertEqual(made.name, "Delivery as usual")
        still = self.mended(self.with_line(delivery=part), "still-mouth")
        self.assertEqual(still.changes[line_key(SLUG)].delivery, Delivery())

    def test_life_is_drawn_again_or_a_blink_placed(self) -> None:
        slug = "07-mabel-night-log"
        none = self.with_line(slug, life=Liveliness(blinks=0.04, seed=2))
        made = self.mended(none, "no-blink", slug, only=OF_LIFE)  # in two minutes
        after = made.changes[line_key(slug)]
        self.assertTrue(after.happenings or after.life != none.line(slug).life)
        two = (MoodSpan("joy", 0.2, 6.0, 0.9), MoodSpan("sadness", 0.6, 5.0, 0.9))
        spans = (
            self.mended(self.with_line(moods=two), "moods-overlap").changes[line_key(SLUG)].moods
        )
        self.assertLessEqual(spans[0].end, spans[1].start)

    def test_what_is_lost_is_let_go(self) -> None:
        self.mended(self.with_line(aside=(Aside("a nod"),)), "lost-touch")
        gone = Recorded("layers/none.csv")
        with mock.patch("glyphos.proof.proofing.SEVERITIES", ("note", "poor", "bad")):
            made = self.mended(self.with_line(recorded=(gone,)), "missing-layer")
        self.assertFalse(made.changes[line_key(SLUG)].recorded[0].on)

    def test_what_must_be_heard_is_listened_to(self) -> None:
        slug = "03-pip-wind"
        other = self.with_line(slug, script="Probably the wind, old Osric.")
        heard = mend(other, self.found(other, "script-disagrees", slug), FPS, listened)
        self.assertEqual(heard.name, "Listen again")
        words = [w.text for w in heard.changes[line_key(slug)].reading.words()]
        self.assertEqual(words, ["Probably", "the", "wind", "old", "Osric"])
        self.mended(self.with_line(slug, reading=None), "not-listened", slug, listened)

    def test_another_language_is_heard_in_its_own(self) -> None:
        slug = "09-ospite-italiano"
        wrong = self.with_line(slug, language="en", reading=None)
        self.assertEqual(other_language(wrong.line(slug))[0], "it")
        made = self.mended(wrong, "wrong-language", slug, listened)
        self.assertEqual(made.changes[line_key(slug)].language, "it")
        for slug in ("01-mabel-beam", "10-visita-espanol"):
            self.assertEqual(other_language(demo().line(slug)), ("", ""))

    def test_a_fitting_that_names_what_the_model_has_not(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "mine.glb").write_bytes(builtin_path("mabel").read_bytes())
        fitting = Fitting(
            channels=("jaw_open", "old_smile"), limits={"old_smile": 0.5}, never=("old_frown",)
        )
        who = Character(
            "mine", "Mine", str(folder / "mine.glb"), speakers=("Mabel",), fitting=fitting
        )
        production = demo().changed({character_key("mine"): who})
        made = self.mended(production, "unknown-channel")
        self.assertEqual(made.changes[character_key("mine")].fitting.channels, ("jaw_open",))

    def test_drawings_that_a_pin_holds_too_long_are_let_go(self) -> None:
        slug = "04-osric-boots"
        line = demo().line(slug)
        drawings = demo().character_for("Osric").drawings
        word = list(line.reading.words())[2]
        from glyphos.speech.anchors import anchored

        start, end = anchored(line.reading, word.start), anchored(line.reading, word.start + 1.4)
        held = Pin(drawings.mouths[0].name, start, end)
        made = self.mended(self.with_line(slug, held=(held,)), "drawing-stands", slug)
        self.assertEqual(made.changes[line_key(slug)].held, ())

    def test_what_only_a_hand_can_mend_says_so(self) -> None:
        gone = self.with_line(audio="audio/none.flac")
        finding = self.found(gone, "missing-recording")
        self.assertFalse(mendable(finding))
        with self.assertRaises(EditError) as caught:
            mend(gone, finding, FPS, never)
        self.assertIn("by hand", str(caught.exception))
        self.assertNotIn("doubtful-word", WAYS)  # only an ear can tell


class Handed(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.production = Production.open(copy_demo(self.folder / "p.glyphos"))
        self.out = self.folder / "out"
        planned = plan(self.production, [self.production.line("03-pip-wind")], Wish("csv", "vtt"))
        deliver(planned, self.out)
        delivered(self.production, planned, self.out)

    def found(self, production: Production, fps: Fraction = FPS) -> dict[str, str]:
        return {f.check: f.text for f in proofed_whole(Whole(production, fps, {}))}

    def test_files_that_are_as_their_lines_are_fine(self) -> None:
        self.assertEqual(self.found(self.production), {})
        self.assertEqual(known_folders(self.production)[0].folder, self.out.resolve())

    def test_files_that_are_old_gone_short_or_at_another_rate(self) -> None:
        line = msgspec.structs.replace(
            self.production.line("03-pip-wind"), delivery=Delivery(articulation=1.3)
        )
        changed = self.production.changed({line_key(line.slug): line})
        self.assertIn("before the line was changed", self.found(changed)["stale-export"])
        self.assertIn(
            "the production has 25", self.found(self.production, Fraction(25))["frame-rate"]
        )
        path = self.out / "03-pip-wind.curves.csv"
        path.write_text("".join(path.read_text().splitlines(keepends=True)[:-20]))
        self.assertIn("shorter than its sound", self.found(self.production)["clip-short"])
        self.assertIn(path.resolve(), again(changed, line.slug, FPS))
        self.assertEqual(self.found(changed), {})
        (self.out / "03-pip-wind.timing.vtt").unlink()
        self.assertIn("no longer in out", self.found(changed)["file-gone"])

    def test_what_is_asked_of_one_line_is_found_of_it_only_and_may_be_let_stay(self) -> None:
        (self.out / "03-pip-wind.timing.vtt").unlink()
        line = self.production.line("03-pip-wind")
        other = proofed_whole(Whole(self.production, FPS, {}, {SLUG}))
        self.assertEqual(other, [])
        kept = msgspec.structs.replace(line, accepted=(Accepted("file-gone", 0.0, 0.0, "late"),))
        changed = self.production.changed({line_key(line.slug): kept})
        (found,) = proof_many(changed, [kept], FPS, workers=1)[line.slug]
        self.assertEqual((found.check, found.accepted), ("file-gone", "late"))

    def test_the_shell_hands_them_over_again(self) -> None:
        gone = self.out / "03-pip-wind.timing.vtt"
        before = gone.read_bytes()
        gone.unlink()
        ran = invoke(["proof", str(self.production.folder), "--line", "03-pip-wind", "--mend"])  # fmt: skip
        self.assertEqual(ran.exit_code, 0, ran.output)
        self.assertNotIn("no longer", ran.output)
        self.assertEqual(gone.read_bytes(), before)

    def test_many_lines_and_the_shell_see_them(self) -> None:
        (self.out / "03-pip-wind.timing.vtt").unlink()
        short = [x for x in self.production.lines if x.duration < 60]
        found = proof_many(self.production, short, FPS, workers=1)
        self.assertIn("file-gone", {f.check for f in found["03-pip-wind"]})
        page = self.folder / "proof.html"
        ran = invoke(
            [
                "proof",
                str(self.production.folder),
                "--line",
                "03-pip-wind",
                "--html",
                "-o",
                str(page),
            ],
        )
        self.assertEqual(ran.exit_code, 0, ran.output)
        self.assertIn("no longer in out", page.read_text())

    def test_drawings_that_never_show(self) -> None:
        production = self.production
        line = msgspec.structs.replace(production.line("04-osric-boots"), duration=90.0)
        changed = production.changed({line_key(line.slug): line})
        seen = frozenset(m.name for m in production.character_for("Osric").drawings.mouths[2:])
        found = proofed_whole(Whole(changed, FPS, {line.slug: seen}))
        self.assertIn(
            "never shows in 1.5 minutes", next(f.text for f in found if f.check == "drawing-unused")
        )
        few = proofed_whole(Whole(production, FPS, {line.slug: seen}))
        self.assertNotIn("drawing-unused", {f.check for f in few})

    def test_the_shell_mends(self) -> None:
        ran = invoke(["proof", str(self.production.folder), "--line", "02-osric-door", "--mend"])
        self.assertEqual(ran.exit_code, 0, ran.output)
        self.assertIn("listen again (not-listened)", ran.output)
        self.assertIsNotNone(Production.open(self.production.folder).line("02-osric-door").reading)


if __name__ == "__main__":
    unittest.main()
