"""Containers changed after they were written: edit lists, orders of channels, what damage does."""

from __future__ import annotations

import random
import struct
from collections.abc import Callable, Iterator
from pathlib import Path

import av

Step = Callable[[Path], Path]
_MOVIE = 1000  # ticks of a second in the movie's header


def boxes(data: bytes, begin: int, end: int) -> Iterator[tuple[bytes, int, int]]:
    """(kind, place, size) of the boxes between two places (ISO/IEC 14496-12)."""
    while begin + 8 <= end:
        size, kind = struct.unpack(">I4s", data[begin : begin + 8])
        if size < 8:
            return
        yield kind, begin, size
        begin += size


def box(kind: bytes, content: bytes) -> bytes:
    """A box."""
    return struct.pack(">I4s", 8 + len(content), kind) + content


def edit_list(edits: list[tuple[int, int]], rate: int = 25, track: int = 0, speed: int = 1) -> Step:
    """Give a track another edit list: frames shown, first frame (-1: nothing is shown), at a speed."""

    def step(path: Path) -> Path:
        data = path.read_bytes()
        moov, size = next((at, s) for kind, at, s in boxes(data, 0, len(data)) if kind == b"moov")
        tracks = [(at, s) for kind, at, s in boxes(data, moov + 8, moov + size) if kind == b"trak"]
        trak, length = tracks[track]
        inside = data[trak + 8 : trak + length]
        at = inside.index(b"mdhd") + 4
        scale = struct.unpack(">I", inside[at + 12 : at + 16])[0]
        known = inside.find(b"elst")
        delay = struct.unpack(">i", inside[known + 16 : known + 20])[0] if known >= 0 else 0
        lines = b"".join(
            struct.pack(">Iihh", count * _MOVIE // rate, begin, speed, 0)
            for count, first in edits
            for begin in [-1 if first < 0 else first * scale // rate + max(0, delay)]
        )
        edts = box(b"edts", box(b"elst", struct.pack(">II", 0, len(edits)) + lines))
        parts = [(kind, data[p : p + s]) for kind, p, s in boxes(data, trak + 8, trak + length) if kind != b"edts"]
        whole = b"".join(part + (edts if kind == b"tkhd" else b"") for kind, part in parts)
        path.write_bytes(
            data[:moov] + box(b"moov", data[moov + 8 : trak] + box(b"trak", whole) + data[trak + length :])
        )
        return path

    return step


def turned(degrees: int) -> Step:
    """Write a turn into the first track's header."""
    one = 0x10000
    matrices = {90: (0, one, -one, 0), 180: (-one, 0, 0, -one), 270: (0, -one, one, 0)}

    def step(path: Path) -> Path:
        data = bytearray(path.read_bytes())
        at = data.index(b"tkhd") + 4 + 40
        a, b, c, d = matrices[degrees]
        data[at : at + 36] = struct.pack(">9i", a, b, 0, c, d, 0, 0, 0, 0x40000000)
        path.write_bytes(data)
        return path

    return step


def own_channel_order(labels: tuple[int, ...]) -> Step:
    """Describe the channels of the first sound track singly, in an order of their own."""

    def step(path: Path) -> Path:
        data = bytearray(path.read_bytes())
        at = data.index(b"chan") - 4
        size = struct.unpack(">I", data[at : at + 4])[0]
        rows = b"".join(struct.pack(">IIfff", label, 0, 0, 0, 0) for label in labels)
        new = box(b"chan", struct.pack(">IIII", 0, 0, 0, len(labels)) + rows)
        for place in _around(bytes(data), at):
            old = struct.unpack(">I", data[place : place + 4])[0]
            data[place : place + 4] = struct.pack(">I", old + len(new) - size)
        data[at : at + size] = new
        path.write_bytes(data)
        return path

    return step


def _around(data: bytes, at: int) -> list[int]:
    """Places of the boxes that a place lies in."""
    found: list[int] = []
    spans = [(0, len(data))]
    while spans:
        low, high = spans.pop()
        for kind, place, size in boxes(data, low, high):
            if place < at < place + size:
                found.append(place)
                head = 16 if kind == b"stsd" else 8
                if kind in (b"moov", b"trak", b"mdia", b"minf", b"stbl", b"stsd"):
                    spans.append((place + head, place + size))
    return found


def cut_off(part: float) -> Step:
    """Keep the beginning only."""

    def step(path: Path) -> Path:
        data = path.read_bytes()
        path.write_bytes(data[: int(len(data) * part)])
        return path

    return step


def _picture_packets(path: Path) -> list[tuple[int, int, int]]:
    """(time in ticks, place, size) of the picture's packets, in the order they are shown."""
    with av.open(str(path)) as container:
        return sorted(
            (packet.pts, packet.pos, packet.size)
            for packet in container.demux(container.streams.video[0])
            if packet.size and packet.pts is not None and packet.pos is not None
        )


def scratched(frames: tuple[int, ...] = (20, 40)) -> Step:
    """Overwrite bytes in the middle of some frames' packets."""

    def step(path: Path) -> Path:
        data = bytearray(path.read_bytes())
        places = _picture_packets(path)
        rng = random.Random(3)
        for number in frames:
            _pts, place, size = places[number]
            for part in (0.3, 0.45, 0.6, 0.75):
                at = place + int(size * part)
                data[at : at + 12] = bytes(rng.randrange(256) for _ in range(12))
        path.write_bytes(data)
        return path

    return step


def mute(part: tuple[float, float] = (0.4, 0.6)) -> Step:
    """Overwrite a stretch of the sound's packets."""

    def step(path: Path) -> Path:
        data = bytearray(path.read_bytes())
        with av.open(str(path)) as container:
            packets = [one for one in container.demux(container.streams.audio[0]) if one.size and one.pos is not None]
        rng = random.Random(3)
        for packet in packets[int(len(packets) * part[0]) : int(len(packets) * part[1])]:
            data[packet.pos : packet.pos + packet.size] = bytes(rng.randrange(256) for _ in range(packet.size))
        path.write_bytes(data)
        return path

    return step


def torn(frames: tuple[int, ...] = (20, 40)) -> Step:
    """Leave nothing but zeros of some frames' packets."""

    def step(path: Path) -> Path:
        data = bytearray(path.read_bytes())
        places = _picture_packets(path)
        for number in frames:
            _pts, place, size = places[number]
            data[place : place + size] = bytes(size)
        path.write_bytes(data)
        return path

    return step


def named(name: str) -> Step:
    """Give it another name; the ending stays."""
    return lambda path: path.rename(path.with_name(name + path.suffix))


def emptied(path: Path) -> Path:
    """Nothing is left in it."""
    path.write_bytes(b"")
    return path


def replaced(content: bytes) -> Step:
    """Other bytes under its name."""

    def step(path: Path) -> Path:
        path.write_bytes(content)
        return path

    return step
