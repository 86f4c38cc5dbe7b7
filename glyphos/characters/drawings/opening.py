"""Pictures that are dropped: opened with care, said what was wrong with them.

A vector picture is cleaned before it is drawn: what it would run or fetch is taken out. Where there
is no transparency, an even ground is taken away.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from hashlib import blake2b
from pathlib import Path
from weakref import WeakValueDictionary
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

from ...caches import Shelf
from ...errors import ModelError

ENDINGS = (".png", ".svg", ".webp", ".gif", ".jpg", ".jpeg", ".bmp", ".tif", ".tiff")
SOUNDS = (".wav", ".flac", ".ogg", ".mp3", ".aiff", ".m4a", ".opus", ".mp4", ".mov")
LARGEST = 16_384  # pixels of a side
MOST_PIXELS = 64_000_000
MOST_BYTES = 64_000_000
DRAWN = 1024  # pixels of the longer side that vectors are drawn with
EVEN = 24.0  # of 255, how far a ground may differ from one colour
GROUND = "no transparency; the even ground is taken away"
SVG = "http://www.w3.org/2000/svg"
Pixels = NDArray[np.uint8]


@dataclass(frozen=True)
class Picture:
    """pixels: (height, width, 4), straight RGBA. size: as it says itself (width, height), which for
    vectors is not its pixels. said: what was wrong with it, in words. corner: of vectors, where their
    upper left one lies in the coordinates that they are drawn in."""

    pixels: Pixels
    size: tuple[float, float]
    said: tuple[str, ...] = ()
    corner: tuple[float, float] = (0.0, 0.0)

    @property
    def per_unit(self) -> float:
        """Pixels to a unit of its size."""
        return float(self.pixels.shape[1] / self.size[0])


# The same picture in another folder, as in a copy of a production, is the one that is open
_open: WeakValueDictionary[tuple[bytes, str, int], Picture] = WeakValueDictionary()
_drawn = Shelf("drawn", 100_000_000)  # a set of fifteen drawings takes three seconds


def open_picture(path: Path, *, drawn: int = DRAWN) -> Picture:
    """A picture, read-only. drawn: pixels of the longer side, for vectors. ModelError, one sentence."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ModelError(f"{path.name} is larger than 64 MB; save it smaller.")
        data = path.read_bytes()
    except OSError:
        raise ModelError(f"{path.name} cannot be read; check that it is there.") from None
    if not data:
        raise ModelError(f"{path.name} is empty; save it again.")
    vectors = path.suffix.lower() == ".svg"
    key = (blake2b(data, digest_size=16).digest(), path.name, drawn if vectors else 0)
    picture = _open.get(key)
    if picture is None:
        picture = _vectors(data, path.name, drawn) if vectors else _raster(data, path.name)
        picture.pixels.setflags(write=False)
        _open[key] = picture
    return picture


def _raster(data: bytes, name: str) -> Picture:
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data)) as image:
                width, height = image.size
                if max(width, height) > LARGEST or width * height > MOST_PIXELS:
                    raise ModelError(
                        f"{name} is {width:,} by {height:,} pixels, which is too large; save it with at most "
                        f"{LARGEST:,} a side."
                    )
                pixels = np.array(image.convert("RGBA"))
    except ModelError:
        raise
    except Image.DecompressionBombError:  # before its size is told
        raise ModelError(
            f"{name} has too many pixels; save it with at most {LARGEST:,} a side."
        ) from None
    except UnidentifiedImageError:
        raise ModelError(f"{name} is no picture that can be read; save it as PNG or SVG.") from None
    except Exception:  # decoders raise whatever they like
        raise ModelError(f"{name} is damaged; save it again.") from None
    size = (float(width), float(height))
    if (pixels[..., 3] == 255).all():
        cleared = without_ground(pixels)
        if cleared is None:
            return Picture(
                pixels, size, (f"{name} has no transparency and covers what is under it",)
            )
        return Picture(cleared, size, (f"{name} has {GROUND}",))
    return Picture(pixels, size)


def without_ground(pixels: Pixels) -> Pixels | None:
    """An opaque picture without the even colour around it; None where its rim has no one colour, or
    there is nothing else."""
    from scipy import ndimage

    color = pixels[..., :3].astype(np.float64)
    rim = np.concatenate([color[0], color[-1], color[:, 0], color[:, -1]])
    ground = np.median(rim, 0)
    if np.mean(np.abs(rim - ground).max(1) > EVEN) > 0.1:
        return None
    apart = np.abs(color - ground).max(2)
    parts, _ = ndimage.label(apart <= EVEN)
    edge = np.concatenate([parts[0], parts[-1], parts[:, 0], parts[:, -1]])
    around = np.isin(parts, np.unique(edge[edge > 0]))
    if around.all():
        return None
    made = pixels.copy()
    made[around, 3] = 0
    return made


