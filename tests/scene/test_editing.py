"""What hands do to a scene: nothing is lost, no two clips of a lane are heard at once, gaps stay."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from glyphos.errors import EditError
from glyphos.scene import editing
from glyphos.scene.documents import Clip, Lane, Scene, Shot, Tempo, check_scene, overlaps
from glyphos.scene.made import Spoken

LONG = {"a": 2.0, "b": 3.0, "c": 1.0, "d": 4.0, "bed": 60.0}
STARTS = st.lists(st.floats(0, 30), min_size=1, max_size=6)


def whole(clip: Clip) -> float:
    return LONG[clip.line or clip.audio]


def scene(*lanes: Lane, **more: object) -> Scene:
    return Scene("s", "S", lanes, **more)  # type: ignore[arg-type]


def two() -> Scene:
    """Two of A with one of B between them, over a bed."""
    return scene(
        Lane("A", (Clip(1, "a"), Clip(8, "c"))), Lane("B", (Clip(4, "b"),)), Lane("bed", (Clip(0, audio="bed"),), False),
        shots=(Shot(0.0), Shot(4.0), Shot(8.0)),
    )  # fmt: skip


def starts(s: Scene) -> dict[str, float]:
    return {c.line or c.audio: c.start for x in s.lanes for c in x.clips}


class Moving(unittest.TestCase):
    def test_a_clip_goes_as_far_as_there_is_room_and_past_others(self) -> None:
        s = two()
        self.assertEqual(starts(editing.moved(s, [(0, 0)], 4.0, whole))["a"], 5.0)
        self.assertEqual(
            starts(editing.moved(s, [(0, 0)], 5.5, whole))["a"], 6.0
        )  # before the other
        self.assertEqual(starts(editing.moved(s, [(0, 0)], 7.9, whole))["a"], 9.0)  # behind it
        self.assertEqual(starts(editing.moved(s, [(0, 0)], -9.0, whole))["a"], 0.0)
        both = editing.moved(
            s, [(0, 0), (1, 0)], -3.0, whole
        )  # together, no further than the first can
        self.assertEqual((starts(both)["a"], starts(both)["b"]), (0.0, 3.0))

    @settings(max_examples=60, deadline=None)
    @given(STARTS, st.floats(-40, 40), st.data())
    def test_no_two_of_a_lane_ever_lie_on_each_other(self, found: list[float], by: float, data: st.DataObject) -> None:  # fmt: skip
        clips: list[Clip] = []
        for k, start in enumerate(found):
            made = scene(Lane("A", (*clips, Clip(0, "abcd"[k % 4]))))
            clips = list(editing.moved(made, [(0, len(clips))], start, whole).lanes[0].clips)
        s = scene(Lane("A", tuple(clips)))
        own = data.draw(st.sets(st.sampled_from(range(len(clips))), min_size=1))
        for made in (
            editing.moved(s, [(0, k) for k in own], by, whole), editing.moved_with_all(s, [(0, min(own))], by, whole),
        ):  # fmt: skip
            check_scene(made)
            self.assertEqual(overlaps(made.lanes[0], whole), [])
            self.assertEqual([c.line for c in made.lanes[0].clips], [c.line for c in clips])

    def test_what_comes_later_moves_along_with_its_gaps_and_shots(self) -> None:
        made = editing.moved_with_all(two(), [(1, 0)], 2.5, whole)
        self.assertEqual(starts(made), {"a": 1, "b": 6.5, "c": 10.5, "bed": 0})
        self.assertEqual([s.start for s in made.shots], [0.0, 6.5, 10.5])
        back = editing.moved_with_all(made, [(1, 0)], -2.5, whole)
        self.assertEqual(back, two())
        self.assertEqual(starts(editing.moved_with_all(two(), [(1, 0)], -90, whole))["c"], 4.0)

    def test_a_locked_lane_stays_as_it_is(self) -> None:
        s = editing.with_lane(two(), 0, lock=True)
        for work in (
            lambda: editing.moved(s, [(0, 0)], 1, whole), lambda: editing.trimmed(s, (0, 0), "end", 2, whole),
            lambda: editing.without(s, [(0, 1)]), lambda: editing.split(s, (0, 0), 2, whole),
            lambda: editing.moved_with_all(s, [(0, 0)], 1, whole),
        ):  # fmt: skip
            with self.assertRaisesRegex(EditError, "A is locked"):
                work()
        self.assertEqual(starts(editing.moved_with_all(s, [(1, 0)], 1, whole))["c"], 8)


class Ends(unittest.TestCase):
    def test_what_is_heard_stays_where_it_is(self) -> None:
        made = editing.trimmed(two(), (0, 0), "start", 1.5, whole).lanes[0].clips[0]
        self.assertEqual((made.start, made.cut, made.lasts(2.0)), (1.5, 0.5, 1.5))
        again = editing.trimmed(
            editing.trimmed(two(), (0, 0), "start", 1.5, whole), (0, 0), "start", -9, whole
        )
        self.assertEqual(again, two())

    def test_an_end_goes_no_further_than_the_sound_or_the_next(self) -> None:
        cut = editing.trimmed(two(), (0, 0), "end", 2.0, whole)
        self.assertEqual(cut.lanes[0].clips[0].length, 1.0)
        self.assertEqual(editing.trimmed(cut, (0, 0), "end", 99, whole), two())  # all that there is
        near = scene(Lane("A", (Clip(0, "d", length=1), Clip(2, "a"))))
        self.assertEqual(
            editing.trimmed(near, (0, 0), "end", 99, whole).lanes[0].clips[0].length, 2.0
        )
        least = editing.trimmed(two(), (0, 0), "end", -5, whole).lanes[0].clips[0]
        self.assertEqual(least.length, editing.SHORTEST)

    def test_a_rippled_end_takes_what_comes_later_along(self) -> None:
        made = editing.trimmed(two(), (0, 0), "end", 2.0, whole, ripple=True)
        self.assertEqual(starts(made), {"a": 1, "b": 3, "c": 7, "bed": 0})
        made = editing.trimmed(two(), (0, 0), "start", 1.5, whole, ripple=True)
        self.assertEqual((starts(made)["a"], starts(made)["b"]), (1, 3.5))
        self.assertEqual(made.lanes[0].clips[0].cut, 0.5)

    def test_cut_in_two_both_are_heard_as_one_was(self) -> None:
        s = editing.with_sound(two(), (1, 0), whole, fade_in=0.2, fade_out=0.3)
        first, second = editing.split(s, (1, 0), 5.0, whole).lanes[1].clips
        self.assertEqual(
            (first.start, first.lasts(3), second.start, second.cut, second.lasts(3)),
            (4, 1, 5, 1, 2),
        )
        self.assertEqual(
            (first.fade_in, first.fade_out, second.fade_in, second.fade_out), (0.2, 0, 0, 0.3)
        )
        with self.assertRaisesRegex(EditError, "playhead within"):
            editing.split(s, (1, 0), 9.0, whole)

    def test_levels_and_fades_have_bounds(self) -> None:
        made = editing.with_sound(two(), (0, 1), whole, gain=99, fade_in=7).lanes[0].clips[1]
        self.assertEqual((made.gain, made.fade_in), (24, 1.0))


class Coming(unittest.TestCase):
    LINES = (Spoken("b", "B", 3.0, 0.2, 2.8), Spoken("d", "C", 4.0, 0.5, 3.5))

    def test_lines_come_in_after_all_that_is_said_or_at_a_time(self) -> None:
        made = editing.with_lines(two(), self.LINES, whole)
        self.assertAlmostEqual(made.lanes[1].clips[1].start + 0.2, 9 + 0.5)
        self.assertEqual(made.speakers, ("A", "B", "C"))
        self.assertEqual([x.name for x in made.lanes], ["A", "B", "C", "bed"])
        self.assertEqual(len(made.places), 3)
        at = editing.with_lines(two(), self.LINES, whole, 2.0)
        self.assertEqual(
            [round(c.start, 2) for c in at.lanes[1].clips], [4.0, 1.0]
        )  # as near as there is room
        self.assertEqual(overlaps(at.lanes[1], whole), [])
        fresh = editing.with_lines(Scene("n", "N"), self.LINES, whole)
        self.assertEqual((fresh.slug, fresh.speakers, len(fresh.shots)), ("n", ("B", "C"), 2))

    def test_who_has_nothing_left_goes(self) -> None:
        made = editing.without(two(), [(1, 0)])
        self.assertEqual([x.name for x in made.lanes], ["A", "bed"])
        bed = editing.with_bed(made, "wind", "sounds/wind.wav", 3.0, -18)
        self.assertEqual(
            (bed.lanes[2].name, bed.lanes[2].speaks, bed.lanes[2].gain), ("wind", False, -18)
        )

    def test_another_order_keeps_the_gaps(self) -> None:
        made = editing.in_order(two(), [(1, 0), (0, 0), (0, 1)], whole)
        self.assertEqual(starts(made), {"b": 1, "a": 5, "c": 8, "bed": 0})
        with self.assertRaisesRegex(EditError, "in order"):
            editing.in_order(two(), [(1, 0)], whole)

    def test_the_pause_before_is_to_whom_spoke_before(self) -> None:
        self.assertEqual(editing.pause_before(two(), (1, 0), whole), (1.0, "A"))
        self.assertIsNone(editing.pause_before(two(), (0, 0), whole))


class Seen(unittest.TestCase):
    def test_shots_stay_between_their_neighbours(self) -> None:
        s = two()
        self.assertEqual([x.start for x in editing.shot_moved(s, s.shots[1], 5).shots], [0, 5, 8])
        self.assertEqual(editing.shot_moved(s, s.shots[1], 99).shots[1].start, 8 - editing.SHORTEST)
        self.assertEqual([x.start for x in editing.without_shot(s, s.shots[1]).shots], [0, 8])
        self.assertEqual(
            [x.view for x in editing.with_shot(s, Shot(4.0, "side")).shots],
            ["front", "side", "front"],
        )

    def test_snapping_meets_what_is_nearest_else_a_frame(self) -> None:
        s = scene(tempo=Tempo(120, 0.25))
        self.assertAlmostEqual(editing.snapped(s, [0.0], 1.03, 0.1, fps=24), 1.0 + 1 / 24)
        self.assertEqual(editing.snapped(s, [0.0], 1.2, 0.1, fps=24), 1.25)  # a beat
        self.assertEqual(editing.snapped(s, [0.0], 1.2, 0.1, fps=24, points=[1.19]), 1.19)
        self.assertAlmostEqual(editing.snapped(s, [0.0, 2.0], 1.0, 0.1, points=[3.05]), 1.05)
        self.assertEqual(editing.snapped(s, [0.0], 1.2, 0.0, beats=False), 1.2)
        self.assertEqual(editing.edges(two(), whole, [(0, 0)]), [0.0, 4.0, 7, 8.0, 9, 60])


if __name__ == "__main__":
    unittest.main()
