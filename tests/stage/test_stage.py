"""The stage: pictures of heads, off screen, as they should look."""

from __future__ import annotations

import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from glyphos.characters.builtin import builtin
from glyphos.characters.dressing import Dressed
from glyphos.characters.models.gltf import read_gltf
from glyphos.characters.poses import SOUNDS
from glyphos.characters.posing import played
from glyphos.errors import StageError
from glyphos.stage.occlusion import occlusion
from glyphos.stage.renderer import Shot, Stage
from glyphos.stage.views import (
    BACKGROUNDS,
    VIEWS,
    Camera,
    Framing,
    eye_and_target,
    framing_from,
    look_at,
    perspective,
    pointed,
)
from tests.characters.models import Made
from tests.characters.remade import own, plain
from tests.characters.test_models import SMALL, UP
from tests.examples import some

SIZE = (240, 240)


class Pictures(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.stage = Stage()
        cls.head = builtin("mabel")

    @classmethod
    def tearDownClass(cls) -> None:
        cls.stage.close()

    def shot(self, values: dict[str, float] | None = None, **more: object) -> Shot:
        return Shot(self.head, *played(self.head, values or {}), **more)  # type: ignore[arg-type]

    def draw(self, shot: Shot, **more: object) -> np.ndarray:
        return self.stage.draw([shot], SIZE, **more).astype(int)  # type: ignore[arg-type]

    def test_a_face_stands_in_the_middle_on_its_background(self) -> None:
        for name, colour in BACKGROUNDS.items():
            picture = self.draw(self.shot(), background=name)
            self.assertEqual(picture.shape, (240, 240, 4))
            np.testing.assert_allclose(picture[5, 5, :3], colour, atol=2)
            self.assertGreater(np.abs(picture[120, 120, :3] - np.array(colour)).max(), 40, name)
        clear = self.draw(self.shot(), background="none")
        self.assertEqual((clear[5, 5, 3], clear[120, 120, 3]), (0, 255))

    def test_quick_and_fine_pictures_show_the_same(self) -> None:
        shot = self.shot(dict(SOUNDS["i"]))
        quick, fine = self.draw(shot), self.draw(shot, fine=True)
        self.assertLess(np.abs(quick - fine)[..., :3].mean(), 6.0)

    def test_an_open_mouth_is_dark_where_a_closed_one_is_not(self) -> None:
        shut, wide = (
            self.draw(self.shot(dict(SOUNDS[s]), camera=VIEWS["mouth"])) for s in ("m", "ɑ")
        )
        dark = [int((p[..., :3].sum(2) < 150).sum()) for p in (shut, wide)]
        self.assertGreater(dark[1], dark[0] + 1500)

    def test_a_mirror_turns_left_into_right(self) -> None:
        values = {"lip_corner_up_left": 1.0, "blink_left": 1.0}
        plain = self.draw(self.shot(values), background="none")[..., 3]
        mirrored = self.draw(self.shot(values, mirror=True), background="none")[..., 3]
        self.assertLess(np.abs(plain[:, ::-1] - mirrored).mean(), 3.0)
        self.assertGreater(self.draw(self.shot(values, mirror=True)).std(), 20)

    def test_teeth_are_seen_through_the_skin(self) -> None:
        shut = self.shot(camera=VIEWS["mouth"])
        plain = self.draw(shut)
        through = self.draw(self.shot(camera=VIEWS["mouth"], through=True))
        self.assertGreater(np.abs(plain - through)[90:150, 90:150, :3].mean(), 8)

    def test_a_head_posed_on_the_chip_looks_the_same(self) -> None:
        self.assertFalse(self.stage.on_chip)  # here it is the processor that draws
        self.addCleanup(setattr, self.stage, "on_chip", False)
        for values in some(
            ({"jaw_open": 0.6, "lips_part": 0.7, "head_yaw": 20.0}, {"lips_round": 0.8}), 1
        ):
            pictures = []
            for self.stage.on_chip in (False, True):
                pictures.append(self.draw(self.shot(values), fine=True).astype(int))
            apart = np.abs(pictures[0] - pictures[1])
            self.assertLess((apart.max(axis=2) > 6).mean(), 0.001)
            self.assertGreater(np.ptp(pictures[1][..., :3]), 100)

    def test_wire_shows_less_than_the_surface(self) -> None:
        head = read_gltf(SMALL)
        solid, wire = (
            self.draw(Shot(head, wire=w), background="none")[..., 3] for w in (False, True)
        )
        self.assertGreater((solid > 128).sum(), 1000)
        self.assertLess((wire > 128).sum(), 0.2 * (solid > 128).sum())

    def textured(
        self,
        picture: bytes,
        *,
        bumps: bool = False,
        worn: dict[str, object] | None = None,
        **more: object,
    ) -> np.ndarray:
        """A square that wears a picture, as its colour or as its bumps, drawn from the front: colours
        of its quarters. more: of its texture."""
        made = Made()
        primitive = made.mesh({"up": UP})
        upper_left_first = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
        primitive["attributes"]["TEXCOORD_0"] = made.add(upper_left_first)
        primitive["material"] = 0
        made.document["images"] = [{"bufferView": made.view(picture), "mimeType": "image/png"}]
        made.document["samplers"] = more.pop("samplers", [])
        made.document["textures"] = [more or {"source": 0}]
        texture = {"index": 0, **(worn or {})}
        looks = (
            {"normalTexture": texture}
            if bumps
            else {"pbrMetallicRoughness": {"baseColorTexture": texture}}
        )
        made.document["materials"] = [{**looks, "doubleSided": True}]
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        head = read_gltf(made.save(folder / "square.glb"))
        drawn = self.draw(Shot(head, *played(head, {})), background="none", fine=bumps)
        rows, columns = np.nonzero(drawn[..., 3] > 250)
        (top, bottom), (left, right) = np.quantile(rows, (0.25, 0.75)), np.quantile(columns, (0.25, 0.75))  # fmt: skip
        return np.array([drawn[int(y), int(x), :3] for y in (top, bottom) for x in (left, right)])

    def test_pictures_go_on_beyond_their_edges_as_the_sampler_says(self) -> None:
        """glTF 2.0, 5.26: wrapS and wrapT, in each of the four quarters of twice the picture."""
        picture = Image.new("RGB", (64, 64), "lime")
        picture.paste("red", (0, 0, 32, 64))  # its left half
        file = io.BytesIO()
        picture.save(file, "PNG")
        # Red is 0 and green 1, a quarter and three quarters across: at 0.52 and 1.52 of the picture,
        # then at 0.27 and 1.27
        wanted = {10497: ([1, 1], [0, 0]), 33071: ([1, 1], [0, 1]), 33648: ([1, 0], [0, 1])}
        for wrap, seen in wanted.items():
            for offset, colours in zip((0.02, -0.23), seen, strict=True):
                worn = {
                    "extensions": {
                        "KHR_texture_transform": {"scale": [2, 1], "offset": [offset, 0]}
                    }
                }
                drawn = self.textured(
                    file.getvalue(), worn=worn, source=0, sampler=0, samplers=[{"wrapS": wrap}]
                )
                with self.subTest(wrap, offset=offset):
                    self.assertEqual([int(c.argmax()) for c in drawn], colours * 2)

    def test_a_texture_lies_on_the_surface_as_gltf_has_it(self) -> None:
        """glTF 2.0, 3.8.3: (0, 0) of a texture is the upper left corner of its picture."""
        picture = Image.new("RGB", (64, 64))
        for k, colour in enumerate(("red", "lime", "blue", "white")):
            picture.paste(colour, (32 * (k % 2), 32 * (k // 2), 32 * (k % 2) + 32, 32 * (k // 2) + 32))  # fmt: skip
        for kind, more in (("PNG", {}), ("WEBP", {"extensions": {"EXT_texture_webp": {"source": 0}}})):  # fmt: skip
            file = io.BytesIO()
            picture.save(file, kind)
            red, green, blue, white = self.textured(file.getvalue(), **more)
            with self.subTest(kind):
                self.assertEqual([int(c.argmax()) for c in (red, green, blue)], [0, 1, 2])
                for c in (red, green, blue):
                    self.assertGreater(np.sort(c)[2], np.sort(c)[1] + 60)
                self.assertGreater(white.min(), 100)

    def test_a_picture_is_shifted_scaled_and_turned_as_khr_texture_transform_says(self) -> None:
        """The extension's own text: scaled, turned counter-clockwise (from memory), then shifted."""
        quarters = (255, 180, 100, 20)
        picture = Image.new("L", (64, 64))
        for k, grey in enumerate(quarters):
            picture.paste(grey, (32 * (k % 2), 32 * (k // 2), 32 * (k % 2) + 32, 32 * (k // 2) + 32))  # fmt: skip
        file = io.BytesIO()
        picture.save(file, "PNG")

        def order(**change: object) -> list[int]:
            worn = {"extensions": {"KHR_texture_transform": change}}
            drawn = self.textured(file.getvalue(), worn=worn).mean(1)
            return np.argsort(-drawn, kind="stable").tolist()

        self.assertEqual(order(), [0, 1, 2, 3])
        self.assertEqual(order(offset=[0.5, 0]), [1, 0, 3, 2])  # a picture repeats
        self.assertEqual(order(offset=[0, 0.5]), [2, 3, 0, 1])
        self.assertEqual(order(scale=[-1, 1]), [1, 0, 3, 2])
        self.assertEqual(
            order(rotation=np.pi / 2, offset=[0, 1]), [1, 3, 0, 2]
        )  # the picture turns clockwise
        same = self.textured(file.getvalue(), worn={"extensions": {"KHR_texture_transform": {"scale": [0.2, 0.2], "offset": [0.1, 0.1]}}})  # fmt: skip
        self.assertLess(np.ptp(same), 40)

    def test_a_normal_map_turns_the_surface_as_gltf_has_it(self) -> None:
        """glTF 2.0, 3.9.3: red is to the right, green up, blue towards the eye; the light is above."""

        def light(x: float, y: float) -> float:
            n = np.array([x, y, np.sqrt(1 - x * x - y * y)])
            file = io.BytesIO()
            Image.new("RGB", (32, 32), tuple(np.rint(127.5 * (n + 1)).astype(int))).save(
                file, "PNG"
            )
            return float(self.textured(file.getvalue(), bumps=True).mean())

        level = light(0, 0)
        self.assertGreater(light(0, 0.7), light(0, -0.7) + 15)
        self.assertGreater(light(-0.7, 0), light(0.7, 0) + 10)  # our key light stands to the left
        self.assertAlmostEqual(light(0.02, 0), level, delta=4)

    def test_a_broken_picture_is_white(self) -> None:
        np.testing.assert_array_equal(self.textured(b"no picture").std(axis=1) < 25, True)

    def test_two_faces_stand_side_by_side(self) -> None:
        picture = self.stage.draw([self.shot(), self.shot({"jaw_open": 1.0})], (480, 240))
        left, right = picture[:, :240].astype(int), picture[:, 240:].astype(int)
        self.assertGreater(np.abs(left - right).mean(), 0.5)
        np.testing.assert_allclose(left, self.draw(self.shot()), atol=90)

    def test_other_characters_and_small_sizes_are_drawn_and_given_back(self) -> None:
        for name in ("osric", "pip"):
            head = builtin(name)
            picture = self.stage.draw([Shot(head, *played(head, {}))], (3, 500))
            self.assertEqual(picture.shape, (500, 8, 4))
            self.stage.forget(head)

    def test_where_there_is_no_opengl_one_sentence_says_so(self) -> None:
        broken = mock.patch("moderngl.create_context", side_effect=Exception("no display"))
        with broken, self.assertRaisesRegex(StageError, r"install the Mesa drivers.*\.$"):
            Stage()


class Light(unittest.TestCase):
    def test_a_corner_is_darker_than_what_stands_free(self) -> None:
        """Two walls that meet: a textbook picture of ambient occlusion."""
        n = 21
        a, b = np.meshgrid(np.linspace(0, 1, n), np.linspace(0, 1, n), indexing="ij")
        floor = np.stack([a, 0 * a, b], -1).reshape(-1, 3).astype("f4")
        wall = np.stack([0 * a, a, b], -1).reshape(-1, 3).astype("f4")
        i = np.arange(n - 1)
        corner = (i[:, None] * n + i[None]).ravel()
        faces = np.concatenate(
            [
                np.stack([corner, corner + 1, corner + n], 1),
                np.stack([corner + 1, corner + n + 1, corner + n], 1),
            ]
        )
        points = np.concatenate([floor, wall])
        normals = np.concatenate(
            [np.tile([0, 1, 0], (n * n, 1)), np.tile([1, 0, 0], (n * n, 1))]
        ).astype("f4")
        light = occlusion(points, normals, np.concatenate([faces, faces + n * n]).astype("u4"))[
            : n * n
        ].reshape(n, n)
        self.assertLess(light[1, 10], light[18, 10] - 0.03)
        self.assertTrue(((light >= 0.6) & (light <= 1)).all())
        self.assertEqual(len(occlusion(points[:0], normals[:0], faces[:0].astype("u4"))), 0)

    def test_a_head_that_looks_the_other_way_is_seen_from_its_front(self) -> None:
        """As VRM 0.x models stand: with their back to +z."""
        around = np.diag([-1.0, 1.0, -1.0, 1.0])
        head = plain(own("osric"))
        nodes = [replace(n, matrix=around @ n.matrix) if n.parent < 0 else n for n in head.nodes]
        turned = replace(head, nodes=tuple(nodes))
        framing = framing_from(Dressed(turned).framing)
        assert framing is not None
        self.assertEqual(framing.front, (0.0, 0.0, -1.0))
        stage = Stage()
        shots = [Shot(h, framing=framing_from(Dressed(h).framing)) for h in (head, turned)]
        a, b = (stage.draw([s], SIZE).astype(int) for s in shots)
        stage.close()
        self.assertLess(np.abs(a - b)[..., :3].mean(), 6.0)


class Cameras(unittest.TestCase):
    FRAME = Framing((0.0, 0.1, 0.2), 0.24)

    def test_fixed_views_look_from_where_they_say(self) -> None:
        for name, way in (("front", (0, 0, 1)), ("side", (1, 0, 0))):
            eye, target = eye_and_target(self.FRAME, VIEWS[name])
            toward = (eye - target) / np.linalg.norm(eye - target)
            self.assertGreater(float(toward @ np.array(way)), 0.99, name)

    def test_what_is_looked_at_is_the_middle_of_the_picture(self) -> None:
        """The look-at and perspective matrices of OpenGL, checked by what they are for."""
        eye, target = eye_and_target(self.FRAME, Camera(40, 20))
        view = perspective(1.5, 0.1, 10) @ look_at(eye, target, np.array([0.0, 1.0, 0.0]))
        point = view @ np.append(target, 1.0)
        np.testing.assert_allclose(point[:2] / point[3], 0, atol=1e-9)
        above = view @ np.array([*(target + np.array([0, 0.01, 0])), 1.0])
        self.assertGreater(above[1] / above[3], 0)

    def test_what_is_pointed_to_is_what_is_seen_there(self) -> None:
        """A point goes to the picture by the matrices, and back by pointing to its place."""
        points = np.random.default_rng(3).normal(size=(400, 3)).astype("f4") * 0.05 + np.array(
            [0, 0.15, 0.1], "f4"
        )
        for name in ("front", "three quarters", "mouth"):
            camera = VIEWS[name]
            eye, target = eye_and_target(self.FRAME, camera)
            view = perspective(1.6, 0.1, 10) @ look_at(eye, target, np.array([0.0, 1.0, 0.0]))
            seen = np.c_[points, np.ones(len(points))] @ view.T
            x, y = (seen[:, :2] / seen[:, 3:]).T
            nearest = int(np.linalg.norm(points - eye, axis=1).argmin())
            found = pointed(self.FRAME, camera, 1.6, float(x[nearest]), float(y[nearest]), points)
            np.testing.assert_allclose(found, points[nearest], atol=1e-6)

    def test_orbits_and_zooms_stay_within_reason(self) -> None:
        camera = Camera().orbited(400, 200).zoomed(1e9)
        self.assertEqual((camera.azimuth, camera.elevation, camera.near), (40, 85, 0.4))


if __name__ == "__main__":
    unittest.main()
