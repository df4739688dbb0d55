"""Files kept open for the pictures and sounds of one thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter

from ..media import FrameReader, MediaInfo, ProgressiveReader, open_reader
from ..media.lightening import Light, is_smaller, light_of
from ..media.pictures import to_pixels
from ..project import Project
from ..switch import Choice, Presence
from .clear import covering
from .colours import Pixels
from .placing import Mask

Reader = FrameReader | ProgressiveReader
DeviceOf = Callable[[MediaInfo], str]


@dataclass(eq=False)
class OpenPicture:
    """An open file: its reader, what that leaves out, the hardware that decodes it, and what converts its frames.

    ``busy``: it has given its frame for this picture.
    """

    path: Path
    reader: Reader
    light: Light = Light.WHOLE
    device: str = ""
    converter: VideoReformatter = field(default_factory=VideoReformatter)
    busy: bool = False
    _clear: tuple[tuple[object, ...], tuple[Pixels, Mask | None]] | None = None

    def pixels(self, frame: VideoFrame, size: tuple[int, int], deep: bool, clear: bool) -> tuple[Pixels, Mask | None]:
        """A frame at (width, height) pixels, and how much of each it covers, None for all. ``clear``: it may be clear
        in places; such a still is worked out once for each size."""
        if not clear:
            return to_pixels(frame, *size, self.converter, deep), None
        key = (size, deep)
        if self._clear is None or self._clear[0] != key:
            self._clear = key, covering(frame, *size, deep)
        pixels, mask = self._clear[1]
        return pixels.copy() if mask is None else pixels, mask  # what fills the frame is handed on as it is


def in_software(info: MediaInfo) -> str:
    """No hardware decodes it."""
    return ""


class OpenPictures:
    """The files used last; at most ``limit`` and those that one picture needs at the same time."""

    def __init__(self, presence: Presence, limit: int) -> None:
        self._presence = presence
        self._limit = limit
        self._files: list[OpenPicture] = []  # the one used last stands last
        self.device_of: DeviceOf = in_software  # for originals
        self.opened: dict[Path, str] = {}  # every clip's file that was ever opened, as original or as proxy

    def begin(self) -> None:
        """A new picture: every file may give a frame."""
        for file in self._files:
            file.busy = False

    def open(self, project: Project, choice: Choice, wanted: int, light: Light = Light.WHOLE) -> OpenPicture:
        """The file of a choice, open; of several openings of it the one that stands shortly before frame ``wanted``.

        A file that shows twice in one picture is opened twice: two places in it are read side by side. ``light``: what
        decoding an original leaves out. Raises ShadowError.
        """
        light, device = self.how(choice, light)
        alike = [
            file for file in self._files
            if file.path == choice.path and (file.light, file.device) == (light, device) and not file.busy
        ]  # fmt: skip
        if alike:
            found = min(alike, key=lambda file: (wanted - file.reader.position) % (1 << 40))
        else:
            found = self._opened(project, choice, light, device)
        self._files = [*(file for file in self._files if file is not found), found]
        found.busy = True
        return found

    def how(self, choice: Choice, light: Light) -> tuple[Light, str]:
        """What decoding the file of a choice leaves out, and the device that is asked; "" for software."""
        info = choice.clip.original.info
        if choice.kind != "original":
            return Light.WHOLE, ""
        device = self.device_of(info)
        if info.interlaced or (device and is_smaller(info.codec, light)):  # a device gives whole frames only
            return Light.WHOLE, device
        return light_of(info.codec, light), device

    def open_plain(self, path: Path) -> OpenPicture:
        """A file that is no clip's, open. Raises ShadowError."""
        found = self.last(path)
        if found is None:
            self._make_room()
            found = OpenPicture(path, open_reader(path, False))
        self._files = [*(file for file in self._files if file is not found), found]
        found.busy = True
        return found

    def last(self, path: Path) -> OpenPicture | None:
        """The opening of a file that was used last."""
        return next((file for file in reversed(self._files) if file.path == path), None)

    def _opened(self, project: Project, choice: Choice, light: Light, device: str) -> OpenPicture:
        assert choice.path is not None and choice.file is not None
        project.path(choice.file)  # follows links: nothing outside the shelf is opened
        self._make_room()
        info = choice.clip.original.info
        if choice.kind == "proxy":
            reader = open_reader(choice.path, False)
        else:
            reader = open_reader(choice.path, info.interlaced, info.sequence_rate, light, device)
        self._presence.tell(choice.path, True)
        self.opened[choice.path] = choice.kind
        return OpenPicture(choice.path, reader, light, device)

    def _make_room(self) -> None:
        idle = [file for file in self._files if not file.busy]
        while idle and len(self._files) >= self._limit:
            oldest = idle.pop(0)
            self._files.remove(oldest)
            oldest.reader.close()

    def close(self) -> None:
        """Let go of all."""
        for file in self._files:
            file.reader.close()
        self._files.clear()
