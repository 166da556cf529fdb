"""A glTF 2.0 file as it lies on disk: its JSON, its buffers, and typed views of its accessors.

Khronos glTF 2.0 specification, sections 3 and 4. Nothing is trusted: every index, offset and length is
checked before it is used, and every complaint says where in the file it stands.
"""

import base64
import json
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.shape import Json, check_shape, is_whole
from brickseat_core.formats.writing import write_whole

MAGIC = 0x46546C67
JSON_CHUNK = 0x4E4F534A
BIN_CHUNK = 0x004E4942
COMPONENTS: dict[int, np.dtype[Any]] = {
    5120: np.dtype("<i1"),
    5121: np.dtype("<u1"),
    5122: np.dtype("<i2"),
    5123: np.dtype("<u2"),
    5125: np.dtype("<u4"),
    5126: np.dtype("<f4"),
}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
UNREAD_COMPRESSION = ("KHR_draco_mesh_compression", "EXT_meshopt_compression", "KHR_meshopt_compression")
MOST_SAID = 200
"""Letters of a name that are said of it."""
MOST_ELEMENTS = 200_000_000
MOST_ZEROS = 3_000_000
"""Elements of an accessor that a file has no bytes for: they cost it nothing, and a reader all."""


def component(code: Any) -> np.dtype[Any] | None:
    """What the numbers of an accessor are, by the code of glTF; None where there is none of that code."""
    return COMPONENTS.get(code) if isinstance(code, int) else None


