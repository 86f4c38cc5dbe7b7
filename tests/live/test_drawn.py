"""A live face in the drawings of a character: names in packets, and a page that lays them as the product does."""

from __future__ import annotations

import base64
import io
import json
import socket
import threading
import unittest
from urllib.error import HTTPError
from urllib.request import urlopen

import numpy as np
from PIL import Image
from pythonosc.osc_bundle import OscBundle
from websockets.sync.client import connect

from glyphos.characters.builtin import set_path
from glyphos.characters.drawings.composing import composed
from glyphos.characters.drawings.reading import read_drawings
from glyphos.live.drawn import DrawnFace
from glyphos.live.packets import Moment, face_osc
from glyphos.live.sending import Web
from tests.live.test_live import BROWSER, DATA, browsed
from tests.patience import PATIENCE
from tests.shell import invoke

OPEN = {"jaw_open": 0.9, "lips_part": 0.9, "head_yaw": 0.0}


def face_of(name: str = "osric-drawings") -> DrawnFace:
    found = read_drawings(set_path(name))
    return DrawnFace(found.drawings, found.folder)


class Faces(unittest.TestCase):
    def test_the_nearest_drawings_are_named(self) -> None:
        face = face_of()
        shut = face.show({"lips_part": 0.0, "lips_press": 0.5}, 0.0)
        self.assertEqual(set(shut), {"view", "mouth", "eyes"})
        self.assertIn(shut["mouth"], ("mouth-closed", "mouth-rest-soft-smile"))
        self.assertEqual(shut["eyes"], "eyes-open")
        wide = face.show({**OPEN, "blink_left": 1.0, "blink_right": 1.0}, 1.0)
        self.assertEqual((wide["mouth"], wide["eyes"]), ("mouth-wide-open", "eyes-closed"))

    def test_a_page_that_lays_them_as_told_looks_as_they_do_here(self) -> None:
        """Laid by another painter: Qt's SVG renderer, with the same pictures and places."""
        from PySide6.QtGui import QImage, QPainter
        from PySide6.QtSvg import QSvgRenderer

        found = read_drawings(set_path("osric-drawings"))
        face = DrawnFace(found.drawings, found.folder)
        shown = face.show({**OPEN, "blink_left": 1.0, "blink_right": 1.0}, 0.0)
        (view,) = face.views
        wide, high = view["size"]
        images = "".join(
            f'<image width="{d["size"][0]}" height="{d["size"][1]}" transform="matrix({" ".join(map(str, d["place"]))})" '
            f'preserveAspectRatio="none" href="data:image/png;base64,{base64.b64encode(face.picture(d["picture"])).decode()}"/>'
            for d in view["drawings"] if d["part"] == "head" or shown[d["part"]] == d["name"]
        )  # fmt: skip
        page = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide} {high}">{images}</svg>'
        theirs = QImage(400, round(400 * high / wide), QImage.Format.Format_RGBA8888)
        theirs.fill(0)
        painter = QPainter(theirs)
        QSvgRenderer(page.encode()).render(painter)
        painter.end()
        there = np.frombuffer(theirs.constBits(), np.uint8).reshape(theirs.height(), 400, 4)
        drawn, running = found.drawings.views[0], face._running
        here = composed(drawn, found.folder, running._mouth, running._states, 400)
        apart = np.abs(there.astype(int) - np.asarray(here, int)).max(axis=2)
        self.assertLess(float((apart > 60).mean()), 0.01)
        rest = composed(drawn, found.folder, drawn.rest, {}, 400)
        moved = np.abs(np.asarray(rest, int) - np.asarray(here, int)).max(axis=2)
        self.assertGreater(float((moved > 60).mean()), 0.02)  # it would be seen

    def test_osc_names_them_too(self) -> None:
        told = face_osc(Moment({"jaw_open": 0.5}, 3, 0.1, {"jaw_open": 0.5}, {"mouth": "o"}), 1.8e9)
        found = {m.address: m.params[0] for m in OscBundle(told)}
        self.assertEqual(found["/face/drawing/mouth"], "o")


