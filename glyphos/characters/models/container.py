"""glTF files as they lie on disk: a JSON document and its binary chunks (Khronos glTF 2.0, chapters 3.6
and 4), read with every size checked, written as GLB."""

from __future__ import annotations

import base64
import binascii
import json
import struct
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, cast
from urllib.parse import unquote

from ...errors import ModelError
from . import compressed

MAGIC, VERSION, JSON_CHUNK, BIN_CHUNK = 0x46546C67, 2, 0x4E4F534A, 0x004E4942
LARGEST = 1 << 30  # bytes of a model
KNOWN = {
    "KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit",
    "KHR_materials_pbrSpecularGlossiness", "KHR_materials_emissive_strength", "KHR_materials_ior",
    "KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen",
    "KHR_materials_transmission", "KHR_materials_volume", "KHR_lights_punctual",
    "EXT_texture_webp",
    "VRM", "VRMC_vrm", "VRMC_materials_mtoon", "VRMC_springBone", "VRMC_node_constraint",
}  # fmt: skip
Document = dict[str, Any]


@dataclass
class Container:
    """The document of a glTF file, the binary chunk that came with it, and where it lies."""

    path: Path
    document: Document
    chunk: bytes = b""
    _buffers: dict[int, bytes] = field(default_factory=dict)
    _unpacked: dict[int, bytes] = field(default_factory=dict)

    def items(self, name: str) -> list[dict[str, Any]]:
        """A list of the document, such as "nodes"; empty if it has none."""
        found = self._list(name)
        if not all(isinstance(x, dict) for x in found):
            raise self._no_list(name)
        return found

    def item(self, name: str, index: object) -> dict[str, Any]:
        """One of a list; raises ModelError if there is no such one. The others are not looked at: heads have thousands."""
        found = self._list(name)
        if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(found):
            raise ModelError(
                f"{self.path.name} is damaged: it refers to number {index} of its {name}, which is "
                "not there; export it again."
            )
        if not isinstance(found[index], dict):
            raise self._no_list(name)
        return cast(dict[str, Any], found[index])

    def _list(self, name: str) -> list[Any]:
        found = self.document.get(name, [])
        if not isinstance(found, list):
            raise self._no_list(name)
        return found

    def _no_list(self, name: str) -> ModelError:
        return ModelError(f"{self.path.name} is damaged: its {name} are no list; export it again.")

    def buffer(self, index: int) -> bytes:
        """The bytes of a buffer: in the file, written into the document, or in a file beside it."""
        if index not in self._buffers:
            entry = self.item("buffers", index)
            uri = entry.get("uri")
            data = self.chunk if uri is None and index == 0 else self.resource(uri, "buffer")
            if len(data) < whole(entry.get("byteLength"), "a buffer's length", self.path):
                raise ModelError(
                    f"{self.path.name} is cut off: a buffer has fewer bytes than it says; export it "
                    "again."
                )
            self._buffers[index] = data
        return self._buffers[index]

    def view(self, index: object) -> bytes:
        """The bytes of a buffer view, unpacked if it is compressed."""
        entry = self.item("bufferViews", index)
        said = compressed.described(entry)
        if said is None or not compressed.readable():
            return self._part(entry)
        place = cast(int, index)
        if place not in self._unpacked:
            self._unpacked[place] = compressed.unpacked(self.path.name, said, self._part(said))
        return self._unpacked[place]

    def _part(self, entry: dict[str, Any]) -> bytes:
        start = whole(entry.get("byteOffset", 0), "an offset", self.path)
        length = whole(entry.get("byteLength"), "a length", self.path)
        data = self.buffer(whole(entry.get("buffer"), "a buffer", self.path))
        if start + length > len(data):
            raise ModelError(
                f"{self.path.name} is damaged: a part of it lies outside its buffer; export it again."
            )
        return data[start : start + length]

    def resource(self, uri: object, what: str) -> bytes:
        """Bytes that a URI names: inside the document, or in a file in the model's own folder."""
        if not isinstance(uri, str):
            raise ModelError(f"{self.path.name} names no file for a {what}; export it again.")
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except binascii.Error:
                raise ModelError(
                    f"{self.path.name} is damaged: a {what} written into it cannot be read; export "
                    "it again."
                ) from None
        path = beside(self.path, unquote(uri), what)
        if not path.is_file():
            raise ModelError(
                f"{self.path.name} needs {path.name} beside it, which is not there; put the file "
                "into the same folder."
            )
        if path.stat().st_size > LARGEST:
            raise too_large(path)
        return path.read_bytes()


