"""A small file that travels inside a preset, so that one file can be mailed and gives the same proxies elsewhere."""

from __future__ import annotations

import base64
import binascii
import io
import zlib
from pathlib import Path
from typing import TYPE_CHECKING

from pydantic import BaseModel, ConfigDict, Field

from ..errors import PresetError, from_os_error
from ..late import pil_image
from ..media.cube import read_cube

if TYPE_CHECKING:
    from PIL import Image

LARGEST = 16 << 20  # bytes, unpacked
_PICTURE_SIDE = 8192  # pixels
_FORMATS, _ENDINGS = ("PNG", "JPEG"), (".png", ".jpg", ".jpeg")  # others have readers that start programs


class Attached(BaseModel):
    """``name`` of the file it came from; ``data``: its bytes, zlib-packed, in base64."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=200)
    data: str = Field(repr=False)

    def content(self) -> bytes:
        """The file's bytes; raises ValueError for data that cannot be unpacked or are too many."""
        try:
            unpacker = zlib.decompressobj()
            content = unpacker.decompress(base64.b64decode(self.data, validate=True), LARGEST)
        except (binascii.Error, zlib.error) as error:
            raise ValueError(f"{self.name} cannot be unpacked ({error})") from error
        if unpacker.unconsumed_tail:
            raise ValueError(f"{self.name} is larger than {LARGEST >> 20} MB")
        return content


def attach(path: Path) -> Attached:
    """The file at ``path`` for a preset. Raises PresetError when it cannot be read or is too large."""
    try:
        content = path.read_bytes() if path.stat().st_size <= LARGEST else None
    except OSError as error:
        raise from_os_error(error, path, PresetError) from error
    if content is None:
        raise PresetError(f"is larger than {LARGEST >> 20} MB", path, "Choose a smaller file.")
    return Attached(name=path.name, data=base64.b64encode(zlib.compress(content, 9)).decode("ascii"))


def check_cube(lut: Attached) -> None:
    """Raises ValueError with the reason when the file is not a three-dimensional .cube table."""
    read_cube(lut.content())


def open_picture(picture: Attached) -> Image.Image:
    """The picture, PNG or JPEG by its name and its content, as RGBA. Raises ValueError with the reason."""
    if Path(picture.name).suffix.lower() not in _ENDINGS:
        raise ValueError(f"{picture.name} is neither a PNG nor a JPEG picture")
    content = picture.content()
    try:
        with pil_image.open(io.BytesIO(content), formats=_FORMATS) as opened:
            if max(opened.size) > _PICTURE_SIDE:
                raise ValueError(f"{picture.name} is larger than {_PICTURE_SIDE} pixels")
            converted: Image.Image = opened.convert("RGBA")
            return converted
    except ValueError:
        raise
    except Exception as error:  # its readers raise whatever comes to their mind
        raise ValueError(f"{picture.name} is not a picture that can be read: PNG and JPEG can") from error