class Pages(unittest.TestCase):
    def web(self, drawn: DrawnFace | None = None) -> Web:
        web = Web(0, drawn=drawn)
        self.addCleanup(web.close)
        return web

    def get(self, web: Web, path: str) -> tuple[str, bytes]:
        with urlopen(f"http://127.0.0.1:{web.port}/{path}", timeout=PATIENCE) as answer:
            return answer.headers["Content-Type"], answer.read()

    def test_the_page_gets_pictures_and_nothing_else(self) -> None:
        face = face_of()
        web = self.web(face)
        kind, data = self.get(web, "drawings.json")
        self.assertEqual(kind, "application/json")
        (view,) = json.loads(data)
        self.assertEqual(view["drawings"][0]["part"], "head")
        kind, data = self.get(web, f"drawings/{view['drawings'][3]['picture']}.png")
        self.assertEqual(kind, "image/png")
        self.assertEqual(Image.open(io.BytesIO(data)).mode, "RGBA")
        for path in ("drawings/999.png", "drawings/../ear.npz", "ear.npz", "drawings/-1.png"):
            with self.assertRaises(HTTPError) as caught:
                self.get(web, path)
            self.assertEqual(caught.exception.code, 404)
            caught.exception.close()
        self.assertEqual(json.loads(self.get(self.web(), "drawings.json")[1]), [])

    def test_the_page_hears_our_channels_whoever_is_the_character(self) -> None:
        web = self.web()
        address = f"ws://127.0.0.1:{web.port}"
        with connect(f"{address}/own") as page, connect(f"{address}/") as other:
            moment = Moment({"jaw_open": 0.5}, 1, 0.0, {"Jaw_Down": 0.7})
            threading.Timer(0.2, lambda: web.send(moment)).start()
            self.assertEqual(json.loads(page.recv(timeout=PATIENCE))["channels"], {"jaw_open": 0.5})
            self.assertEqual(
                json.loads(other.recv(timeout=PATIENCE))["channels"], {"Jaw_Down": 0.7}
            )

    @unittest.skipUnless(BROWSER, "needs a browser")
    def test_a_browser_shows_the_drawings(self) -> None:
        face = face_of()
        web, end = self.web(face), threading.Event()
        self.addCleanup(end.set)
        shown = face.show(OPEN, 0.0)

        def speak() -> None:
            number = 0
            while not end.wait(0.02):
                number += 1
                web.send(Moment(OPEN, number, number / 50, OPEN, shown))

        threading.Thread(target=speak, daemon=True).start()
        page = browsed(web, r'data-name="mouth-wide-open" display="inline"')
        self.assertRegex(page, r'data-name="mouth-closed" display="none"')
        self.assertNotIn('id="head"', page)


class Shell(unittest.TestCase):
    def test_drawings_speak_from_the_shell(self) -> None:
        receiver = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.addCleanup(receiver.close)
        receiver.bind(("127.0.0.1", 0))
        receiver.settimeout(PATIENCE)
        heard: list[dict[str, dict[str, str]]] = []

        def listen() -> None:
            while (data := receiver.recv(65_536)) != b"over":
                heard.append(json.loads(data))

        thread = threading.Thread(target=listen)
        thread.start()
        ran = invoke(["live", "--input", str(DATA / "slt_hts-001.flac"), "--udp", str(receiver.getsockname()[1]), "--seconds",
             "1.6", "--character", "pip-drawings"],
        )  # fmt: skip
        self.assertEqual(ran.exit_code, 0, ran.output + str(ran.exception))
        receiver.sendto(b"over", receiver.getsockname())
        thread.join(PATIENCE)
        self.assertGreater(len(heard), 10)  # 90, where the machine has nothing else to do
        self.assertIn("jaw_open", heard[0]["channels"])
        self.assertGreater(len({m["drawings"]["mouth"] for m in heard}), 3)

    def test_a_folder_without_drawings_is_a_sentence(self) -> None:
        ran = invoke(["live", "--input", str(DATA / "slt_hts-001.flac"), "--udp", "1", "--character", str(DATA)]
        )  # fmt: skip
        self.assertNotEqual(ran.exit_code, 0)
        self.assertRegex(ran.output + str(ran.exception), r"drawings in data|drawing")


if __name__ == "__main__":
    unittest.main()