def _vectors(data: bytes, name: str, drawn: int) -> Picture:
    import resvg_py
    from PIL import Image

    text, said = cleaned(data, name)

    def picture(width: int | None, height: int | None) -> Pixels:
        drawn_as = f"{resvg_py.__version__} {width} {height} {text}"
        png = _drawn.of(
            drawn_as.encode(),
            lambda: resvg_py.svg_to_bytes(
                svg_string=text, skip_system_fonts=True, dpi=96.0, width=width, height=height
            ),
        )
        with Image.open(io.BytesIO(png)) as image:
            return np.array(image.convert("RGBA"))

    try:
        upright = _upright(text)
        pixels = picture(None, drawn) if upright else picture(drawn, None)
        if max(pixels.shape[:2]) > drawn:  # it is the other way
            pixels = picture(drawn, None) if upright else picture(None, drawn)
    except Exception:  # whatever its reader raises
        raise ModelError(
            f"{name} cannot be drawn; save it again as plain SVG, or as PNG."
        ) from None
    if not pixels[..., 3].any():
        raise ModelError(f"{name} shows nothing; draw something on it.")
    return Picture(pixels, *_said_size(text, pixels, said))


def _upright(text: str) -> bool:
    """Whether a vector drawing seems to be higher than it is broad; what is drawn tells for sure."""
    root = ElementTree.fromstring(text)
    box = root.get("viewBox", "").replace(",", " ").split()
    wide, high = (root.get("width"), root.get("height")) if len(box) != 4 else (box[2], box[3])
    try:
        return float(str(high)) > float(str(wide))
    except ValueError:
        return False


def _said_size(
    text: str, pixels: Pixels, said: tuple[str, ...]
) -> tuple[tuple[float, float], tuple[str, ...], tuple[float, float]]:
    """Width and height in the units of the file, and where its corner lies in them."""
    root = ElementTree.fromstring(text)
    tall, own = pixels.shape[0] / pixels.shape[1], float(pixels.shape[1])
    box = _numbers(root.get("viewBox", "").replace(",", " ").split())
    width = _numbers([root.get("width", "").strip().removesuffix("px")])
    if len(box) == 4 and box[2] > 0 and (not width or width[0] == box[2]):
        same = abs(box[3] / box[2] - tall) < 0.02 * tall
        return (box[2], box[3] if same else box[2] * tall), said, (box[0], box[1])
    size = width[0] if width and 0 < width[0] < 1e6 else own
    return (size, size * tall), said, (0.0, 0.0)


def _numbers(texts: list[str]) -> list[float]:
    try:
        return [float(t) for t in texts]
    except ValueError:
        return []


def cleaned(data: bytes, name: str) -> tuple[str, tuple[str, ...]]:
    """A vector picture that runs and fetches nothing, and what was taken out, in words."""
    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        root = fromstring(data)
    except (ElementTree.ParseError, DefusedXmlException, ValueError, RecursionError, LookupError):
        raise ModelError(f"{name} is damaged, or no SVG; save it again.") from None
    if _plain(root.tag) != "svg":
        raise ModelError(f"{name} is no SVG; save it again.")
    ran, led = _clean(root)
    said = []
    if ran:
        said.append(f"{name} holds scripts, which are left out")
    if led:
        said.append(f"{name} refers to something outside itself, which is not fetched")
    ElementTree.register_namespace("", SVG)
    return ElementTree.tostring(root, encoding="unicode"), tuple(said)


def _clean(root: ElementTree.Element) -> tuple[bool, bool]:
    ran = led = False
    todo = [root]
    while todo:
        element = todo.pop()
        for child in list(element):
            tag = _plain(child.tag)
            if tag in ("script", "foreignobject", "handler", "iframe"):
                element.remove(child)
                ran = True
            elif tag == "style" and _outside_style(child.text or ""):
                element.remove(child)
                led = True
            else:
                todo.append(child)
        for key, value in list(element.attrib.items()):
            plain, text = _plain(key), value.strip().lower()
            if plain.startswith("on") or text.startswith("javascript:"):
                del element.attrib[key]
                ran = True
            elif plain in ("href", "src") and not text.startswith(
                ("#", "data:image/png", "data:image/jpeg")
            ):
                del element.attrib[key]
                led = led or _plain(element.tag) != "a"
            elif _outside_style(value):
                del element.attrib[key]
                led = True
    return ran, led


def _outside_style(text: str) -> bool:
    plain = "".join(text.lower().split())
    inner = plain.replace("url(#", "").replace("url('#", "").replace('url("#', "")
    return "url(" in inner or "@import" in inner


def _plain(tag: object) -> str:
    return tag.rpartition("}")[2].lower() if isinstance(tag, str) else ""


def of_drawings(path: Path) -> bool:
    """Whether what was dropped is a drawing, or a folder with drawings and nothing that sounds."""
    if path.is_dir():
        try:
            inside = [p.suffix.lower() for p in path.rglob("*") if p.is_file()][:2000]
        except OSError:
            return False
        return any(e in ENDINGS for e in inside) and not any(e in SOUNDS for e in inside)
    return path.suffix.lower() in ENDINGS and path.is_file()
