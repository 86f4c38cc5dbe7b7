"""Head and eyes of a USD skeleton turn as far as the motion says, as usd-core itself computes its joints."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from pxr import Gf, Usd, UsdGeom, UsdSkel, UsdValidation, Vt
from scipy.spatial.transform import Rotation

from glyphos.characters.builtin import builtin
from glyphos.characters.dressing import Dress, Dressed
from glyphos.characters.models.opening import open_head
from glyphos.handoff.dressed import hand_over
from glyphos.handoff.handing import Handing

FRAMES = 25


class Joints(unittest.TestCase):
    def head(self, up: str, roll: float) -> Path:
        """A square face on a skeleton of neck, head and two eyes; the head's own axes lie askew by `roll`."""
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "face.usda"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if up == "Z" else UsdGeom.Tokens.y)
        root = UsdSkel.Root.Define(stage, "/Face")
        stage.SetDefaultPrim(root.GetPrim())
        skeleton = UsdSkel.Skeleton.Define(stage, "/Face/Skel")
        tokens = ["Neck", "Neck/Head", "Neck/Head/Eye_L", "Neck/Head/Eye_R", "Neck/Head/Eyelid_L"]
        askew = Gf.Matrix4d(Gf.Rotation(Gf.Vec3d(1, 2, 3), roll), Gf.Vec3d(0, 1, 0))
        flat = Gf.Matrix4d(1.0)
        left, right = (Gf.Matrix4d(1.0).SetTranslate(Gf.Vec3d(x, 0, 0)) for x in (0.3, -0.3))
        rest = [flat, askew, left, right, flat]
        bind = [flat, askew, rest[2] * askew, rest[3] * askew, askew]
        skeleton.CreateJointsAttr(Vt.TokenArray(tokens))
        skeleton.CreateRestTransformsAttr(Vt.Matrix4dArray(rest))
        skeleton.CreateBindTransformsAttr(Vt.Matrix4dArray(bind))
        mesh = UsdGeom.Mesh.Define(stage, "/Face/Skin")
        mesh.CreatePointsAttr([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)])
        mesh.CreateFaceVertexCountsAttr([4])
        mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
        binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
        binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
        binding.CreateBlendShapesAttr(Vt.TokenArray(["open"]))
        shape = UsdSkel.BlendShape.Define(stage, "/Face/Skin/open")
        shape.CreateOffsetsAttr([(0, -1, 0)] * 4)
        binding.CreateBlendShapeTargetsRel().SetTargets([shape.GetPath()])
        stage.Save()
        return path

    def written(self, path: Path, **turns: float) -> Usd.Stage:
        """The face handed over with turns that grow to so many degrees."""
        head = open_head(path)
        grow = np.linspace(0, 1, FRAMES)
        dress = Dress(
            Fraction(24),
            head.channels,
            ((0.0, 1.0),),
            grow[:, None],
            turns={n: v * grow for n, v in turns.items()},
        )
        out = path.parent / "line.usda"
        hand_over(
            dress, Dressed(replace(head, rig=builtin("mabel").rig)), out, Handing(name="line")
        )
        return Usd.Stage.Open(str(out))

    def turned(self, stage: Usd.Stage, joint: str, frame: int) -> Rotation:
        """How a joint is turned in the world from its rest, Y up, by usd-core's own query."""
        query = UsdSkel.Cache().GetSkelQuery(UsdSkel.Skeleton(stage.GetPrimAtPath("/Face/Skel")))
        order = list(query.GetJointOrder())
        k = order.index(joint)
        bind = np.array(query.GetJointWorldBindTransforms()[k]).T[:3, :3]
        now = np.array(query.ComputeJointSkelTransforms(Usd.TimeCode(frame))[k]).T[:3, :3]
        world = now @ np.linalg.inv(bind)
        if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
            up = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
            world = up @ world @ up.T
        return Rotation.from_matrix(world)

    def test_yaw_pitch_and_roll_turn_the_head_the_way_they_are_named(self) -> None:
        """Looking along +Z, standing up along +Y: own right is −X."""
        for up, askew in (("Y", 0.0), ("Y", 40.0), ("Z", 25.0)):
            stage = self.written(self.head(up, askew), head_yaw=20.0)
            look = self.turned(stage, "Neck/Head", FRAMES - 1).apply([0, 0, 1])
            np.testing.assert_allclose(
                look, [-np.sin(np.radians(20)), 0, np.cos(np.radians(20))], atol=2e-3
            )
            stage = self.written(self.head(up, askew), head_pitch=10.0)
            look = self.turned(stage, "Neck/Head", FRAMES - 1).apply([0, 0, 1])
            self.assertAlmostEqual(look[1], np.sin(np.radians(10)), places=3)
            stage = self.written(self.head(up, askew), head_roll=8.0)
            top = self.turned(stage, "Neck/Head", FRAMES - 1).apply([0, 1, 0])
            np.testing.assert_allclose(
                top, [-np.sin(np.radians(8)), np.cos(np.radians(8)), 0], atol=2e-3
            )
            half = self.turned(stage, "Neck/Head", (FRAMES - 1) // 2)
            self.assertAlmostEqual(np.degrees(half.magnitude()), 4.0, delta=0.05)

    def test_eyes_turn_within_the_head_and_lids_do_not(self) -> None:
        stage = self.written(self.head("Y", 30.0), gaze_yaw=12.0)
        for eye in ("Neck/Head/Eye_L", "Neck/Head/Eye_R"):
            self.assertAlmostEqual(
                np.degrees(self.turned(stage, eye, FRAMES - 1).magnitude()), 12.0, delta=0.05
            )
        for still in ("Neck", "Neck/Head", "Neck/Head/Eyelid_L"):
            self.assertAlmostEqual(self.turned(stage, still, FRAMES - 1).magnitude(), 0.0, places=4)

    def test_usd_core_finds_no_fault_and_a_skeleton_without_joints_has_weights_alone(self) -> None:
        stage = self.written(self.head("Z", 15.0), head_yaw=10.0, gaze_pitch=5.0)
        context = UsdValidation.ValidationContext(
            UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        )
        faults = [f"{e.GetName()}: {e.GetMessage()}" for e in context.Validate(stage)]
        self.assertEqual([f for f in faults if "metersPerUnit" not in f], [])
        query = UsdSkel.Cache().GetAnimQuery(
            UsdSkel.Animation(stage.GetPrimAtPath("/Face/Skel/glyphos_line"))
        )
        np.testing.assert_allclose(query.ComputeBlendShapeWeights(12), [0.5], atol=1e-6)