def beside(model: Path, name: str, what: str) -> Path:
    """A file that a model names, which must lie in the model's own folder or below it."""
    folder = model.resolve().parent
    if "\0" in name:
        raise ModelError(f"{model.name} is damaged: the name of its {what} is none.")
    found = (folder / name).resolve()
    if "://" in name or not found.is_relative_to(folder):
        raise ModelError(
            f"{model.name} wants a {what} from outside its folder ({name}), which is not opened; "
            "put the file beside the model and export again."
        )
    return found


def whole(value: object, what: str, path: Path) -> int:
    """A whole number that is not negative."""
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise ModelError(f"{path.name} is damaged: {what} is no number; export it again.")
    return value


def too_large(path: Path) -> ModelError:
    size = path.stat().st_size / 1e9
    return ModelError(
        f"{path.name} has {size:.1f} GB, more than a head can use; export the head alone, with "
        "smaller textures."
    )


def read_container(path: Path) -> Container:
    """A .glb, .gltf or .vrm file. Raises ModelError with one sentence if it is none."""
    if not path.is_file():
        raise ModelError(f"There is no file {path}; check its name.")
    if path.stat().st_size > LARGEST:
        raise too_large(path)
    data = path.read_bytes()
    binary = data[:4] == b"glTF"
    document, chunk = _chunks(path, data) if binary else (_document(path, data), b"")
    asset = document.get("asset")
    version = asset.get("version") if isinstance(asset, dict) else None
    if not isinstance(version, str) or not version.startswith("2"):
        raise ModelError(f"{path.name} is not glTF 2.0; export it in that version.")
    required = document.get("extensionsRequired", [])
    unknown = [x for x in required if x not in KNOWN] if isinstance(required, list) else []
    if compressed.NAME in unknown and compressed.readable():
        unknown.remove(compressed.NAME)
    if unknown:
        raise ModelError(
            f"{path.name} can only be read with {', '.join(map(str, unknown))}, which this "
            "Glyphos cannot read; export it without compression or other extensions."
        )
    return Container(path, document, chunk)


def _chunks(path: Path, data: bytes) -> tuple[Document, bytes]:
    if len(data) < 20:
        raise ModelError(f"{path.name} is cut off; copy or export it again.")
    _, version, length = struct.unpack_from("<III", data)
    if version != VERSION:
        raise ModelError(f"{path.name} is glTF {version}, not 2.0; export it in that version.")
    if length > len(data):
        raise ModelError(f"{path.name} is cut off; copy or export it again.")
    document, chunk, at = None, b"", 12
    while at + 8 <= min(length, len(data)):
        size, kind = struct.unpack_from("<II", data, at)
        body = data[at + 8 : at + 8 + size]
        if len(body) < size:
            raise ModelError(f"{path.name} is cut off; copy or export it again.")
        if kind == JSON_CHUNK and document is None:
            document = _document(path, body)
        elif kind == BIN_CHUNK and not chunk:
            chunk = body
        at += 8 + size
    if document is None:
        raise ModelError(f"{path.name} is damaged: there is nothing in it; export it again.")
    return document, chunk


def _document(path: Path, data: bytes) -> Document:
    try:
        document = json.loads(data.decode("utf-8"))
    except (ValueError, RecursionError):
        raise ModelError(f"{path.name} is not a glTF file, or damaged; export it again.") from None
    if not isinstance(document, dict):
        raise ModelError(f"{path.name} is not a glTF file; choose a .glb, .gltf or .vrm.")
    return document


def glb(document: Document, chunk: bytes) -> bytes:
    """A GLB file: a document and its one binary chunk, padded as the format asks."""
    text = json.dumps(document, ensure_ascii=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunk += b"\0" * (-len(chunk) % 4)
    parts = [struct.pack("<II", len(text), JSON_CHUNK), text]
    if chunk:
        parts += [struct.pack("<II", len(chunk), BIN_CHUNK), chunk]
    body = b"".join(parts)
    return struct.pack("<III", MAGIC, VERSION, 12 + len(body)) + body
