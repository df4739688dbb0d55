"""Presets: the instruction for an ingest, its file, its library."""

from .library import find_preset, list_presets, load_preset, save_preset
from .model import CHECKSUMS, CODECS, SCALES, Codec, Originals, Preset, Proxies, codec_named

__all__ = [
    "CHECKSUMS",
    "CODECS",
    "SCALES",
    "Codec",
    "Originals",
    "Preset",
    "Proxies",
    "codec_named",
    "find_preset",
    "list_presets",
    "load_preset",
    "save_preset",
]