class GltfDocument:
    """``json``: the document, free to be edited. ``buffers``: bytes of each buffer, read on demand."""

    def __init__(self, document: Json, binary: bytes | None, folder: Path | None) -> None:
        self.json = document
        self.folder = folder
        self._binary = binary
        self._buffers: dict[int, bytes] = {}
        self._appended: list[bytes] = []
        self._kept = 0
        self._check_shape()

    @classmethod
    def open(cls, path: Path) -> "GltfDocument":
        """Read a .glb or .gltf file. Raises FileError."""
        try:
            data = path.read_bytes()
        except OSError as error:
            raise FileError(f"{path}: cannot be read ({error.strerror}); check the path") from None
        try:
            return cls.parse(data, path.parent)
        except FileError as error:
            raise FileError(f"{path}: {error}") from None

    @classmethod
    def parse(cls, data: bytes, folder: Path | None = None) -> "GltfDocument":
        """From the bytes of a .glb or .gltf file. ``folder`` is where external files may lie; None: nowhere.

        Raises FileError.
        """
        if data[:4] == b"glTF":
            document, binary = cls._split_binary(data)
        elif data.lstrip()[:1] == b"{":
            document, binary = data, None
        else:
            raise FileError("is not a glTF file (it begins with neither “glTF” nor “{”); export it as glTF 2.0")
        try:
            text = document.decode("utf-8")
            parsed = json.loads(text)
            if "\\ud" in text or "\\uD" in text:
                # Half of a character, written as an escape, is text that can never be written again.
                json.dumps(parsed, ensure_ascii=False).encode()
        except UnicodeError:
            raise FileError("its JSON holds text that is no Unicode; export it again") from None
        except (ValueError, RecursionError) as error:
            raise FileError(f"its JSON is broken ({error}); export it again") from None
        if not isinstance(parsed, dict):
            raise FileError("its JSON is not an object; export it again")
        return cls(parsed, binary, folder)

    @staticmethod
    def _split_binary(data: bytes) -> tuple[bytes, bytes | None]:
        if len(data) < 20:
            raise FileError("is cut short after its header; copy or export it again")
        _, version, length = struct.unpack_from("<III", data)
        if version != 2:
            raise FileError(f"is glTF version {version}, only version 2 is read; export it as glTF 2.0")
        if length > len(data):
            raise FileError(f"is cut short: {len(data)} of {length} bytes are there; copy or export it again")
        chunks: dict[int, bytes] = {}
        at = 12
        while at + 8 <= length:
            size, kind = struct.unpack_from("<II", data, at)
            if at + 8 + size > length:
                raise FileError(f"is cut short inside the chunk at byte {at}; copy or export it again")
            chunks.setdefault(kind, data[at + 8 : at + 8 + size])
            at += 8 + size
        if JSON_CHUNK not in chunks:
            raise FileError("has no JSON chunk; export it again")
        return chunks[JSON_CHUNK], chunks.get(BIN_CHUNK)

    def _check_shape(self) -> None:
        version = str(self.json.get("asset", {}).get("version", "")) if isinstance(self.json.get("asset"), dict) else ""
        if not version.startswith("2"):
            raise FileError("its asset.version is not 2.x; export it as glTF 2.0")
        check_shape(self.json)
        for name in self.json.get("extensionsRequired", []):
            if name in UNREAD_COMPRESSION:
                raise FileError(f"needs {name}, which is not read; export it without compression")

    def item(self, kind: str, number: Any, where: str) -> Json:
        """Entry ``number`` of a top-level list; FileError names ``where`` it was referred to. Raises FileError."""
        items = self.json.get(kind, [])
        if not is_whole(number) or not 0 <= number < len(items):
            raise FileError(f"{where} refers to {kind}[{number}], of which there are {len(items)}; export it again")
        found: Json = items[number]
        return found

    def items(self, kind: str) -> list[Json]:
        """The document's own list of one kind, “nodes” or “meshes”; empty when it has none."""
        found: list[Json] = self.json.get(kind, [])
        return found

    def buffer(self, number: int) -> bytes:
        """The bytes of a buffer, with all that was appended to it. Raises FileError where they are not there."""
        if number == 0 and self._appended:
            self._buffers[0] = self._binary = b"".join([self._buffers[0][: self._kept], *self._appended])
            self._appended = []
        if number not in self._buffers:
            entry = self.item("buffers", number, "a bufferView")
            uri = entry.get("uri")
            where = f"buffers[{number}]"
            if uri is None:
                if number != 0 or self._binary is None:
                    raise FileError(f"{where} has no bytes and no uri; export it again")
                data = self._binary
            else:
                data = self.resource(uri, where)
            size = self._count(entry["byteLength"], f"{where}.byteLength")
            if len(data) < size:
                raise FileError(f"{where} is cut short: {len(data)} of {size} bytes; copy or export it again")
            self._buffers[number] = data
        return self._buffers[number]

    def resource(self, uri: str, where: str) -> bytes:
        """The bytes behind a uri: inline data, or a file inside the document's own folder. Raises FileError."""
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except ValueError:
                raise FileError(f"{where} has inline data that is not base64; export it again") from None
        if self.folder is None:
            raise FileError(f"{where} refers to the file “{uri}”; put everything into one .glb file")
        root = self.folder.resolve()
        said = uri if len(uri) <= MOST_SAID else f"{uri[:MOST_SAID]}…"
        try:
            target = (root / unquote(uri)).resolve()
            inside, there = target.is_relative_to(root), target.is_file()
        except (OSError, ValueError):
            raise FileError(f"{where} refers to “{said}”, which is no name of a file; export it again") from None
        if "://" in uri or not inside:
            raise FileError(f"{where} refers to “{said}”, outside the file's own folder; bring it into the folder")
        if not there:
            raise FileError(f"{where} refers to “{said}”, which is missing; put it beside the file")
        return target.read_bytes()

    def check_resources(self) -> None:
        """Every buffer and image must be there before anything is computed."""
        for number in range(len(self.items("buffers"))):
            self.buffer(number)
        for number, image in enumerate(self.items("images")):
            if "uri" in image:
                self.resource(image["uri"], f"images[{number}]")

    def view(self, number: Any, where: str) -> tuple[memoryview, int]:
        """The bytes of a bufferView, which are not copied, and its stride (0 when tightly packed).

        Raises FileError.
        """
        entry = self.item("bufferViews", number, where)
        data = self.buffer(self._count(entry.get("buffer"), f"bufferViews[{number}].buffer"))
        start = self._count(entry.get("byteOffset", 0), f"bufferViews[{number}].byteOffset")
        size = self._count(entry.get("byteLength"), f"bufferViews[{number}].byteLength")
        if start + size > len(data):
            raise FileError(f"bufferViews[{number}] ends at byte {start + size} of {len(data)}; export it again")
        stride = self._count(entry.get("byteStride", 0), f"bufferViews[{number}].byteStride")
        return memoryview(data)[start : start + size], stride

    def accessor(self, number: Any, where: str) -> NDArray[Any]:
        """(count,) or (count, width) values of an accessor; normalised integers become floats. Raises FileError."""
        entry = self.item("accessors", number, where)
        here = f"accessors[{number}]"
        dtype = component(entry.get("componentType"))
        width = WIDTHS.get(str(entry.get("type")))
        if dtype is None or width is None:
            raise FileError(f"{here} has an unknown component or element type; export it again")
        count = self._count(entry.get("count"), f"{here}.count")
        if count * width > MOST_ELEMENTS:
            raise FileError(f"{here} claims {count} elements, more than is ever read; export it in parts")
        if "bufferView" in entry:
            values = self._elements(entry["bufferView"], entry.get("byteOffset", 0), dtype, width, count, here)
        elif count * width > MOST_ZEROS:
            raise FileError(f"{here} claims {count} elements but has no bytes for them; export it again")
        else:
            values = np.zeros((count, width), dtype)
        if "sparse" in entry:
            values = self._with_sparse(values.copy(), entry["sparse"], dtype, width, here)
        if entry.get("normalized") and dtype.kind in "iu":
            top = float(np.iinfo(dtype).max)
            values = np.maximum(values.astype(np.float64) / top, -1.0)
        return values[:, 0] if width == 1 else values

    def _with_sparse(
        self, values: NDArray[Any], sparse: Json, dtype: np.dtype[Any], width: int, here: str
    ) -> NDArray[Any]:
        count = self._count(sparse.get("count"), f"{here}.sparse.count")
        places, news = sparse.get("indices"), sparse.get("values")
        if not isinstance(places, dict) or not isinstance(news, dict):
            raise FileError(f"{here}.sparse has no indices or values; export it again")
        kind = component(places.get("componentType"))
        if kind is None or kind.kind != "u":
            raise FileError(f"{here}.sparse.indices has an unknown component type; export it again")
        at = self._elements(places.get("bufferView"), places.get("byteOffset", 0), kind, 1, count, f"{here}.sparse")[
            :, 0
        ]
        if count and int(at.max()) >= len(values):
            raise FileError(f"{here}.sparse.indices reach past the end; export it again")
        values[at] = self._elements(
            news.get("bufferView"), news.get("byteOffset", 0), dtype, width, count, f"{here}.sparse"
        )
        return values

    def _elements(
        self, view: Any, offset: Any, dtype: np.dtype[Any], width: int, count: int, here: str
    ) -> NDArray[Any]:
        data, stride = self.view(view, f"{here}.bufferView")
        start = self._count(offset, f"{here}.byteOffset")
        size = dtype.itemsize * width
        step = stride or size
        if step < size:
            raise FileError(f"{here} has elements of {size} bytes at a stride of {step}; export it again")
        if count and start + step * (count - 1) + size > len(data):
            raise FileError(f"{here} reaches past the end of its bufferView; the file is damaged, export it again")
        return (
            np.ndarray((count, width), dtype, data, start, (step, dtype.itemsize))
            if count
            else np.zeros((0, width), dtype)
        )

    @staticmethod
    def _count(value: Any, where: str) -> int:
        if not is_whole(value) or value < 0:
            raise FileError(f"{where} is not a whole number from 0; export it again")
        return value

    def append(self, values: NDArray[Any], kind: str) -> int:
        """Add an accessor of ``values`` (n,) or (n, k) to the document; returns its number. ``kind``: its glTF type, as VEC3."""
        data = np.ascontiguousarray(values)
        buffers = self.json.setdefault("buffers", [])
        if not buffers or "uri" in buffers[0]:
            # The bytes of a binary file belong to its first buffer; move the others up by one.
            self.check_resources()
            old = [self._buffers[i] for i in range(len(buffers))]
            buffers.insert(0, {"byteLength": 0})
            for view in self.json.get("bufferViews", []):
                view["buffer"] += 1
            self._buffers = dict(enumerate([b"", *old]))
            self._binary = b""
        if not self._appended:
            self.buffer(0)
            self._kept = buffers[0]["byteLength"]
        end = buffers[0]["byteLength"]
        padding = b"\0" * (-end % 4)
        views = self.json.setdefault("bufferViews", [])
        views.append({"buffer": 0, "byteOffset": end + len(padding), "byteLength": data.nbytes})
        # Joined when the bytes are asked for: a set appends a thousand times before that.
        self._appended += [padding, data.tobytes()]
        buffers[0]["byteLength"] = end + len(padding) + data.nbytes
        code = next(c for c, d in COMPONENTS.items() if d == data.dtype.newbyteorder("<"))
        accessors = self.json.setdefault("accessors", [])
        entry: Json = {"bufferView": len(views) - 1, "componentType": code, "count": len(data), "type": kind}
        if kind == "VEC3" and code == 5126:
            entry["min"] = [float(v) for v in data.min(axis=0)]
            entry["max"] = [float(v) for v in data.max(axis=0)]
        accessors.append(entry)
        return len(accessors) - 1

    def embed(self) -> None:
        """Bring every external file inside, so that the document can be written anywhere."""
        for number, entry in enumerate(self.items("buffers")):
            if "uri" in entry and not entry["uri"].startswith("data:"):
                entry["uri"] = "data:application/octet-stream;base64," + base64.b64encode(self.buffer(number)).decode()
        for number, image in enumerate(self.items("images")):
            if "uri" in image and not image["uri"].startswith("data:"):
                kind = "jpeg" if image["uri"].lower().endswith((".jpg", ".jpeg")) else "png"
                data = self.resource(image["uri"], f"images[{number}]")
                image["uri"] = f"data:image/{kind};base64," + base64.b64encode(data).decode()

    def to_glb(self) -> bytes:
        """The bytes of a binary glTF 2.0 file. Raises FileError where a number is not finite."""
        text = self._text(separators=(",", ":"))
        text += b" " * (-len(text) % 4)
        parts = [struct.pack("<II", len(text), JSON_CHUNK), text]
        buffers = self.items("buffers")
        if buffers and "uri" not in buffers[0]:
            binary = self.buffer(0)
            binary += b"\0" * (-len(binary) % 4)
            parts += [struct.pack("<II", len(binary), BIN_CHUNK), binary]
        body = b"".join(parts)
        return struct.pack("<III", MAGIC, 2, 12 + len(body)) + body

    def to_gltf(self) -> bytes:
        """The bytes of a glTF 2.0 file as text, with its buffers. Raises FileError where a number is not finite."""
        for number, entry in enumerate(self.items("buffers")):
            if "uri" not in entry:
                entry["uri"] = "data:application/octet-stream;base64," + base64.b64encode(self.buffer(number)).decode()
        return self._text(indent=1)

    def _text(self, indent: int | None = None, separators: tuple[str, str] | None = None) -> bytes:
        try:
            text = json.dumps(self.json, ensure_ascii=False, indent=indent, separators=separators, allow_nan=False)
        except ValueError:
            raise FileError("holds a number that is not finite; mend the model and export it again") from None
        return text.encode()

    def save(self, path: Path) -> None:
        """Write .glb or .gltf beside ``path`` and rename it into place. Raises FileError."""
        if self.folder is not None and path.parent.resolve() != self.folder.resolve():
            self.embed()
        write_whole(path, self.to_gltf() if path.suffix.lower() == ".gltf" else self.to_glb())
