"""Media files: what they are, their frames, their sound, the geometry of their pictures."""

from .chain import filter_chain
from .frames import FrameReader, Overtaken
from .geometry import Rectangle, fit_rectangle, proxy_size, proxy_size_for
from .index import FrameIndex, read_index
from .info import AudioStream, MediaInfo
from .pictures import to_bgra
from .placing import Placing
from .probe import is_known_media_name, probe
from .progressive import ProgressiveReader, open_reader
from .recording import Form, as_form, form_of
from .sound import SAMPLE_RATE, SoundReader, sound_length

__all__ = [
    "SAMPLE_RATE",
    "AudioStream",
    "Form",
    "FrameIndex",
    "FrameReader",
    "MediaInfo",
    "Overtaken",
    "Placing",
    "ProgressiveReader",
    "Rectangle",
    "SoundReader",
    "as_form",
    "filter_chain",
    "fit_rectangle",
    "form_of",
    "is_known_media_name",
    "open_reader",
    "probe",
    "proxy_size",
    "proxy_size_for",
    "read_index",
    "sound_length",
    "to_bgra",
]
