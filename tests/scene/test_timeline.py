"""Scenes as timelines of editing programs and back, checked by OpenTimelineIO's own sums."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

import msgspec
import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

from glyphos.errors import DocumentError
from glyphos.handoff.filming import Filming, scene_from
from glyphos.handoff.timeline import from_otio, save_otio
from glyphos.production.demo import copy_demo
from glyphos.production.production import Production
from glyphos.scene.documents import Clip, Lane
from tests.scene.scenes import TWO, filming
from tests.shell import invoke


def span(start: float, length: float, rate: float = 24.0) -> TimeRange:
    return TimeRange(RationalTime(start * rate, rate), RationalTime(length * rate, rate))


class Timelines(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.production = Production.open(copy_demo(self.folder / "show.glyphos"))
        self.bed = self.production.audio_path(self.production.line("02-osric-door"))

    def filming(self) -> Filming:
        lines = [self.production.line(s) for s in TWO]
        scene = scene_from(lines, slug="roof", name="Roof")
        pip, mabel = scene.lanes
        cut = msgspec.structs.replace(mabel.clips[0], cut=0.3, length=1.5, gain=-3.0)
        lanes = (pip, msgspec.structs.replace(mabel, clips=(cut,), mute=True))
        made = filming(*TWO)
        return Filming(msgspec.structs.replace(scene, lanes=lanes), self.production, made.look)

    def track(self, *items: otio.core.Item, name: str = "Sounds") -> Path:
        timeline = otio.schema.Timeline("Cut")
        track = otio.schema.Track(name, kind="Audio")
        track.extend(items)
        timeline.tracks.append(track)
        path = self.folder / "cut.otio"
        path.write_text(otio.adapters.write_to_string(timeline, "otio_json"))
        return path

    def clip(
        self, source: object, start: float = 0.0, length: float = 1.0, name: str = "c"
    ) -> otio.schema.Clip:
        media = (
            otio.schema.ExternalReference(str(source)) if source else otio.schema.MissingReference()
        )
        return otio.schema.Clip(name, media, span(start, length))

    def test_clips_stand_where_they_are_heard_with_their_words(self) -> None:
        made = self.filming()
        path = save_otio(made, self.folder / "roof.otio")
        read = otio.adapters.read_from_file(str(path))
        self.assertEqual(
            [(t.name, t.enabled) for t in read.tracks], [("Pip", True), ("Mabel", False)]
        )
        item = next(x for x in read.tracks[1] if isinstance(x, otio.schema.Clip))
        clip = made.scene.lanes[1].clips[0]
        placed = item.range_in_parent()
        self.assertAlmostEqual(placed.start_time.to_seconds(), clip.start, places=6)
        self.assertAlmostEqual(placed.duration.to_seconds(), 1.5, places=6)
        self.assertAlmostEqual(item.source_range.start_time.to_seconds(), 0.3, places=6)
        self.assertTrue((self.folder / item.media_reference.target_url).samefile(made.source(clip)))
        words = {m.name: m.marked_range.start_time.to_seconds() for m in item.markers}
        reading = made.line(clip).reading
        assert reading is not None
        for word in list(reading.words())[:2]:
            self.assertAlmostEqual(words[word.text], word.start, places=6)

    def test_a_scene_comes_back_as_it_was(self) -> None:
        made = self.filming()
        path = save_otio(made, self.folder / "roof.otio")
        brought = from_otio(path, self.production)
        self.assertEqual(brought.said, [])
        for old, new in zip(made.scene.lanes, brought.scene.lanes, strict=True):
            self.assertEqual((old.name, old.mute, old.speaks), (new.name, new.mute, new.speaks))
            for a, b in zip(old.clips, new.clips, strict=True):
                self.assertEqual((a.line, a.gain), (b.line, b.gain))
                self.assertAlmostEqual(a.start, b.start, places=6)
                self.assertAlmostEqual(a.lasts(made.whole(a)), b.length, places=6)

    def test_nests_transitions_gaps_and_missing_media(self) -> None:
        pip = self.production.audio_path(self.production.line("03-pip-wind"))
        inner = otio.schema.Stack("inner", source_range=span(0.5, 2.0))
        track = otio.schema.Track("deep", kind="Audio")
        track.append(otio.schema.Gap(source_range=span(0, 1.0)))
        track.append(self.clip(pip, 0.2, 3.0, "deep one"))
        inner.append(track)
        path = self.track(
            self.clip(self.bed, 0.0, 1.0, "bed"),
            otio.schema.Transition("dissolve", in_offset=RationalTime(6, 24), out_offset=RationalTime(6, 24)),
            self.clip(None, 0.0, 1.0, "lost"), otio.schema.Gap(source_range=span(0, 2.0)), inner,
            self.clip("nowhere/at-all.wav", name="gone"),
        )  # fmt: skip
        brought = from_otio(path, self.production, name="Cut")
        by_name = {x.name: x.clips for x in brought.scene.lanes}
        self.assertEqual(set(by_name), {"Osric", "Pip"})  # the bed is the recording of a line
        (clip,) = by_name["Pip"]
        # the nest begins at 4 s and shows its inside from 0.5 s on, where the clip stands at 1 s
        self.assertAlmostEqual(clip.start, 4.5)
        self.assertAlmostEqual(clip.cut, 0.2)
        self.assertAlmostEqual(clip.length, 1.5)
        said = " ".join(brought.said)
        for words in ("transition “dissolve”", "“lost” has no media", "“gone” is left out"):
            self.assertIn(words, said)

    def test_other_sounds_are_brought_into_the_production(self) -> None:
        other = self.folder / "rain.flac"
        other.write_bytes(
            self.production.audio_path(self.production.line("08-pip-unscripted")).read_bytes()
        )
        clips = (self.clip(other.as_uri(), 0.5, 1.0), self.clip("rain.flac", 0.0, 0.5))
        (lane,) = from_otio(self.track(*clips), self.production).scene.lanes
        self.assertEqual((lane.name, lane.speaks, len(lane.clips)), ("Sounds", False, 2))
        first, second = lane.clips
        self.assertEqual(first.audio, second.audio)  # one file is brought in once
        self.assertTrue((self.production.folder / first.audio).is_file())

    def test_levels_beyond_all_bounds_are_taken_to_the_nearest(self) -> None:
        loud = self.clip(self.bed)
        loud.metadata["glyphos"] = {"gain": 1e9, "fade_in": -3.0, "fade_out": "soft"}
        (lane,) = from_otio(self.track(loud), self.production).scene.lanes
        (clip,) = lane.clips
        self.assertEqual((clip.gain, clip.fade_in, clip.fade_out), (24.0, 0.0, 0.0))

    def test_what_is_no_timeline_is_one_sentence(self) -> None:
        path = self.folder / "bad.otio"
        for text, said in (
            ("{", "no timeline that can be read"), ('{"OTIO_SCHEMA": "Clip.1"}', "holds no timeline"),
            ("{}", "timeline"), ('{"OTIO_SCHEMA": "Timeline.1", "tracks": 3}', "timeline"),
        ):  # fmt: skip
            path.write_text(text)
            with self.subTest(text), self.assertRaisesRegex(DocumentError, said):
                from_otio(path, self.production)
        for values in ({"glyphos": 5}, {"glyphos": "x"}, {"glyphos": None}):
            known = self.clip(self.bed)
            known.metadata.update(values)
            self.assertEqual(len(from_otio(self.track(known), self.production).scene.lanes), 1)
        odd = self.clip(self.bed)
        for url in ("a%00b.wav", "http://[x/y.wav"):
            odd.media_reference.target_url = url
            with self.assertRaisesRegex(DocumentError, "has no media"):
                from_otio(self.track(odd), self.production)
        whole = json.loads(self.track(self.clip(self.bed)).read_text()) | {"tracks": None}
        path.write_text(json.dumps(whole))
        with self.assertRaisesRegex(DocumentError, "Nothing in bad.otio"):
            from_otio(path, self.production)
        with self.assertRaisesRegex(DocumentError, "There is no file"):
            from_otio(self.folder / "none.otio", self.production)
        with self.assertRaisesRegex(DocumentError, "Nothing in cut.otio"):
            from_otio(self.track(self.clip(None)), self.production)

    def test_from_the_shell_and_clips_at_once_get_lanes_of_their_own(self) -> None:
        made = self.filming()
        twice = tuple(Lane("Pip", (Clip(s, "03-pip-wind", length=1.0),)) for s in (0.0, 0.4))
        both = Filming(msgspec.structs.replace(made.scene, lanes=twice), self.production, made.look)
        path = save_otio(both, self.folder / "both.otio")
        ran = invoke(["scene", "new", str(self.production.folder), "Both", "--from", str(path)])
        self.assertEqual(ran.exit_code, 0, ran.output + str(ran.exception))
        (scene,) = [s for s in Production.open(self.production.folder).scenes if s.name == "Both"]
        self.assertEqual([c.start for x in scene.lanes for c in x.clips], [0.0, 0.4])
        self.assertEqual(len(scene.lanes), 2)


if __name__ == "__main__":
    unittest.main()
